"""What is left where stores and drives are away: runs that fall over, copies that are cut, drives that come and go, erasures that wait."""

from datetime import date, time, timedelta
from typing import Any
from unittest import mock

from checks.promises.traces import Traced
from server.fleet.models import Device
from server.people.models import Office
from server.plans.actions.save_plan import DraftTarget
from server.plans.models import Assignment
from server.recovery.actions.requeue import requeue_lost
from server.recovery.models import Restore
from server.retention.actions.erase_in import end_empty, erase_in, look_again
from server.retention.models import Erasure, Freeze
from server.runs.actions.carry_copies import carry_copies
from server.runs.actions.carry_out import carry_out
from server.runs.actions.copy_backup import copy_backup
from server.runs.actions.look_for_drives import look_for_drives
from server.runs.models import Backup, Copy, Run
from server.storage.models import Drive, Store

LATER = timedelta(hours=2)


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
        self.lasting(
            "a plan with two stores", lambda: setattr(self, "nightly", self.plan(self.one, name="Both", targets=targets, store=self.room))
        )
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
        self.deed("the stranger is still there", look)
        PretendStranger(self, "/stores/second stranger")
        self.deed("another one as well", look)
        del self.outside.stores["/stores/second stranger"]
        stranger.goes()
        self.deed("the stranger is gone", look)


class PretendStranger:
    """A drive with a store of another office."""

    def __init__(self, test: Traced, path: str = "/stores/stranger") -> None:
        self._stores = test.outside.stores
        test.outside.create_vault(path, "high tide at the old sluice")

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
        names = [{"kind": "contacts", "name": "c001", "code": "gone", "detail": "", "counts": True}]
        self.meanwhile(Run.objects.filter(device=self.one), skipped=names, left_out=[{"path": "c001"}])
        self.meanwhile(Backup.objects.filter(id=backups[0].id), hold_reason="a dispute", lacking=[{"kind": "contacts", "name": "c001"}])
        self.deed("one is held, and the others go", lambda: erase_in(self.room.id, now=self.outside.now()))
        self.meanwhile(Backup.objects.filter(id=backups[0].id), hold_reason="")
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
        signed = {"reference": reference, "word": "erase", "seen": shown["digest"], "forgets_names": True}
        self.asked(f"{reference} with another digest", "post erasures", **body | signed | {"seen": "0" * 64})
        self.asked(f"{reference} is asked", "post erasures", **body | signed, lasts=True)

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
