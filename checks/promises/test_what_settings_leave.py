"""What is set by people: names, accounts, devices, plans. What each leaves, and what each refuses."""

from datetime import date, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from checks.promises.traces import Traced
from core.content.scope import Reach
from server.fleet.actions.change_device import bring_back
from server.fleet.actions.keep_absences import keep_absences
from server.fleet.models import Bulk, Device
from server.people.models import Holder, JournalEntry, Office, Team, User
from server.plans.actions.leave_out import leave_out
from server.plans.actions.pause import end_pauses
from server.plans.models import KindChoice, Pause, Plan
from server.telling.models import Hook

BERLIN = ZoneInfo("Europe/Berlin")
LONG = "x" * 5000


class People(Traced):
    story = "people"

    def test_leave_what_is_written_down(self) -> None:
        piet, team, holder = User.objects.get(username="piet"), self.team, self.holder
        idle, nobody = Team.objects.create(name="Idle Hands"), Holder.objects.create(name="Nobody", email="n@office.example")
        self.asked("a team gets another name", f"put teams/{team.id}", name=" Deck Crew ")
        self.asked("a team gets its own name", f"put teams/{team.id}", name=team.name)
        self.asked("a team gets the name of another", f"put teams/{team.id}", name="idle hands")
        self.asked("a name of 81 letters", f"put teams/{team.id}", name="x" * 81)
        self.asked("a name of 80 letters", f"put teams/{team.id}", name="x" * 80)
        self.asked("a team of devices goes", f"delete teams/{team.id}")
        self.asked("a team of nobody goes", f"delete teams/{idle.id}")
        self.asked("a holder gets another name and a new team", f"put holders/{holder.id}/change", name="L. Pellow", team="Night Crew")
        self.asked(
            "a holder gets an address and no team",
            f"put holders/{holder.id}/change",
            name=holder.name,
            team=" ",
            email="p@office.example",
        )
        self.asked("a holder gets the name of another", f"put holders/{holder.id}/change", name="nobody", team="")
        self.asked("a holder with a name of 121 letters", f"put holders/{holder.id}/change", name="x" * 121, team="")
        self.asked("a holder in a team of 81 letters", f"put holders/{holder.id}/change", name=holder.name, team="x" * 81)
        self.asked("what is no address", f"put holders/{holder.id}/change", name=holder.name, team="", email="p at office")
        self.asked("a holder of devices goes", f"delete holders/{holder.id}/change")
        self.asked("a holder of none goes", f"delete holders/{nobody.id}/change")
        self.asked("who leaves", f"put users/{piet.id}", full_name=" Piet P. ", role="auditor", active=False)
        self.asked("a role that is none", f"put users/{piet.id}", full_name="", role="captain", active=True)
        self.asked("the last administrator", f"put users/{self.ines.id}", full_name="", role="operator", active=True)
        self.asked("sessions end", f"delete users/{piet.id}/sessions")
        self.asked("a weak password for somebody", f"post users/{piet.id}/password", password="12345678")
        self.asked("the wrong present password", "put me/password", current="no", new="low water at noon", again="low water at noon")
        self.asked("two passwords", "put me/password", current="saltmarsh attic", new="low water at noon", again="low water at nine")
        wishes = {
            "email": "i@office.example",
            "wants_digest": True,
            "digest_at": "06:30",
            "wants_alerts": True,
            "quiet_from": "21:00",
            "quiet_until": "06:00",
        }
        self.asked("wishes", "put me/wishes", **wishes)
        self.asked("wishes without an address", "put me/wishes", **wishes | {"email": ""})
        self.asked("quiet hours without an end", "put me/wishes", **wishes | {"quiet_until": None})
        self.asked("a name that is taken", "post users", username="Piet", full_name="", password="low water at noon", role="operator")
        self.asked(
            "an account with a role that is none", "post users", username="new", full_name="", password="low water at noon", role="x"
        )
        office = self.bodies()["change_office"][1]
        for field, value in (
            ("name", " "), ("zone", "Europe/Atlantis"), ("max_runs", 33), ("max_runs", 32), ("max_runs", 0), ("undo_days", 91), ("undo_days", 90),
            ("limit_bytes_per_second", 16_383), ("limit_bytes_per_second", 16_384), ("unasked_share_percent", 101), ("unasked_share_percent", 100),
        ):  # fmt: skip
            self.asked(f"the office with {field} {value}", "put office", **office | {field: value})
        self.asked("an age under its least", "put office/ages", ages={"journal": 364})
        self.asked("an age of something else", "put office/ages", ages={"nothing": 400})
        self.asked("a closed day", "post closed-days", day="2026-12-24", name="Eve", lasts=True)
        self.asked("the same day again", "post closed-days", day="2026-12-24", name="The day before")
        self.asked("a closed day opens", "delete closed-days/2026-12-24")
        self.asked("a day that was not closed", "delete closed-days/2026-12-25")
        calendar = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:20270101\r\nSUMMARY:New Year\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        for confirmed in (False, True):
            self.asked(f"a calendar, {'taken' if confirmed else 'shown'}", "post closed-days/read", calendar=calendar, confirmed=confirmed)
        self.asked("somebody who may not", f"put teams/{team.id}", who="ulla", name="Mine")
        self.hooks()
        self.ends()

    def hooks(self) -> None:
        self.asked("a hook", "post hooks", name="Board", address="https://board.example/in", inside=False, signs_of_life=True, lasts=True)
        hook = Hook.objects.get()
        self.asked(
            "a hook with the name of another", "post hooks", name="board", address="https://b.example/", inside=False, signs_of_life=False
        )
        self.asked("a hook that is no address", "post hooks", name="B", address="ftp://b.example/", inside=False, signs_of_life=False)
        self.asked("a hook without a name", "post hooks", name=" ", address="https://b.example/", inside=False, signs_of_life=False)
        self.asked("a hook is tried", f"post hooks/{hook.id}/try")
        self.outside.deaf_hooks.add(hook.address)
        self.asked("a deaf hook is tried", f"post hooks/{hook.id}/try")
        self.asked("a hook rests", f"put hooks/{hook.id}", active=False, inside=True, signs_of_life=False)
        self.asked("a hook goes", f"delete hooks/{hook.id}")


class Fleet(Traced):
    story = "fleet"

    def test_leaves_what_is_written_down(self) -> None:
        one = self.one
        two = self.device("p2")
        change = f"put devices/{one.id}/change"

        def changed(**values: str) -> dict[str, object]:
            return {"values_told": values, "seen": "", "word": ""}

        self.asked(
            "a device gets names and numbers",
            change,
            **changed(name="H1 of Pellow", asset_tag="A-17", serial="S1", note="lent"),
            lasts=True,
        )
        for title, values in (
            ("the number of another", {"asset_tag": "a-17"}), ("another holder and team", {"holder": "E. Brandt", "team": "Deck Crew"}),
            ("is away until a day", {"state": "away", "away_until": "2026-03-09"}), ("is away without a day", {"state": "away"}),
            ("is in repair", {"state": "in_repair"}), ("is lost", {"state": "lost"}), ("is retired", {"state": "retired"}),
            ("a state that is none", {"state": "sunk"}), ("a day that is none", {"purchased_on": "2026-02-30"}), ("a size that is none", {"storage_total_bytes": "many"}),
            ("a field that is none", {"colour": "blue"}), ("a note of 5000 letters", {"note": LONG}), ("nothing", {}),
        ):  # fmt: skip
            self.asked(f"another device: {title}", f"put devices/{two.id}/change", **changed(**values))
        both = {"devices": [str(one.id), str(two.id)], "seen": "", "word": ""}
        self.asked("both in another team", "post devices/change", **both, values_told={"team": "Deck Crew"}, lasts=True)
        bulk = Bulk.objects.get()
        self.asked("that is undone", f"post devices/changes/{bulk.id}/undo")
        self.meanwhile(Device.objects.filter(id=two.id), team=self.team)
        self.asked("that is undone after one was moved", f"post devices/changes/{bulk.id}/undo", lasts=True)
        self.asked("it is undone twice", f"post devices/changes/{bulk.id}/undo")
        self.asked("none of any", "post devices/change", devices=[], values_told={"team": "x"}, seen="", word="")
        self.asked("both are asked about", "post devices/change/consequences", devices=both["devices"], values_told={"state": "retired"})
        listed = "name;holder;team;asset tag;serial\r\nH2;E. Brandt;Deck Crew;A-18;S8\r\nH1 of Pellow;Holder of p1;Shore Crew;A-17;S1\r\n"
        shown = self.asked("a list is shown", "post devices/import/preview", content=listed)
        self.asked("a list is taken", "post devices/import", content=listed, digest=shown.json().get("digest", ""))
        self.asked("an empty list", "post devices/import/preview", content="")
        self.asked("a list with one column that nobody knows", "post devices/import/preview", content="shape\r\nround\r\n")
        self.asked("a limit of the link", f"put devices/{one.id}/link", rules=[], limit_bytes_per_second=1024, folder="", sftp=None)
        self.asked("a limit under the least", f"put devices/{one.id}/link", rules=[], limit_bytes_per_second=1023, folder="", sftp=None)
        rule = {"pattern": "*.jpg", "kind": "photos"}
        self.asked(
            "rules for a link without files", f"put devices/{one.id}/link", rules=[rule], limit_bytes_per_second=None, folder="", sftp=None
        )
        self.asked("too many rules", f"put devices/{one.id}/link", rules=[rule] * 201, limit_bytes_per_second=None, folder="", sftp=None)
        self.asked("rules are tried on it", f"post devices/{one.id}/link/preview", rules=[rule])
        self.asked("it is looked at", f"post devices/{one.id}/scan")
        self.asked("it is unpaired", f"post devices/{one.id}/unpair", lasts=True)
        self.asked("it is paired again", f"post devices/{one.id}/pair-again", code="ABCD2345")
        self.asked("it is paired again with another code", f"post devices/{one.id}/pair-again", code="ABCD2346")
        self.outside.away.add("p2")
        self.asked("one that is away is unpaired", f"post devices/{two.id}/unpair")
        self.asked("one that is away is looked at", f"post devices/{two.id}/scan")
        self.asked("both are lost", "post devices/change", **both, values_told={"state": "lost"}, lasts=True)
        newest = Bulk.objects.order_by("-at").first()
        assert newest is not None
        self.asked("both are found again", f"post devices/changes/{newest.id}/undo", lasts=True)
        self.absences(two)
        self.ends()

    def absences(self, two: Device) -> None:
        self.day += timedelta(days=1)
        self.meanwhile(Device.objects.filter(id=two.id), state="away", away_until=date(2026, 3, 5))
        self.lasting("its absence is noted", lambda: keep_absences(zone=BERLIN, now=self.outside.now()))
        self.deed("and once more", lambda: keep_absences(zone=BERLIN, now=self.outside.now()))
        self.meanwhile(Device.objects.filter(id=two.id), away_until=date(2026, 3, 7))
        self.deed("it lasts longer", lambda: keep_absences(zone=BERLIN, now=self.outside.now()))
        self.deed("it is not back", lambda: bring_back(zone=BERLIN, now=self.outside.now()))
        self.day += timedelta(days=6)
        self.lasting("it is back", lambda: bring_back(zone=BERLIN, now=self.outside.now()))
        self.deed("its absence ends", lambda: keep_absences(zone=BERLIN, now=self.outside.now()))


class Plans(Traced):
    story = "plans"

    def test_leave_what_is_written_down(self) -> None:
        body = self.bodies()["add_plan"][1] | {"devices": []}
        address, usual = self.bodies()["change_plan"]
        store = str(self.nightly.store_id)
        self.asked("another plan", "post plans", **body, lasts=True)
        for field, value in (
            ("name", "nightly"), ("name", "x" * 81), ("reach", "far"), ("kinds", []), ("ends_on", "2026-02-01"), ("targets", [{"store": store}, {"store": store}]),
            ("targets", [{"store": store, "delay_minutes": 31 * 1440}]), ("targets", [{"store": store, "copies_from": "22:00", "copies_until": "22:00"}]),
            ("promise_seconds", 60), ("keep_last", 0), ("keep_last", 100_000), ("exceptions", ["2026-12-24"] * 2000), ("larger_than_bytes", 0), ("own_cloud_seconds", 1),
            ("first_kinds", ["photos"]), ("needs_battery_percent", 101), ("not_in_use_minutes", 100_000), ("window_closes", "22:00"), ("starts_on", "2026-12-25"),
            ("exclusions", [{"kind": "photos", "under": ""}]), ("teams", ["Nobody"]), ("teams", [9]), ("devices", [str(self.backup.id)]), ("revision", 77),
        ):  # fmt: skip
            self.asked(
                f"a plan with {field} {str(value)[:60].replace(store, 'the store')}",
                "post plans",
                **body | {"name": "Third"} | {field: value},
            )
        self.asked(
            "a plan changes", f"put {address}", **usual | {"name": "Nightly still", "promise_seconds": 86_400, "teams": [self.team.id]}
        )
        self.asked("a plan with devices goes", f"delete plans/{self.nightly.id}")
        self.asked("a plan without devices goes", f"delete plans/{Plan.objects.get(name='Other').id}")
        self.asked("its feed", f"post plans/{self.nightly.id}/feed", lasts=True)
        self.asked("its feed ends", f"delete plans/{self.nightly.id}/feed")
        for reach, kinds in ((Reach.ONLY, ["contacts", "photos"]), (Reach.ALL_BUT, ["calls"]), (Reach.EVERYTHING, [])):
            self.meanwhile(Plan.objects.filter(id=self.nightly.id), reach=reach, kinds=kinds, first_kinds=["photos", "contacts"])
            self.deed(
                f"photos are left out of a plan of {reach}",
                lambda: leave_out(Plan.objects.get(id=self.nightly.id), ["photos"], why=" w ", by=self.ines).revision,
            )
        self.deed(
            "everything is left out",
            lambda: leave_out(Plan.objects.get(id=self.nightly.id), ["photos", "contacts"], why="w" * 300, by=self.ines).kinds,
        )
        self.pauses()
        self.kinds()
        self.targets(address, usual)
        self.ends()

    def targets(self, address: str, usual: dict[str, Any]) -> None:
        """A second store, another device, other hours."""
        store, cellar = str(self.nightly.store_id), str(self.store("Cellar").id)
        self.meanwhile(Plan.objects.filter(id=self.nightly.id), reach="only", kinds=["contacts"], first_kinds=[])
        usual = usual | {"name": "Nightly", "store": None}
        beside = {
            "store": cellar,
            "delay_minutes": 30,
            "copies_from": "22:00",
            "copies_until": "05:00",
            "limit_bytes_per_second": 16_384,
            "not_metered": True,
            "falls_over": True,
        }
        for title, targets in (
            ("two stores", [{"store": store}, beside]), ("a month later", [{"store": store}, beside | {"delay_minutes": 31 * 1440}]),
            ("a minute more than that", [{"store": store}, beside | {"delay_minutes": 31 * 1440 + 1}]), ("before it is there", [{"store": store}, beside | {"delay_minutes": -1}]),
            ("from ten on", [{"store": store}, beside | {"copies_until": None}]), ("until five", [{"store": store}, beside | {"copies_from": None}]),
            ("too slowly", [{"store": store}, beside | {"limit_bytes_per_second": 16_383}]), ("nine times", [{"store": store}] * 9), ("eight times", [{"store": store}] * 8),
            ("nowhere", [{"store": str(self.one.id)}]), ("none", []),
        ):  # fmt: skip
            self.asked(f"a plan into {title}", f"put {address}", **usual | {"targets": targets})
        two = self.device("p2", {("contacts", "c1"): b"one"})
        other = self.plan(two, name="Of the other")
        self._known = None
        self.asked("a plan into two stores, kept", f"put {address}", **usual | {"targets": [{"store": store}, beside]}, lasts=True)
        self.asked("the first store only", f"put {address}", **usual | {"targets": [{"store": store}]})
        self.asked(
            "the other device as well",
            f"put {address}",
            **usual | {"targets": [{"store": store}], "devices": [str(self.one.id), str(two.id)]},
        )
        self.asked("the other device instead", f"put {address}", **usual | {"targets": [{"store": store}], "devices": [str(two.id)]})
        self.asked("other hours", f"put {address}", **usual | {"targets": [{"store": store}], "starts_at": "21:00"})
        self.asked(
            "other days", f"put {address}", **usual | {"targets": [{"store": store}], "pattern": {"shape": "weekdays", "weekdays": [0, 4]}}
        )
        self.asked("nobody follows it", f"put {address}", **usual | {"targets": [{"store": store}], "devices": []})
        self.asked("a plan of a device goes", f"delete plans/{other.id}")

    def pauses(self) -> None:
        one, plan = str(self.one.id), str(self.nightly.id)
        self.asked("a device is paused", "post pauses", plan=None, device=one, until="2026-03-05", reason=" on a boat ", lasts=True)
        self.asked("it is paused anew", "post pauses", plan=None, device=one, until=None, reason="r" * 200)
        self.asked("without a reason", "post pauses", plan=None, device=one, until=None, reason=" ")
        self.asked("both at once", "post pauses", plan=plan, device=one, until=None, reason="r")
        self.asked("until today", "post pauses", plan=plan, device=None, until="2026-03-02", reason="r")
        self.asked("a plan is paused", "post pauses", plan=plan, device=None, until=None, reason="r")
        self.asked("everything is paused", "post pauses", plan=None, device=None, until="2026-03-03", reason="r", lasts=True)
        self.asked("everything by somebody who may not", "post pauses", who="piet", plan=None, device=None, until=None, reason="r")
        begun = Pause.objects.get(device=self.one)
        self.asked("it ends", f"delete pauses/{begun.id}")
        self.deed("no pause is over", lambda: end_pauses(zone=BERLIN, now=self.outside.now()))
        self.day += timedelta(days=1)
        self.lasting("one is over", lambda: end_pauses(zone=BERLIN, now=self.outside.now()))
        self.day += timedelta(days=4)
        self.lasting("the other one is over", lambda: end_pauses(zone=BERLIN, now=self.outside.now()))
        self.asked("what is over ends", f"delete pauses/{begun.id}")

    def kinds(self) -> None:
        self.meanwhile(Device.objects.filter(id=self.one.id), accounts=[{"service": "Groupware", "kind": "contacts", "items": 5}])
        choose, usual = (
            f"post devices/{self.one.id}/kinds",
            {"kinds": ["contacts"], "taken": False, "service": "", "alike": False, "why": "kept elsewhere"},
        )
        self.asked("a kind is left out", choose, **usual, lasts=True)
        self.asked("a kind is left out anew", choose, **usual | {"why": "w" * 200})
        self.asked("a kind is left out wherever it is synchronised", choose, **usual | {"service": "Groupware", "alike": True})
        self.asked("a kind is taken", choose, **usual | {"taken": True, "why": ""})
        for field, value in (
            ("kinds", ["dreams"]),
            ("alike", True),
            ("service", "Elsewhere"),
            ("why", " "),
            ("kinds", ["contacts", "photos", "documents", "app_data"]),
        ):
            self.asked(f"a choice with {field} {value}", choose, **usual | {field: value})
        choice = KindChoice.objects.get()
        self.asked("its plan decides again", f"delete kind-choices/{choice.id}", lasts=True)
        self.asked("and again", f"delete kind-choices/{choice.id}")


class BeforeThereIsAnOffice(Traced):
    story = "first_day"

    def test_leaves_what_is_written_down(self) -> None:
        JournalEntry.objects.all().delete()
        Office.objects.all().delete()
        self._known = None
        self.asked("ages without an office", "put office/ages", ages={"journal": 400})
        self.asked("a line without an office", "post office/line", metered=True)
        self.ends()
