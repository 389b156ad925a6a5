"""What is done with stores: their settings, limits, slots and drives; draining; what lies there leaves, stays, is copied and erased."""

from datetime import timedelta
from typing import Any

from checks.promises.traces import Traced
from server.people.models import Office
from server.retention.actions.finish_removals import finish_removals
from server.retention.actions.look_after import look_after
from server.retention.draining import outlook
from server.retention.models import Erasure, Freeze
from server.runs.actions.carry_copies import carry_copies
from server.runs.actions.check_store import check_store
from server.runs.actions.compare_store import compare_store
from server.runs.models import Backup, Copy, Stray
from server.storage.actions.measure import measure_store
from server.storage.actions.slots import slots_of
from server.storage.models import Allowance, Drive, Rotation, Store

PASSPHRASE = "low water at the old sluice"


class Stores(Traced):
    story = "stores"

    def furnish(self) -> None:
        super().furnish()
        self.cellar = self.store("Cellar")

    def test_leave_what_is_written_down(self) -> None:
        room, cellar = Store.objects.get(id=self.nightly.store_id), self.cellar
        address, usual = self.bodies()["change_store"]
        for field, value in (
            ("name", " "), ("name", "x" * 81), ("name", "cellar"), ("allowance_bytes", 0), ("max_writers", 0), ("max_writers", 33), ("max_writers", 32),
            ("checks", {"days": 0, "limit_bytes_per_second": None}), ("checks", {"days": 366, "limit_bytes_per_second": None}),
            ("checks", {"days": 365, "limit_bytes_per_second": 16_384}), ("checks", {"days": None, "limit_bytes_per_second": 16_383}),
            ("prices", {"gib_month": 250, "thousand_requests": 50, "currency": "eur"}), ("prices", {"gib_month": 10_000_001, "thousand_requests": 0, "currency": "EUR"}),
            ("prices", {"gib_month": 10_000_000, "thousand_requests": None, "currency": "EUR"}), ("prices", {"gib_month": 1, "thousand_requests": None, "currency": ""}),
            ("prices", {"gib_month": 1, "thousand_requests": None, "currency": "euro"}), ("path", "/stores/elsewhere"), ("path", "/stores/Cellar"), ("off_site", False),
        ):  # fmt: skip
            self.asked(f"the store with {field} {value}", f"put {address}", **usual | {field: value})
        for mode, why in (
            ("read_only", " a new disk "),
            ("paused", ""),
            ("detached", "w" * 200),
            ("in_use", ""),
            ("retired", ""),
            ("sunk", ""),
        ):
            self.asked(f"its mode is {mode}", f"post stores/{room.id}/mode", mode=mode, why=why)
        self.asked("its passphrase is typed", f"post stores/{room.id}/prove-passphrase", passphrase="low tide at the old sluice")
        self.asked("another one is typed", f"post stores/{room.id}/prove-passphrase", passphrase="high tide at the old sluice")
        self.asked("it is accepted as it is", f"post stores/{room.id}/accept")
        self.asked("this server sweeps it already", f"post stores/{room.id}/sweeping")
        self.asked(
            "a store where one lies",
            "post stores",
            name="S",
            path="/stores/Cellar",
            passphrase=PASSPHRASE,
            passphrase_again=PASSPHRASE,
            allowance_bytes=None,
        )
        self.asked(
            "a store with two passphrases",
            "post stores",
            name="S",
            path="/stores/s",
            passphrase=PASSPHRASE,
            passphrase_again="x",
            allowance_bytes=None,
        )
        self.asked(
            "a store with the name of another",
            "post stores",
            name="cellar",
            path="/stores/s",
            passphrase=PASSPHRASE,
            passphrase_again=PASSPHRASE,
            allowance_bytes=1,
        )
        self.asked(
            "a store inside of the program",
            "post stores",
            name="S",
            path="/attic/data/s",
            passphrase=PASSPHRASE,
            passphrase_again=PASSPHRASE,
            allowance_bytes=1,
        )
        self.asked("a place with a store is tried", "post stores/try", medium="folder", path="/stores/Cellar", address={})
        self.asked(
            "a store that is attached already",
            "post stores/attach",
            name="A",
            path="/stores/Cellar",
            passphrase="low tide at the old sluice",
            allowance_bytes=None,
        )
        self.limits(room)
        self.slots(room)
        self.drives(cellar)
        self.draining(room, cellar)
        self.ends()

    def limits(self, room: Store) -> None:
        post, none = (
            f"put stores/{room.id}/allowances",
            {"team": None, "device": None, "soft_bytes": None, "soft_counts": "needed", "grace_days": 0, "hard_bytes": None},
        )
        self.asked(
            "a limit of a team",
            post,
            **none | {"team": self.team.id, "soft_bytes": 1000, "grace_days": 1, "hard_bytes": 9_000_000},
            lasts=True,
        )
        self.asked("another one in its place", post, **none | {"team": self.team.id, "soft_bytes": 8_000_000, "grace_days": 2})
        self.asked("a limit of a device", post, **none | {"device": str(self.one.id), "hard_bytes": 5_000_000})
        self.asked("a limit of the store itself", post, **none | {"soft_bytes": 1000, "soft_counts": "fair"})
        for title, values in (
            ("nothing", {}), ("both", {"team": self.team.id, "device": str(self.one.id), "soft_bytes": 1}), ("the store, hard", {"hard_bytes": 1000}),
            ("soft above hard", {"team": self.team.id, "soft_bytes": 9, "hard_bytes": 8}), ("a year of grace", {"team": self.team.id, "soft_bytes": 9, "grace_days": 400}),
            ("nobody's", {"team": 999_999, "soft_bytes": 9}), ("counted otherwise", {"team": self.team.id, "soft_bytes": 9, "soft_counts": "x"}),
        ):  # fmt: skip
            self.asked(f"a limit: {title}", post, **none | values)
        self.deed("it is measured", lambda: bool(measure_store(room, now=self.outside.now())))
        self.asked("the limit goes", f"delete allowances/{Allowance.objects.get().id}")
        self.asked("one that is not there goes", "delete allowances/999999")

    def slots(self, room: Store) -> None:
        post = f"post stores/{room.id}/slots"
        self.asked(
            "a slot for Piet", post, kind="passphrase", label=" Piet ", passphrase=PASSPHRASE, passphrase_again=PASSPHRASE, lasts=True
        )
        self.asked("a paper", post, kind="recovery_code", label="safe", passphrase="", passphrase_again="")
        self.asked("a slot without a label", post, kind="passphrase", label=" ", passphrase=PASSPHRASE, passphrase_again=PASSPHRASE)
        self.asked("a slot with a long label", post, kind="recovery_code", label="x" * 81, passphrase="", passphrase_again="")
        self.asked("a slot of another kind", post, kind="key_file", label="x", passphrase="", passphrase_again="")
        self.asked("a weak passphrase", post, kind="passphrase", label="x", passphrase="short", passphrase_again="short")
        slots = {one.label: one.slot for one in slots_of(room)}
        change = {"old": PASSPHRASE, "passphrase": "low water at the new sluice", "passphrase_again": "low water at the new sluice"}
        self.asked("Piet chooses another", f"put stores/{room.id}/slots/{slots['Piet']}", **change)
        self.asked("with the wrong one", f"put stores/{room.id}/slots/{slots['Piet']}", **change | {"old": "x"})
        slots = {one.label: one.slot for one in slots_of(room)}
        self.asked("Piet goes", f"delete stores/{room.id}/slots/{slots['Piet']}")
        self.asked("a slot that is none goes", f"delete stores/{room.id}/slots/{'0' * 32}")

    def drives(self, cellar: Store) -> None:
        Drive.objects.create(store=cellar)
        self._known = None
        turns = {"name": " Weekly ", "every_days": 7, "first_day": "2026-03-02", "grace_days": 2, "drives": [str(cellar.id)]}
        self.asked("a rotation", "post drives/rotations", **turns, lasts=True)
        row = Rotation.objects.get()
        for title, values in (
            ("the name of another", {}), ("no name", {"name": ""}), ("a long name", {"name": "x" * 81}), ("no day", {"name": "B", "first_day": "1999-12-31"}),
            ("sixty days of grace", {"name": "B", "grace_days": 60}), ("more than that", {"name": "B", "grace_days": 61}), ("every day", {"name": "B", "every_days": 0}),
            ("a drive that has its turn", {"name": "B"}), ("a store that is no drive", {"name": "B", "drives": [str(self.nightly.store_id)]}), ("no drive", {"name": "B", "drives": []}),
        ):  # fmt: skip
            self.asked(f"another rotation: {title}", "post drives/rotations", **turns | values)
        self.asked("the same rotation, slower", f"put drives/rotations/{row.id}", **turns | {"every_days": 14})
        self.asked("somebody keeps the drive", f"put drives/{cellar.id}", keeper=" L. Pellow ", rests_in="the safe")
        self.asked("at a place of 121 letters", f"put drives/{cellar.id}", keeper="", rests_in="x" * 121)
        self.asked("the drive is parted", f"post drives/{cellar.id}/part", lasts=True)
        self.asked("and used again", f"post drives/{cellar.id}/use")
        self.asked("the rotation ends", f"delete drives/rotations/{row.id}")
        self.asked("the parted drive is used again", f"post drives/{cellar.id}/use", lasts=True)

    def draining(self, room: Store, cellar: Store) -> None:
        self.meanwhile(Drive.objects.all(), rotation=None)
        self.asked(
            "a store that is paused is drained", f"post stores/{room.id}/drain", into=str(cellar.id)
        ) if room.mode == "paused" else None
        self.asked("the room is drained", f"post stores/{room.id}/drain", into=str(cellar.id), lasts=True)
        self.asked("it is drained again", f"post stores/{room.id}/drain", into=str(cellar.id))
        self.asked("what is owed is hurried", f"post stores/{cellar.id}/copies")
        digest = outlook(room, cellar, now=self.day).digest
        self.asked("it is retired at once", f"post stores/{room.id}/retire", seen=digest, word="")
        self.asked("it is given up", f"post stores/{room.id}/retire", seen=digest, word="give up")
        self.asked("it is drained no more", f"post stores/{room.id}/drain/stop")
        self.lasting("what is owed is carried", lambda: carry_copies(cellar.id))
        digest = outlook(room, cellar, now=self.day).digest
        self.asked("it is retired", f"post stores/{room.id}/retire", seen=digest, word="", lasts=True)
        self.asked("the retired one is drained", f"post stores/{room.id}/drain", into=str(cellar.id))
        self.asked("the retired one is drained no more", f"post stores/{room.id}/drain/stop")
        self.asked("the retired one is taken into use", f"post stores/{room.id}/mode", mode="in_use", why="after all")
        self.asked("something is copied into the retired one", f"post backups/{self.backup.id}/copy", store=str(room.id))


class Pile(Traced):
    """Nightly into the server room, which keeps the last two; what leaves waits for seven days."""

    story = "pile"

    def furnish(self) -> None:
        super().furnish()
        self.room = self.nightly.store
        self.cellar = self.store("Cellar")

    def night(self) -> Backup:
        self.outside.at = self.day
        self.outside.devices["p1"].content["contacts", "c000"] = f"{self.day}".encode()
        backup = self.run_now(self.one).backup
        self.day += timedelta(days=1)
        self._known = None
        return backup

    def test_leaves_what_is_written_down(self) -> None:
        Office.objects.update(undo_days=7)
        backups = [self.backup, *(self.night() for _ in range(4))]
        oldest, newest = backups[0], backups[-1]
        room = self.room.id
        self.asked("one is held", f"post backups/{oldest.id}/hold", reason=" a dispute ", until="2026-06-01", lasts=True)
        self.asked("it is held without a reason", f"post backups/{oldest.id}/hold", reason=" ", until=None)
        self.asked("it is held until yesterday", f"post backups/{oldest.id}/hold", reason="r", until="2026-03-01")
        self.asked("it is let go", f"delete backups/{oldest.id}/hold")
        self.asked("one that nobody holds is let go", f"delete backups/{newest.id}/hold")
        self.asked("a note", f"put backups/{newest.id}/note", note=" before the trip ")
        self.asked("a note of 5000 letters", f"put backups/{newest.id}/note", note="x" * 5000)
        many = {
            "device": str(self.one.id),
            "holder": None,
            "team": None,
            "first_day": "2026-03-01",
            "last_day": "2026-03-31",
            "reason": "audit",
            "until": None,
        }
        self.asked("all of March is held", "post holds", **many)
        self.asked("days the wrong way round", "post holds", **many | {"first_day": "2026-04-01"})
        self.asked("of nobody", "post holds", **many | {"device": None})
        self.asked("of a team and a device", "post holds", **many | {"team": self.team.id})
        self.asked("what is held is still needed", "post holds/still-needed", backups=[str(oldest.id)], why="it goes on")
        self.asked("nothing leaves", "post freezes", store=str(room), team=None, reason=" an audit ", lasts=True)
        freeze = Freeze.objects.get()
        self.asked("nothing leaves a store of a team", "post freezes", store=str(room), team=self.team.id, reason="r")
        self.asked("nothing leaves, for no reason", "post freezes", store=None, team=None, reason=" ")
        self.asked("nothing leaves anywhere", "post freezes", store=None, team=None, reason="r")
        self.deed("the store is looked after in the freeze", lambda: look_after(room))
        self.asked("the freeze ends", f"post freezes/{freeze.id}/lift", why=" done ", lasts=True)
        self.asked("it ends twice", f"post freezes/{freeze.id}/lift", why="done")
        self.lasting("the store is looked after", lambda: look_after(room))
        leaving = Copy.objects.get(state="leaving").backup
        self.asked("what leaves stays", "post leaving/keep", backups=[str(leaving.id)], reason=" a complaint ", until=None)
        self.asked("what does not leave stays", "post leaving/keep", backups=[str(newest.id)], reason="r", until=None)
        self.asked("what leaves goes sooner", f"post stores/{room}/room/sooner", why="it is full", word="sooner")
        self.asked("sooner without the word", f"post stores/{room}/room/sooner", why="it is full", word="x")
        self.asked("sooner without a reason", f"post stores/{room}/room/sooner", why=" ", word="sooner")
        self.asked("somebody looked at it", f"post backups/{newest.id}/looked-at")
        self.removal(newest)
        self.room_is_made(room)
        self.copies(newest)
        self.wish(backups)
        self.day += timedelta(days=10)
        self.lasting("its day has come", lambda: look_after(room))
        self.deed("removals are finished", lambda: bool(finish_removals(self.room, now=self.outside.now())))
        self.lasting("a check of the store", lambda: bool(check_store(self.room, percent=100, by=self.ines)))
        self.strays()
        self.ends()

    def removal(self, newest: Backup) -> None:
        wanted: dict[str, Any] = {"backups": [str(newest.id)], "device": None, "store": None}
        shown = self.asked("a removal is shown", "post backups/remove/preview", **wanted).json()
        body = wanted | {"why": " by mistake ", "seen": shown.get("digest", ""), "word": shown.get("word", "")}
        self.asked("it is removed", "post backups/remove", **body)
        self.asked("removed without a reason", "post backups/remove", **body | {"why": " "})
        self.asked("removed without the word", "post backups/remove", **body | {"word": "x"})
        self.asked("nothing is removed", "post backups/remove/preview", backups=[], device=None, store=None)
        self.asked("all of a device are shown", "post backups/remove/preview", backups=[], device=str(self.one.id), store=str(self.room.id))

    def room_is_made(self, room: Any) -> None:
        moves = self.asked("room is proposed", f"post stores/{room}/room/proposal", bytes=1000, until=None).json()["moves"]
        shown = self.asked("it is looked at", f"post stores/{room}/room/look", moves=moves).json()
        body = {"moves": moves, "why": "it is full", "seen": shown.get("digest", ""), "word": (shown["removal"] or {}).get("word", "")}
        self.asked("room is made", f"post stores/{room}/room/make", **body)
        self.asked("room is made without a reason", f"post stores/{room}/room/make", **body | {"why": " "})
        self.asked("it is swept now", f"post stores/{room}/room/sweep")

    def copies(self, newest: Backup) -> None:
        cellar = self.cellar
        self.asked("the newest is copied", f"post backups/{newest.id}/copy", store=str(cellar.id), lasts=True)
        self.asked("it is asked for twice", f"post backups/{newest.id}/copy", store=str(cellar.id))
        copy = Copy.objects.get(store=cellar)
        self.asked("copies are hurried", f"post stores/{cellar.id}/copies")
        self.asked("it is not to be copied", f"post copies/{copy.id}/withdraw")
        self.lasting("it is carried", lambda: carry_copies(cellar.id))
        self.asked("it is copied where it lies", f"post backups/{newest.id}/copy", store=str(cellar.id))
        self.asked("what lies there is withdrawn", f"post copies/{copy.id}/withdraw")
        self.meanwhile(Copy.objects.filter(id=copy.id), intact=False)
        self.asked("it is copied where it lies damaged", f"post backups/{newest.id}/copy", store=str(cellar.id))
        self.deed("it is compared", lambda: compare_store(cellar, now=self.outside.now()).__class__.__name__)

    def wish(self, backups: list[Backup]) -> None:
        wanted = {
            "device": str(self.one.id),
            "items": [{"kind": "contacts", "id": "c001"}],
            "devices": [],
            "holder": None,
            "begins_on": "2026-03-20",
        }
        shown = self.asked("an erasure is shown", "post erasures/preview", **wanted).json()
        body = wanted | {
            "reference": " letter of March ",
            "word": shown.get("word", "erase"),
            "seen": shown.get("digest", ""),
            "forgets_names": False,
        }
        self.asked("without a reference", "post erasures", **body | {"reference": " "})
        self.asked("without the word", "post erasures", **body | {"word": "x"})
        self.asked("before today", "post erasures", **body | {"begins_on": "2026-01-01"})
        self.asked("it is asked", "post erasures", **body, lasts=True)
        erasure = Erasure.objects.get()
        self.asked("it is called off", f"post erasures/{erasure.id}/call-off", why=" a mistake ")
        self.asked("called off without a reason", f"post erasures/{erasure.id}/call-off", why=" ")
        self.asked("the item is taken again", f"post erasures/{erasure.id}/take-again", why="w")

    def strays(self) -> None:
        lying = Backup.objects.order_by("-finished_at").first()
        assert lying is not None
        Copy.objects.filter(backup=lying).delete()
        self._known = None
        self.lasting("what nobody knows is found", lambda: bool(compare_store(self.room, now=self.outside.now())))
        stray = Stray.objects.first()
        assert stray is not None
        self.asked("it is adopted", f"post strays/{stray.id}/adopt", device=str(self.one.id))
