"""Several stores a plan: which copies are owed, in which order they are carried, and what becomes of a run whose store is away."""

from datetime import time, timedelta
from itertools import count

from procrastinate.contrib.django.models import ProcrastinateJob

from core.units import MIB
from server.oversight.tasks import after_run
from server.plans.actions.save_plan import DraftTarget, save_plan
from server.retention.actions.apply_rule import apply_rule
from server.retention.actions.finish_removals import finish_removals
from server.retention.actions.owe_copies import owe_copies
from server.retention.actions.owe_maintenance import owe_maintenance
from server.runs.actions.carry_copies import Paced, carry_copies
from server.runs.models import Copy, CopyState, Run, RunState
from server.storage.actions.measure import measure_store
from server.storage.models import Allowance, Store
from server.tests.pretend import OfficeTestCase


def later(clock: time, hours: int) -> time:
    return time((clock.hour + hours) % 24, clock.minute)


class SeveralStores(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.room, self.cloud = self.store("Server room"), self.store("Cloud")
        self.one = self.device()
        self.nightly = self.follow()

    def follow(self, *devices: object, plan: object = None, **cloud: object):
        targets = (DraftTarget(store=self.room.id), DraftTarget(store=self.cloud.id, **cloud))  # type: ignore[arg-type]
        followers = [device.id for device in (devices or (self.one,))]  # type: ignore[attr-defined]
        draft = self.draft(self.room, keep_last=2, keep_daily=0, targets=targets)
        return save_plan(draft, devices=followers, by=self.ines, plan=plan)  # type: ignore[arg-type]

    def night(self, device: object = None):
        """A run and what follows it, a day later."""
        self.outside.at += timedelta(days=1)
        device = device or self.one
        self.outside.devices[device.agent_id].content["documents", f"d{self.outside.at:%d%H%M}"] = b"new" * 900  # type: ignore[attr-defined]
        run = self.run_now(device)  # type: ignore[arg-type]
        if run.state == RunState.COMPLETE:
            after_run(str(run.id))
        return run

    def states(self, store: object) -> list[str]:
        return list(Copy.objects.filter(store=store).order_by("backup__finished_at").values_list("state", flat=True))


class Owed(SeveralStores):
    def test_a_run_goes_to_the_first_store_and_its_copy_is_owed_to_the_other(self):
        run = self.night()
        self.assertEqual((self.states(self.room), self.states(self.cloud)), (["present"], ["owed"]))
        self.assertTrue(ProcrastinateJob.objects.filter(task_name="carry_copies", args__store_id=str(self.cloud.id)).exists())
        self.outside.away.add("p1")  # the device is not read again
        self.assertEqual(carry_copies(self.cloud.id), 1)
        self.assertEqual(self.states(self.cloud), ["present"])
        self.assertIn(run.backup.id.bytes, self.outside.open_vault(self.cloud.where).backup_ids())
        copy = Copy.objects.get(store=self.cloud)
        self.assertGreater(copy.sent_bytes, 0)
        self.assertIsNotNone(copy.copied_at)
        self.assertIsNone(copy.checked_at, "it is there, nobody has read it back yet")

    def test_it_is_owed_from_the_moment_in_which_the_backup_exists(self):
        self.run_now(self.one)  # nothing that follows a run has been done yet
        self.assertEqual(self.states(self.cloud), ["owed"])

    def test_stores_of_one_office_share_a_key_so_that_sealed_bytes_move(self):
        self.assertEqual(self.room.key_id, self.cloud.key_id)
        self.assertTrue(self.room.key_id)
        self.night()
        carry_copies(self.cloud.id)
        packs = [{name for name in self.outside.stores[store.where].held if name.startswith("packs/")} for store in (self.room, self.cloud)]
        vaults = [self.outside.open_vault(store.where) for store in (self.room, self.cloud)]
        self.assertTrue(all(packs))
        self.assertEqual(*[sorted(id for _, entries in vault.index.packs() for id in map(bytes, entries["id"])) for vault in vaults])

    def test_what_the_stores_own_rule_would_remove_again_is_not_owed(self):
        for _ in range(4):
            self.night()
        self.assertEqual(self.states(self.cloud), ["owed", "owed"])  # the rule keeps two
        newest = Copy.objects.filter(store=self.cloud).order_by("-backup__finished_at").first()
        self.assertEqual(newest.backup, self.one.backups.order_by("-finished_at").first())

    def test_the_rule_holds_in_every_store_of_the_plan(self):
        for _ in range(4):
            self.night()
            carry_copies(self.cloud.id)
        for store in (self.room, self.cloud):
            apply_rule(self.one, store, now=self.outside.at)
            finish_removals(store, now=self.outside.at)
            self.assertEqual(self.states(store)[-2:], ["present", "present"])
            self.assertEqual(self.states(store).count("present"), 2)
        self.assertEqual(owe_copies(now=self.outside.at), 0, "what fell out is not owed again")

    def test_a_new_store_of_a_plan_is_owed_all_that_the_rule_keeps_newest_of_each_device_first(self):
        two = self.device("p2")
        self.follow(self.one, two, plan=self.nightly)
        third = self.store("Third")
        for device in (self.one, two, self.one, two):
            self.night(device)
        targets = (DraftTarget(store=self.room.id), DraftTarget(store=third.id))
        draft = self.draft(self.room, keep_last=2, keep_daily=0, targets=targets)
        save_plan(draft, devices=[self.one.id, two.id], by=self.ines, plan=self.nightly)
        self.assertEqual(owe_copies(now=self.outside.at), 4)
        order = []
        slow = count(0.0, 200.0)
        while carry_copies(third.id, seconds=lambda: next(slow)):  # one at a time
            order = list(Copy.objects.filter(store=third, state="present").order_by("copied_at").values_list("backup__device", flat=True))
        self.assertEqual(len(order), 4)
        self.assertEqual(set(order[:2]), {self.one.id, two.id}, "the newest of each device comes before the second of any")
        self.assertFalse(Copy.objects.filter(store=self.cloud, state=CopyState.OWED).exists(), "no plan wants it there any more")

    def test_a_copy_waits_for_its_delay_and_for_the_hours_of_its_store(self):
        self.follow(plan=self.nightly, delay_minutes=600, copies_from=time(22), copies_until=time(5))
        self.night()  # at eight in the morning
        self.assertEqual(carry_copies(self.cloud.id), 0)
        self.outside.at += timedelta(hours=11)  # its delay is over at six in the evening
        self.assertEqual(carry_copies(self.cloud.id), 0)
        row = Copy.objects.get(store=self.cloud)
        self.assertEqual(f"{row.due_at:%H:%M}", "21:00")  # ten in the evening in Berlin
        self.outside.at = row.due_at
        self.assertEqual(carry_copies(self.cloud.id), 1)

    def test_a_limit_holds_a_copy_back(self):
        self.night()
        row, clock, slept = Copy.objects.get(store=self.cloud), [100.0], []
        Copy.objects.filter(id=row.id).update(state=CopyState.COPYING)

        def sleep(seconds: float) -> None:
            slept.append(seconds)
            clock[0] += seconds

        pace = Paced(1000, seconds=lambda: clock[0], sleep=sleep)
        for done in (2_000, 4_000, 10_000):
            pace(row, done, 10_000)
        self.assertEqual(slept, [2.0, 2.0, 6.0])
        row.refresh_from_db()
        self.assertEqual(row.progress, {"done_bytes": 10_000, "total_bytes": 10_000, "bytes_per_second": 1000})

    def test_a_store_that_gained_a_copy_is_measured_anew(self):
        self.night()
        measure_store(self.cloud, now=self.outside.now())
        carry_copies(self.cloud.id)
        self.outside.at += timedelta(minutes=11)
        ProcrastinateJob.objects.all().delete()
        owe_maintenance(now=self.outside.now())
        jobs = ProcrastinateJob.objects.filter(task_name="measure_store")
        self.assertIn(str(self.cloud.id), list(jobs.values_list("args__store_id", flat=True)))


class NoRoom(SeveralStores):
    """A copy is admitted as a run is: with exactly what the store lacks, before anything of it is written."""

    def wrong(self) -> Copy:
        before = len(self.outside.stores[self.cloud.where].held)
        self.assertEqual(carry_copies(self.cloud.id), 0)
        self.assertEqual(len(self.outside.stores[self.cloud.where].held), before, "nothing was written")
        return Copy.objects.get(store=self.cloud)

    def test_one_that_would_not_fit_waits_and_says_what_it_needs(self):
        self.night()
        Store.objects.filter(id=self.cloud.id).update(allowance_bytes=4 * MIB + 50_000)
        row = self.wrong()
        self.assertEqual(row.state, CopyState.OWED)
        self.assertRegex(row.cause, r"Cloud has .* left; this copy needs .*\. Nothing of it was copied\.")
        self.assertGreater(row.due_at, self.outside.at)
        Store.objects.filter(id=self.cloud.id).update(allowance_bytes=50 * MIB)
        self.outside.at += timedelta(hours=2)
        self.assertEqual(carry_copies(self.cloud.id), 1)

    def test_an_allowance_of_its_device_or_team_in_that_store_holds_for_copies(self):
        self.night()
        allowance = Allowance.objects.create(store=self.cloud, device=self.one, hard_bytes=1000)
        self.assertIn("Orlo H1 in Cloud has", self.wrong().cause)
        Allowance.objects.filter(id=allowance.id).update(hard_bytes=50 * MIB)
        self.outside.at += timedelta(hours=2)
        self.assertEqual(carry_copies(self.cloud.id), 1)

    def test_what_runs_were_promised_there_is_theirs(self):
        self.night()
        Store.objects.filter(id=self.cloud.id).update(allowance_bytes=50 * MIB)
        run = Run.objects.get()
        Run.objects.filter(id=run.id).update(store=self.cloud, state=RunState.RUNNING, promised_bytes=run.stored_bytes + 46 * MIB)
        self.assertIn("46 MiB being promised to runs", self.wrong().cause)
