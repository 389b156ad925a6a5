"""What is left when it does not go as it should: workers that die, stores and drives that are away, erasures that wait, deaf hooks."""

import smtplib
from datetime import date, time, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any
from unittest import mock

from checks.promises.traces import Traced
from core.vault.memory import MemoryBlobs
from server.fleet.models import Device
from server.people.models import Office, User
from server.plans.actions.save_plan import DraftTarget
from server.plans.models import Assignment
from server.recovery.actions.carry_out import carry_out as carry_restore_out
from server.recovery.actions.carry_out_drill import carry_out_drill
from server.recovery.actions.end_exports import end_exports
from server.recovery.actions.owe_drills import owe_drills
from server.recovery.actions.requeue import requeue_lost
from server.recovery.models import Drill, Restore
from server.retention.actions.erase_in import end_empty, erase_in, look_again
from server.retention.models import Erasure, Freeze
from server.runs.actions.carry_copies import carry_copies
from server.runs.actions.carry_out import carry_out
from server.runs.actions.copy_backup import copy_backup
from server.runs.actions.look_for_drives import look_for_drives
from server.runs.actions.requeue import let_go, requeue_due, requeue_lost_runs
from server.runs.models import Backup, Copy, Run
from server.storage.models import Drive, Store
from server.telling.actions.hooks import add_hook
from server.telling.actions.send import PAUSES, send_waiting
from server.telling.models import Hook, Message

LATER = timedelta(hours=2)


class Lost(Traced):
    """Workers that ended in the middle of it."""

    story = "lost"

    def test_leaves_what_is_written_down(self) -> None:
        self.runs()
        self.restores()
        self.drills()
        self.ends()

    def runs(self) -> None:
        self.asked("a run", f"post devices/{self.one.id}/run", note="", occasion="", hold_until=None, lasts=True)
        run = Run.objects.get(state="waiting")
        rows = Run.objects.filter(id=run.id)
        self.deed("its job is there", lambda: requeue_lost_runs(now=self.day + LATER))
        self.nothing_waits()
        self.deed("its job is lost", lambda: requeue_lost_runs(now=self.day + LATER))
        self.meanwhile(rows, attempts=7)
        self.deed("it was tried seven times", lambda: requeue_lost_runs(now=self.day + LATER))
        self.meanwhile(rows, attempts=8)
        self.deed("it was tried eight times", lambda: requeue_lost_runs(now=self.day + LATER))
        self.meanwhile(rows, attempts=1, next_try_at=self.day + LATER)
        self.deed("it waits for its turn", lambda: requeue_lost_runs(now=self.day + LATER))
        self.deed("its turn has come", lambda: requeue_due(now=self.day + LATER))
        self.meanwhile(rows, cause_code="link.away", log=[{"at": self.day.isoformat(), "says": "It was away."}])
        self.deed("its device was away just now", lambda: requeue_due(now=self.day + timedelta(seconds=44)))
        self.deed("its device is back", lambda: requeue_due(now=self.day + timedelta(seconds=45)))
        self.deed("it is due in a moment anyway", lambda: requeue_due(now=self.day + LATER - timedelta(seconds=45)))
        self.meanwhile(rows, log=[])
        self.deed("it was never tried", lambda: requeue_due(now=self.day + timedelta(minutes=1)))
        self.outside.away.add("p1")
        self.meanwhile(rows, log=[{"at": self.day.isoformat(), "says": "It was away."}])
        self.deed("its device is away still", lambda: requeue_due(now=self.day + timedelta(minutes=1)))
        self.outside.away.clear()
        self.meanwhile(rows, planned_for=self.day, gives_up_at=self.day + LATER, plan=self.nightly)
        self.deed("its time is not over", lambda: let_go(now=self.day + LATER - timedelta(seconds=1)))
        self.deed("its time is over", lambda: let_go(now=self.day + LATER))
        self.deed("nobody gives it a try any more", lambda: carry_out(run.id).state)
        self.meanwhile(rows, next_try_at=None, gives_up_at=self.day + timedelta(minutes=1))
        self.deed("it is given up where it begins", lambda: carry_out(run.id).state)
        self.meanwhile(rows, gives_up_at=self.day + LATER)
        self.meanwhile(Assignment.objects.all(), plan=self.plan(self.device("p2"), name="Other"))
        self.deed("its device follows another plan", lambda: let_go(now=self.day))
        self.meanwhile(Assignment.objects.filter(device=self.one), plan=self.nightly)
        self.meanwhile(rows, plan=None)
        self.deed("its plan is gone", lambda: carry_out(run.id).state)
        self.meanwhile(rows, plan=self.nightly, stop_asked=True)
        self.deed("it was to be stopped", lambda: carry_out(run.id).state)
        self.meanwhile(rows, stop_asked=False)
        self.outside.devices["p1"].lies["c001"] = 99
        self.lasting("one item is another size than told", lambda: carry_out(run.id).state)
        del self.outside.devices["p1"].lies["c001"]
        self.deed("it has ended", lambda: requeue_lost_runs(now=self.day + LATER))

    def restores(self) -> None:
        usual = self.bodies()["ask_restore"][1]
        onto = usual | {"target": "device", "device": str(self.one.id), "when_there": "keep_both"}
        self.asked("a restore", "post restores", **onto, lasts=True)
        restore = Restore.objects.get()
        rows = Restore.objects.filter(id=restore.id)
        self.deed("the job of the restore is there", lambda: requeue_lost(now=self.day + LATER))
        self.nothing_waits()
        self.deed("the restore is lost too soon", lambda: requeue_lost(now=self.day + timedelta(minutes=1)))
        self.deed("the restore is lost", lambda: requeue_lost(now=self.day + LATER))
        self.meanwhile(rows, state="running", attempts=2, started_at=self.day)
        self.deed("the restore is lost once more", lambda: requeue_lost(now=self.day + LATER))
        self.deed("it goes on where it was", lambda: carry_restore_out(restore.id).state)
        self.asked("a running one is stopped", f"post restores/{restore.id}/stop")
        self.meanwhile(rows, stop_asked=True)
        self.deed("one that was stopped goes on", lambda: carry_restore_out(restore.id).state)
        self.meanwhile(rows, stop_asked=False, attempts=3)
        self.deed("the restore is lost for good", lambda: requeue_lost(now=self.day + LATER))
        self.meanwhile(rows, device=None)
        self.deed("its device has left the register", lambda: carry_restore_out(restore.id).state)
        self.meanwhile(rows, device=self.one, kinds=["contacts", "photos"])
        held = self.outside.stores[self.nightly.store.where].held
        whole = dict(held)
        for name in [name for name in held if name.startswith("packs/")]:
            held[name] = held[name][:100] + bytes(64) + held[name][164:]
        self.deed("a pack is damaged", lambda: carry_restore_out(restore.id).state)
        held.clear()
        self.deed("the store is empty", lambda: carry_restore_out(restore.id).state)
        held |= whole
        copy = Copy.objects.get(backup=self.backup)
        self.meanwhile(Copy.objects.filter(id=copy.id), state="removed")
        self.deed("no store has it any more", lambda: carry_restore_out(restore.id).state)
        self.meanwhile(Copy.objects.filter(id=copy.id), state="present")
        with TemporaryDirectory(prefix="attic-trouble-") as place:
            self.place = place
            (Path(place) / "kept").mkdir()
            shelf: dict[str, Any] = {"path": f"{place}/kept", "name": "Shelf", "holder": "E. Brandt", "team": "", "registered": None}
            self.asked("a folder", "post devices/folder", **shelf, lasts=True)
            other = Device.objects.get(name="Shelf")
            self.asked("onto somebody else's", "post restores", **onto | {"device": str(other.id)}, lasts=True)
            second = Restore.objects.exclude(id=restore.id).get()
            self.lasting("it is written there", lambda: carry_restore_out(second.id).state)
            self.deeds[-1] += f"\n  files: {sorted(path.name for path in (Path(place) / 'kept').rglob('*') if path.is_file())[:3]}"
            folder = usual | {"target": "folder", "folder": f"{place}/out", "until": "2026-03-09", "keeper": None}
            self.exported(folder)
        self.deed("nothing is lost any more", lambda: requeue_lost(now=self.day + LATER))

    def exported(self, folder: dict[str, Any]) -> None:
        ask = "post restores"
        for title, values in (
            ("without a day", {"until": None}), ("until yesterday", {"until": "2026-03-01"}), ("for a year and a day", {"until": "2027-03-03"}), ("for a year and two", {"until": "2027-03-04"}),
            ("kept by nobody", {"keeper": 999_999}), ("at no whole path", {"folder": "out"}), ("with contacts as version 3", {"cards": "3.0"}),
        ):  # fmt: skip
            self.asked(f"a folder on the server {title}", ask, **folder | values)
        self.asked("a folder on the server", ask, **folder, lasts=True)
        export = Restore.objects.get(target="folder")
        self.asked("another one in the same place", ask, **folder)
        self.asked("another one inside of it", ask, **folder | {"folder": folder["folder"] + "/in"})
        self.asked("it is erased before it is there", f"post exports/{export.id}/erase")
        self.lasting("it is written", lambda: carry_restore_out(export.id).state)
        piet = User.objects.get(username="piet").id
        self.asked("Piet keeps it", f"post exports/{export.id}/keep", until="2026-03-20", keeper=piet)
        self.asked("for too long", f"post exports/{export.id}/keep", until="2027-03-20", keeper=piet)
        self.deed("its day is today", lambda: end_exports(now=self.day.replace(day=9, hour=22, minute=59)))
        path = Path(folder["folder"])
        path.rename(path.with_name("away"))
        path.mkdir()
        self.asked("another one is erased by hand", f"post exports/{export.id}/erase")
        self.lasting("another one lies there", lambda: end_exports(now=self.day.replace(day=9, hour=23)))
        self.deed("and is told once", lambda: end_exports(now=self.day.replace(day=9, hour=23)))
        path.rmdir()
        path.with_name("away").rename(path)
        self.lasting("its day is over", lambda: end_exports(now=self.day.replace(day=9, hour=23)))
        self.asked("it is kept though it is gone", f"post exports/{export.id}/keep", until="2026-03-20", keeper=piet)
        self.asked("an archive is made meanwhile", ask, **self.bodies()["ask_restore"][1], lasts=True)
        archive = Restore.objects.get(target="archive")
        self.meanwhile(Restore.objects.filter(id=archive.id), state="complete", file_name="x.zip", file_start="another")
        self.deed("its file is of another start", lambda: end_exports(now=self.day))
        self.meanwhile(Restore.objects.filter(id=archive.id), file_start="")
        self.deed("its file is of no start", lambda: end_exports(now=self.day))

    def drills(self) -> None:
        self.asked("a drill", "post drills", device=str(self.one.id), store=None, lasts=True)
        drill = Drill.objects.get()
        rows = Drill.objects.filter(id=drill.id)
        self.nothing_waits()
        self.deed("the drill is lost too soon", lambda: owe_drills(now=self.day + timedelta(minutes=1)))
        self.deed("the drill is lost", lambda: owe_drills(now=self.day + LATER))
        self.meanwhile(rows, state="running", attempts=2, started_at=self.day)
        self.deed("its worker died", lambda: self.drilled(drill))
        self.meanwhile(rows, attempts=3)
        self.deed("the drill is lost for good", lambda: owe_drills(now=self.day + LATER))
        self.meanwhile(rows, stop_asked=True)
        self.deed("the drill is stopped", lambda: self.drilled(drill))
        self.meanwhile(rows, stop_asked=False, backup=None)
        self.deed("its backup has left", lambda: self.drilled(drill))
        self.meanwhile(rows, backup=self.backup)
        held = self.outside.stores[self.nightly.store.where].held
        whole = dict(held)
        for name in [name for name in held if name.startswith("packs/")]:
            held[name] = held[name][:100] + bytes(64) + held[name][164:]
        self.deed("the drill finds damage", lambda: self.drilled(drill))
        held |= whole
        late = iter(range(0, 10**9, 10**6))
        self.deed("its time is over at once", lambda: carry_out_drill(drill.id, clock=lambda: next(late), sleep=lambda seconds: None).state)
        self.deed("it goes well", lambda: self.drilled(drill))

    def drilled(self, drill: Drill) -> str:
        return carry_out_drill(drill.id, clock=lambda: 5.0, sleep=lambda seconds: None).state


class Elsewhere(Traced):
    """Two stores and a drive: runs that fall over, copies that are cut, a drive that is parted, pulled out, moved, there twice."""

    story = "elsewhere"

    def furnish(self) -> None:
        super().furnish()
        self.room = self.nightly.store
        self.cellar, self.red = self.store("Cellar"), self.store("Red drive")
        Drive.objects.create(store=self.red)

    def test_leaves_what_is_written_down(self) -> None:
        self.falling_over()
        self.copies()
        self.drive()
        self.ends()

    def falling_over(self) -> None:
        targets = (DraftTarget(store=self.room.id), DraftTarget(store=self.cellar.id, falls_over=True, delay_minutes=30))
        self.outside.devices["p1"].content["photos", "p0"] = b"taken anew" * 3000
        self.nightly = self.plan(self.one, name="Both", targets=targets, store=self.room)
        self._known = None
        beside = self.nightly.targets.filter(store=self.cellar)
        self.asked("a run", f"post devices/{self.one.id}/run", note="", occasion="", hold_until=None, lasts=True)
        run = Run.objects.get(state="waiting")
        there = self.outside.stores.pop(self.room.where)
        self.deed("its store is away", lambda: carry_out(run.id).state)
        self.meanwhile(Office.objects.all(), line_is_metered=True)
        self.meanwhile(beside, not_metered=True)
        self.deed("the other one minds the metered line", lambda: carry_out(run.id).state)
        self.meanwhile(Office.objects.all(), line_is_metered=False)
        self.meanwhile(beside, copies_from=time(22), copies_until=time(5))
        self.deed("the other one has hours", lambda: carry_out(run.id).state)
        self.meanwhile(beside, copies_from=None, copies_until=None, limit_bytes_per_second=16)
        self.meanwhile(Run.objects.filter(id=run.id), gives_up_at=self.day + LATER)
        self.deed("the other one is too slow", lambda: carry_out(run.id).state)
        self.meanwhile(beside, limit_bytes_per_second=None, falls_over=False)
        self.deed("nothing falls over", lambda: carry_out(run.id).state)
        self.meanwhile(beside, falls_over=True)
        self.meanwhile(Store.objects.filter(id=self.cellar.id), trouble="It is ill.")
        self.deed("the other one is in trouble", lambda: carry_out(run.id).state)
        self.meanwhile(Store.objects.filter(id=self.cellar.id), trouble="")
        also = self.outside.stores.pop(self.cellar.where)
        self.deed("both are away", lambda: carry_out(run.id).state)
        self.outside.stores[self.cellar.where] = also
        self.lasting("it falls over", lambda: carry_out(run.id).state)
        self.outside.stores[self.room.where] = there

    def copies(self) -> None:
        newest, cellar = Backup.objects.order_by("-finished_at").first(), self.cellar
        assert newest is not None
        ask = f"post backups/{self.backup.id}/copy"
        self.asked("the first one is copied", ask, store=str(cellar.id), lasts=True)
        copy = Copy.objects.get(store=cellar, backup=self.backup)
        rows = Copy.objects.filter(id=copy.id)
        for state in ("removing", "leaving", "copying", "failed", "removed"):
            self.meanwhile(rows, state=state)
            self.asked(f"a copy that is {state} is asked for", ask, store=str(cellar.id))
            self.asked(f"a copy that is {state} is withdrawn", f"post copies/{copy.id}/withdraw")
        self.meanwhile(rows, state="owed", cause="It was cut.", attempts=3)
        self.asked("one that was cut is asked for", ask, store=str(cellar.id))
        self.meanwhile(rows, by=None)
        self.asked("one that a plan wants is withdrawn", f"post copies/{copy.id}/withdraw")
        self.asked("one that a plan wants is asked for", ask, store=str(cellar.id))
        self.meanwhile(Store.objects.filter(id=cellar.id), mode="paused")
        self.asked("it is hurried into a store that rests", f"post stores/{cellar.id}/copies")
        self.asked("it is asked for into a store that rests", ask, store=str(cellar.id))
        self.deed("it is carried into a store that rests", lambda: carry_copies(cellar.id))
        self.meanwhile(Store.objects.filter(id=cellar.id), mode="in_use")
        there = self.outside.stores.pop(cellar.where)
        for attempts in (0, 5, 11, 12):
            self.meanwhile(rows, attempts=attempts, due_at=self.day - LATER, by=None)
            self.deed(f"the target is away, after {attempts} tries", lambda: copy_backup(copy.id))
        self.meanwhile(rows, attempts=11, by=self.ines)
        self.deed("the target is away for whoever asked, at last", lambda: copy_backup(copy.id))
        self.outside.stores[cellar.where] = there
        self.meanwhile(Copy.objects.filter(backup=self.backup, store=self.room), intact=False)
        self.deed("no store holds it intact", lambda: copy_backup(copy.id))
        self.meanwhile(Copy.objects.filter(backup=self.backup, store=self.room), intact=True)
        self.meanwhile(Store.objects.filter(id=cellar.id), allowance_bytes=1000)
        self.deed("it does not fit", lambda: copy_backup(copy.id))
        self.meanwhile(Store.objects.filter(id=cellar.id), allowance_bytes=None)
        held = self.outside.stores[self.room.where].held
        whole = dict(held)
        for name in [name for name in held if name.startswith("packs/")]:
            held[name] = held[name][:40] + bytes(len(held[name]) - 40)
        self.deed("its source is damaged", lambda: copy_backup(copy.id))
        held |= whole
        self.meanwhile(rows, state="copying", due_at=self.day - LATER)
        self.nothing_waits()
        self.deed("its worker died", lambda: requeue_lost(now=self.day))
        self.meanwhile(rows, due_at=self.day + timedelta(hours=1))
        self.deed("its worker has just begun", lambda: requeue_lost(now=self.day))
        self.lasting("it is copied at last", lambda: copy_backup(copy.id))
        self.deed("it is copied twice", lambda: copy_backup(copy.id))
        self.deed("it leaves nothing to do", lambda: copy_backup(999_999))

    def drive(self) -> None:
        red = self.red
        part, use = f"post drives/{red.id}/part", f"post drives/{red.id}/use"
        look = lambda: look_for_drives(now=self.outside.now())  # noqa: E731
        self.lasting("it is seen", look)
        self.deed("it is seen again", look)
        self.asked("a store that is no drive is parted", f"post drives/{self.room.id}/part")
        self.asked("it is copied onto it", f"post backups/{self.backup.id}/copy", store=str(red.id), lasts=True)
        self.outside.holding[red.where] = ["a window", "a shell", "an editor", "a scanner"]
        self.asked("programs hold it", part, lasts=True)
        self.asked("it is parted twice", part)
        self.deed("they hold it still", look)
        self.outside.holding[red.where] = ["a window"]
        self.deed("one holds it", look)
        self.outside.holding.clear()
        self.meanwhile(Run.objects.filter(backup=self.backup), store=red, state="running")
        self.deed("a run writes into it", look)
        self.meanwhile(Run.objects.filter(backup=self.backup), store=self.room, state="complete")
        self.asked("it stays", use)
        self.lasting("it may be taken away", look)
        self.asked("it is hurried while it is parted", f"post stores/{red.id}/copies")
        there = self.outside.stores.pop(red.where)
        self.lasting("it is taken away", look)
        self.deed("it is still away", look)
        self.asked("one that is away is parted", part)
        self.asked("one that is away is used", use)
        self.asked("something is copied onto one that is away", f"post backups/{self.backup.id}/copy", store=str(red.id))
        self.deed("what it is owed waits", lambda: carry_copies(red.id))
        self.meanwhile(Copy.objects.filter(store=red), due_at=self.day + LATER, cause="It is away.")
        self.outside.stores["/stores/other hook"] = there
        self.lasting("it is back, elsewhere", look)
        self.outside.stores["/stores/clone"] = there
        self.lasting("it is there twice", look)
        del self.outside.stores["/stores/clone"]
        self.lasting("it is there once", look)
        self.outside.stores.pop("/stores/other hook")
        self.meanwhile(Copy.objects.filter(store=red), state="removing")
        self.lasting("it is pulled out", look)
        self.outside.stores["/stores/other hook"] = there
        self.deed("it is back, and something is to leave it", look)
        stranger = PretendStranger(self)
        self.lasting("a stranger is plugged in", look)
        stranger.goes()
        self.deed("the stranger is gone", look)


class PretendStranger:
    """A drive with a store of another office."""

    def __init__(self, test: Traced) -> None:
        self._stores = test.outside.stores
        test.outside.create_vault("/stores/stranger", "high tide at the old sluice")
        assert isinstance(self._stores["/stores/stranger"], MemoryBlobs)

    def goes(self) -> None:
        del self._stores["/stores/stranger"]


class Erasures(Traced):
    """One contact in three backups and two stores, and everything of a device."""

    story = "erasures"

    def furnish(self) -> None:
        super().furnish()
        self.room, self.cellar = self.nightly.store, self.store("Cellar")
        for number in range(2):
            self.outside.devices["p1"].content["contacts", "c000"] = f"{number}".encode()
            self.run_now(self.one)
        self.two = self.device("p2", {("contacts", "c1"): b"one", ("photos", "p9"): b"two" * 5000})
        self.plan(self.two, name="Nightly too", store=self.room)
        self.run_now(self.two)

    def test_leave_what_is_written_down(self) -> None:
        backups = list(Backup.objects.filter(device=self.one).order_by("finished_at"))
        self.asked("the oldest is copied", f"post backups/{backups[0].id}/copy", store=str(self.cellar.id), lasts=True)
        self.lasting("it is carried", lambda: carry_copies(self.cellar.id))
        self.asked("the newest is to be copied", f"post backups/{backups[-1].id}/copy", store=str(self.cellar.id), lasts=True)
        del self.outside.devices["p1"].content["contacts", "c001"]
        self.wish({"device": str(self.one.id), "items": [{"kind": "contacts", "id": "c001"}], "devices": [], "holder": None}, "Letter 1")
        erasure = Erasure.objects.get()
        for store in (self.room, self.cellar):
            self.deed(f"{store.name}: its day has not come", lambda id=store.id: erase_in(id, now=self.outside.now()))
        self.day = self.day.replace(day=20)
        self.asked("the oldest is held", f"post backups/{backups[0].id}/hold", reason="a dispute", until=None)
        self.meanwhile(Backup.objects.filter(id=backups[0].id), hold_reason="a dispute")
        self.deed("one is held", lambda: erase_in(self.room.id, now=self.outside.now()))
        self.meanwhile(Backup.objects.filter(id=backups[0].id), hold_reason="")
        self.asked("nothing leaves", "post freezes", store=str(self.room.id), team=None, reason="an audit", lasts=True)
        self.deed("nothing may leave", lambda: erase_in(self.room.id, now=self.outside.now()))
        self.asked("that is lifted", f"post freezes/{Freeze.objects.get().id}/lift", why="done", lasts=True)
        usual = self.bodies()["ask_restore"][1]
        self.asked("a restore reads it", "post restores", **usual | {"backup": str(backups[0].id)}, lasts=True)
        self.deed("it is being restored", lambda: erase_in(self.room.id, now=self.outside.now()))
        self.meanwhile(Restore.objects.all(), state="complete")
        away = self.outside.stores.pop(self.room.where)
        self.deed("its store is away", lambda: erase_in(self.room.id, now=self.outside.now()))
        self.outside.stores[self.room.where] = away
        with mock.patch("server.retention.actions.erase_in.erase", side_effect=MemoryError("no more")):
            self.deed("what nobody foresaw", lambda: erase_in(self.room.id, now=self.outside.now()))
        self.deed("it is being copied", lambda: erase_in(self.room.id, now=self.outside.now()))
        self.asked("it is not to be copied", f"post copies/{Copy.objects.get(state='owed').id}/withdraw", lasts=True)
        self.lasting("it is erased there", lambda: erase_in(self.room.id, now=self.outside.now()))
        self.deed("it is not looked at again at once", lambda: erase_in(self.room.id, now=self.outside.now()))
        self.asked("it is called off too late", f"post erasures/{erasure.id}/call-off", why="a mistake")
        self.lasting("it is erased in the other store", lambda: erase_in(self.cellar.id, now=self.outside.now()))
        for hours in (7, 14, 21):
            self.day += timedelta(hours=hours)
            for store in (self.room, self.cellar):
                self.lasting(f"{store.name} is looked at, {hours}", lambda id=store.id: erase_in(id, now=self.outside.now()))
        self.asked("it is taken again for no reason", f"post erasures/{erasure.id}/take-again", why=" ")
        self.asked("it is taken again", f"post erasures/{erasure.id}/take-again", why=" wanted after all ")
        self.meanwhile(Backup.objects.filter(id__in=[one.id for one in backups]), finished_at=self.day.replace(day=1))
        self.deed("an old backup comes from elsewhere", lambda: look_again(Backup.objects.filter(device=self.one).earliest("finished_at")))
        self.whole()
        self.ends()

    def wish(self, body: dict[str, Any], reference: str) -> None:
        body |= {"begins_on": "2026-03-20" if self.day.day < 20 else f"{self.day:%Y-%m-%d}"}
        shown = self.asked(f"{reference} is shown", "post erasures/preview", **body).json()
        told = {"reference": reference, "word": "erase", "seen": shown["digest"], "forgets_names": True}
        self.asked(f"{reference} with another digest", "post erasures", **body | told | {"seen": "0" * 64})
        self.asked(f"{reference} is asked", "post erasures", **body | told, lasts=True)

    def whole(self) -> None:
        everything = {"device": None, "items": [], "devices": [str(self.two.id)], "holder": None}
        self.asked("everything of one in use", "post erasures/preview", **everything, begins_on="2026-03-25")
        self.meanwhile(Device.objects.filter(id=self.two.id), state="retired")
        self.meanwhile(Assignment.objects.filter(device=self.two), plan=self.nightly)
        Assignment.objects.filter(device=self.two).delete()
        self._known = None
        self.wish(everything, "Letter 2")
        self.lasting("everything goes", lambda: erase_in(self.room.id, now=self.outside.now()))
        for hours in (7, 14):
            self.day += timedelta(hours=hours)
            self.lasting(f"it is looked at, {hours}", lambda: erase_in(self.room.id, now=self.outside.now()))
        holder = self.two.holder_id
        self.asked(
            "everything of a person", "post erasures/preview", device=None, items=[], devices=[], holder=holder, begins_on="2026-03-25"
        )
        Erasure.objects.create(reference="Letter 3", whole=True, asked_at=self.day, begins_on=date(2026, 3, 1), by=self.ines)
        self._known = None
        self.deed("one of which no store has anything", lambda: end_empty(now=self.outside.now()))


class Messages(Traced):
    """What is told, and does not arrive."""

    story = "messages"

    def furnish(self) -> None:
        super().furnish()
        self.board, _ = add_hook(name="Board", address="https://board.example/in", inside=False, signs_of_life=True, by=self.ines)
        self.bell, _ = add_hook(name="Bell", address="https://bell.example/in", inside=True, signs_of_life=False, by=self.ines)

    def test_leave_what_is_written_down(self) -> None:
        told = {"not_before": self.day, "made_at": self.day, "subject": "late", "body": "{}"}
        for number, hook in enumerate((self.board, self.board, self.bell)):
            Message.objects.create(key=f"hook {number}", way="hook", hook=hook, to=hook.address, **told)
        for number, to in enumerate(("one@office.example", "two@office.example")):
            Message.objects.create(key=f"mail {number}", way="mail", to=to, **told)
        self._known = None
        send = lambda: send_waiting(now=self.outside.now())  # noqa: E731
        self.deed("it goes", send)
        self.outside.deaf_hooks.add(self.board.address)
        self.deed("one hook is deaf", send)
        self.outside.deaf_hooks.clear()
        self.meanwhile(Hook.objects.filter(id=self.board.id), active=False)
        self.deed("one hook is switched off", send)
        self.meanwhile(Hook.objects.filter(id=self.board.id), active=True, secret=b"hook none\0")
        self.deed("the secret of one cannot be read", send)
        self.meanwhile(Hook.objects.filter(id=self.board.id), secret=self.board.secret)
        refused = smtplib.SMTPRecipientsRefused({"one@office.example": (550, b"nobody")})
        for title, error in (
            ("no mail server answers", ConnectionRefusedError("refused")), ("it refuses whom it is for", refused),
            ("it refuses what it says", smtplib.SMTPDataError(552, b"too long")), ("it is no address", ValueError("no address")),
        ):  # fmt: skip
            with mock.patch("django.core.mail.EmailMessage.send", side_effect=error):
                self.deed(title, send)
        waiting = Message.objects.filter(way="hook", hook=self.bell)
        self.outside.deaf_hooks.add(self.bell.address)
        for attempts in (1, len(PAUSES) - 1, len(PAUSES)):
            self.meanwhile(waiting, attempts=attempts)
            self.deed(f"the bell is deaf after {attempts}", send)
        self.meanwhile(waiting, attempts=0, made_at=self.day - timedelta(days=2, minutes=59))
        self.deed("what it should hear is of no use any more", send)
        self.meanwhile(waiting, made_at=self.day, subject="alive")
        self.deed("it does not hear that the server lives", send)
        self.meanwhile(waiting, subject="late", not_before=self.day + timedelta(hours=1))
        self.deed("it is not to hear it yet", send)
        self.meanwhile(Message.objects.all(), state="sent", made_at=self.day - timedelta(days=400, minutes=59))
        self.deed("old ones go", send)
        address = f"hooks/{self.board.id}"
        self.asked("a hook is tried", f"post {address}/try")
        self.asked("a deaf one is tried", f"post hooks/{self.bell.id}/try")
        self.asked("it is changed", f"put {address}", active=False, inside=True, signs_of_life=False)
        self.asked("it is removed", f"delete {address}", lasts=True)
        self.asked("it is removed twice", f"delete {address}")
        self.ends()
