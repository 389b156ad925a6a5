"""Everything ends: no run, restore, import, copy or check is under way for ever, whatever is raised and whoever dies."""

from contextlib import contextmanager
from datetime import timedelta
from unittest import mock

from procrastinate.contrib.django.models import ProcrastinateJob

from core.recovery.selection import Selection
from core.vault.memory import MemoryBlobs
from server.jobs import AT_ONCE, REGISTER, Pool
from server.oversight.health import silences
from server.recovery.actions.ask_restore import ask_restore
from server.recovery.actions.carry_out import carry_out as carry_out_restore
from server.recovery.actions.requeue import MOST_ATTEMPTS, requeue_lost
from server.recovery.models import Restore, RestoreState
from server.recovery.readers import forget_readers
from server.runs.actions.ask_run import ask_run_by_hand
from server.runs.actions.carry_out import carry_out
from server.runs.actions.check_store import check_store
from server.runs.actions.copy_backup import ask_copy, copy_backup
from server.runs.actions.heartbeat import heartbeat
from server.runs.actions.requeue import requeue_due, requeue_lost_runs
from server.runs.actions.take_import import ask_import, scan_import, take_import
from server.runs.models import Copy, CopyState, Import, ImportState, Run, RunState
from server.tests.pretend import OfficeTestCase

FAULTS = (Exception("plain"), MemoryError(), UnicodeDecodeError("utf-8", b"\xff", 0, 1, "invalid start byte"), AssertionError())
EVERYTHING = Selection(everything=True, kinds=frozenset(), items=frozenset())
BLOBS = ("create", "read", "list", "delete")
LINK = ("state", "kinds", "inventory", "read", "close")
WRITE = ("state", "inventory", "read", "create", "replace", "close")


class OneBackup(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.nightly = self.plan(self.one)
        self.place = self.nightly.store
        self.backup = self.run_now(self.one).backup


class WhateverIsRaised(OneBackup):
    """At every method of every port, by every piece of work that uses it."""

    @contextmanager
    def fault(self, where: str, name: str, error: Exception):
        """The port's method raises at its third call, so that something has been done before; a link's at its first."""
        kind = MemoryBlobs if where == "blobs" else type(self.outside.devices["p1"]) if where == "link" else type(self.outside)
        real, left = getattr(kind, name), [3 if where == "blobs" else 1]

        def faulty(*arguments, **more):
            left[0] -= 1
            if left[0] <= 0:
                raise error
            return real(*arguments, **more)

        forget_readers()
        with mock.patch.object(kind, name, faulty):
            yield left

    def ended(self, row, *, good: tuple[str, ...], bad: tuple[str, ...], what: str) -> None:
        row.refresh_from_db()
        self.assertIn(row.state, (*good, *bad), what)
        if row.state in bad:
            self.assertTrue(row.cause and row.remedy, what)
            self.assertTrue(row.reference, what)
            self.assertIn(row.reference, row.remedy, what)

    def places(self, link: tuple[str, ...]):
        outside = ("open_vault", "agent_link", "unseal") if link else ("open_vault",)
        for where, names in (("blobs", BLOBS), ("link", link), ("outside", outside)):
            for name in names:
                for error in FAULTS:
                    yield where, name, error, f"{where}.{name} {error!r}"

    def test_runs(self):
        for where, name, error, what in self.places(LINK):
            self.outside.devices["p1"].content["contacts", "c001"] = what.encode()
            run = ask_run_by_hand(self.one, note="", by=self.ines)
            with self.fault(where, name, error):
                carry_out(run.id)
            self.ended(run, good=("complete", "partial"), bad=("failed", "interrupted"), what=what)

    def test_restores_to_a_device_and_into_an_archive(self):
        for where, name, error, what in self.places(WRITE):
            for target in ("device", "archive"):
                device = self.one if target == "device" else None
                restore = ask_restore(self.backup, EVERYTHING, target=target, device=device, when_there="replace", by=self.ines)
                with self.fault(where, name, error):
                    carry_out_restore(restore.id)
                self.ended(restore, good=("complete", "partial"), bad=("failed",), what=f"{target} {what}")

    def test_imports_looked_into_and_taken(self):
        for error in FAULTS:
            row = Import.objects.create(name="old", path="/srv/old", at=self.outside.at)
            with mock.patch.object(self.outside, "old_link", side_effect=error):
                scan_import(row.id)
            self.ended(row, good=(), bad=("failed",), what=f"look {error!r}")
        for where, name, error, what in self.places(()):
            row = Import.objects.create(name="old", path="/srv/old", at=self.outside.at, state=ImportState.READY, found={"kinds": [{}]})
            ask_import(row, device=self.one, store=self.place, moment=self.outside.at, by=self.ines)
            with self.fault(where, name, error), mock.patch.object(self.outside, "old_link", lambda path, zone: self.outside.devices["p1"]):
                take_import(row.id)
            self.ended(row, good=("done",), bad=("failed",), what=what)

    def test_copies(self):
        for number, (where, name, error, what) in enumerate(self.places(())):
            shelf = self.store(f"Shelf {number}")
            row = ask_copy(self.backup, shelf, by=self.ines)
            with self.fault(where, name, error):
                copy_backup(row.id, by=self.ines)
            self.ended(row, good=("present",), bad=("failed",), what=what)

    def test_checks_say_what_went_wrong_on_the_page_of_the_store(self):
        for where, name, error, what in self.places(()):
            with self.fault(where, name, error) as left:
                check_store(self.place, percent=100, by=self.ines)
            self.place.refresh_from_db()
            if left[0] <= 0 and name != "delete":
                self.assertTrue(self.place.trouble and self.place.trouble_remedy, what)


class WhoDies(OneBackup):
    """A job that is gone, a worker that is gone: each is taken up, and not for ever."""

    def quiet(self) -> None:
        """Nobody has a job any more, and a while has passed."""
        ProcrastinateJob.objects.all().delete()
        self.outside.at += timedelta(minutes=3)

    def queued(self, name: str) -> int:
        return ProcrastinateJob.objects.filter(task_name=name).count()

    def test_a_run_in_any_state(self):
        run = ask_run_by_hand(self.one, note="", by=self.ines)
        for state in (RunState.WAITING, RunState.RUNNING):
            Run.objects.filter(id=run.id).update(state=state)
            self.quiet()
            self.assertEqual((requeue_lost_runs(now=self.outside.now()), self.queued("carry_out_run")), (1, 1))
        Run.objects.filter(id=run.id).update(state=RunState.RUNNING, attempts=8)
        self.quiet()
        requeue_lost_runs(now=self.outside.now())
        run.refresh_from_db()
        self.assertEqual((run.state, bool(run.cause), bool(run.remedy)), (RunState.FAILED, True, True))

    def test_a_retry_holds_up_nobody_in_the_queue(self):
        Run.objects.all().update(planned_for=None)
        run = ask_run_by_hand(self.one, note="", by=self.ines)
        Run.objects.filter(id=run.id).update(planned_for=self.outside.at, gives_up_at=self.outside.at + timedelta(hours=8))
        self.outside.away.add("p1")
        ProcrastinateJob.objects.all().delete()
        self.assertEqual(carry_out(run.id).state, RunState.WAITING)
        self.assertEqual(self.queued("carry_out_run"), 0)
        restore = ask_restore(self.backup, EVERYTHING, target="archive", device=None, when_there="skip", by=self.ines)
        job = ProcrastinateJob.objects.get(task_name="carry_out_restore")
        self.assertEqual((job.args["restore_id"], job.scheduled_at), (str(restore.id), None))
        self.outside.at += timedelta(minutes=2)
        self.assertEqual((requeue_due(now=self.outside.at), self.queued("carry_out_run")), (1, 1))

    def test_a_restore_is_taken_up_and_given_up_after_a_few_attempts(self):
        restore = ask_restore(self.backup, EVERYTHING, target="archive", device=None, when_there="skip", by=self.ines)
        for state in (RestoreState.WAITING, RestoreState.RUNNING):
            Restore.objects.filter(id=restore.id).update(state=state)
            self.quiet()
            self.assertEqual((requeue_lost(now=self.outside.now()), self.queued("carry_out_restore")), (1, 1))
        Restore.objects.filter(id=restore.id).update(attempts=MOST_ATTEMPTS)
        self.quiet()
        requeue_lost(now=self.outside.now())
        restore.refresh_from_db()
        self.assertEqual((restore.state, bool(restore.cause), bool(restore.remedy)), (RestoreState.FAILED, True, True))

    def test_imports_and_copies(self):
        Import.objects.create(name="old", path="/srv/old", at=self.outside.at)
        row = ask_copy(self.backup, self.store("Shelf"), by=self.ines)
        past = self.outside.at - timedelta(minutes=5)
        Copy.objects.filter(id=row.id).update(state=CopyState.COPYING, due_at=past)  # its worker died in the middle
        self.quiet()
        self.assertEqual(requeue_lost(now=self.outside.now()), 2)
        row.refresh_from_db()
        self.assertEqual((self.queued("look_into_old"), row.state), (1, CopyState.OWED))
        self.assertEqual(requeue_lost(now=self.outside.now()), 0, "what waits in the queue is asked for again")

    def test_a_check_that_is_cut_goes_on_where_it_was(self):
        beats = iter([0.0, *[1e9] * 50])
        packs = [name for name in self.outside.stores[self.place.where].held if name.startswith("packs/")]
        self.assertGreater(len(packs), 2)
        check_store(self.place, percent=100, by=self.ines, clock=lambda: next(beats))
        self.place.refresh_from_db()
        first = set(self.place.check_progress["packs"])
        self.assertEqual((len(first), self.place.checked_at, self.queued("check_store")), (1, None, 1))
        read = []
        real = MemoryBlobs.read

        def counted(blobs, name, **more):
            if not more:
                read.append(name)
            return real(blobs, name, **more)

        with mock.patch.object(MemoryBlobs, "read", counted):
            check_store(self.place, percent=100, by=self.ines)
        self.place.refresh_from_db()
        self.assertEqual((self.place.check_progress, bool(self.place.checked_at)), ({}, True))
        self.assertFalse({name for name in read if name.removeprefix("packs/")[3:] in first}, "it read again what it had read")
        self.assertTrue(Copy.objects.get(state=CopyState.PRESENT).intact)


class PoolsByUrgency(OfficeTestCase):
    def test_what_must_be_quick_is_never_in_a_pool_with_what_may_be_slow(self):
        slow = {
            "carry_out_drill",
            "look_for_drives",
            "check_store",
            "age_out",
            "owe_copies",
            "carry_copies",
            "apply_rules",
            "finish_removals",
            "erase",
            "sweep_store",
            "measure_store",
            "compare_store",
            "write_office",
            "ask_clocks",
        }
        quick = {"tick", "watch", "send_messages", "revive", "requeue", "owe_maintenance", "owe_drills", "line_up", "after_run"}
        by_pool = {pool: {name for name, job in REGISTER.items() if job.pool == pool} for pool in Pool}
        self.assertEqual(by_pool[Pool.CLOCK], quick)
        self.assertEqual(by_pool[Pool.MAINTENANCE], slow)
        self.assertEqual(by_pool[Pool.RUNS], {"carry_out_run", "carry_out_restore", "bring_in_old", "look_into_old"})
        self.assertGreaterEqual(AT_ONCE[Pool.CLOCK], len(quick), "one that hangs would hold up another")

    def test_silence_of_any_part_is_said(self):
        for name in ("scheduler", "watch", "maintenance"):
            heartbeat(name, now=self.outside.at)
        self.assertEqual(silences(now=self.outside.at + timedelta(seconds=30)), [])
        self.assertEqual(len(silences(now=self.outside.at + timedelta(hours=1))), 3)
