"""What the clock owes to the stores: rules, removals, sweeps, measures, comparisons; each once, none because of a run."""

from datetime import UTC, datetime, timedelta
from unittest import mock

from procrastinate.contrib.django.models import ProcrastinateJob

from server.retention.actions import owe_maintenance as module
from server.retention.actions.apply_rule import apply_rule
from server.retention.actions.look_after import look_after
from server.retention.actions.measure import measure
from server.retention.actions.owe_maintenance import owe_maintenance
from server.retention.tasks import finish_removals_job, measure_store_job
from server.runs.actions.heartbeat import last_heartbeat
from server.runs.models import Copy, CopyState
from server.storage.models import Store
from server.tests.pretend import OfficeTestCase

NIGHT, MORNING = datetime(2026, 3, 3, 2, 0, tzinfo=UTC), datetime(2026, 3, 3, 6, 0, tzinfo=UTC)


class OwedToTheStores(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.nightly = self.plan(self.one, keep_last=1, keep_daily=0)
        self.place = self.nightly.store

    def owed(self, at: datetime, *only: str) -> list[str]:
        self.outside.at = at
        ProcrastinateJob.objects.all().delete()
        owe_maintenance(now=at)
        names = ProcrastinateJob.objects.order_by("task_name").values_list("task_name", flat=True)
        return [name for name in names if not only or name in only]

    def test_rules_once_a_night_in_the_morning_whether_a_run_came_or_not(self):
        self.assertEqual(self.owed(NIGHT, "apply_rules"), [])
        self.assertEqual(self.owed(MORNING, "apply_rules"), ["apply_rules"])
        owe_maintenance(now=MORNING)
        self.assertEqual(ProcrastinateJob.objects.filter(task_name="apply_rules").count(), 1, "it waits there twice")
        look_after(self.place.id, now=MORNING)
        self.assertEqual(self.owed(MORNING + timedelta(hours=5), "apply_rules"), [])
        self.assertEqual(self.owed(MORNING + timedelta(days=1), "apply_rules"), ["apply_rules"])

    def test_a_run_by_itself_applies_no_rule_and_measures_nothing(self):
        self.run_now(self.one)
        self.outside.devices["p1"].content["contacts", "c000"] = b"x"
        self.run_now(self.one)
        jobs = set(ProcrastinateJob.objects.values_list("task_name", flat=True))
        self.assertFalse(jobs & {"apply_rules", "measure_store", "sweep_store"})
        self.assertEqual(Copy.objects.filter(state=CopyState.PRESENT).count(), 2)

    def test_a_first_backup_is_measured_at_once_and_many_more_together(self):
        self.run_now(self.one)
        at = self.outside.at
        self.assertEqual(self.owed(at, "measure_store"), ["measure_store"])
        measure_store_job.func(store_id=str(self.place.id))
        self.assertGreater(Store.objects.get().occupancies.count(), 0)
        for _ in range(3):
            self.run_now(self.one)
            self.assertEqual(self.owed(self.outside.at, "measure_store"), [], "the whole store is read after every run")
        self.assertEqual(self.owed(self.outside.at + timedelta(minutes=11), "measure_store"), ["measure_store"])
        measure(self.place, now=self.outside.now())
        self.assertEqual(self.owed(self.outside.at + timedelta(minutes=11), "measure_store"), [])

    def test_what_was_decided_to_leave_leaves_and_a_store_in_trouble_is_not_asked_again_and_again(self):
        for _ in range(2):
            self.run_now(self.one)
            self.outside.at += timedelta(days=1)
        apply_rule(self.one, self.place, now=self.outside.now())
        self.assertEqual(self.owed(self.outside.at, "finish_removals"), ["finish_removals"])
        Store.objects.update(trouble="It is not there.")
        self.assertEqual(self.owed(self.outside.at, "finish_removals"), [])
        Store.objects.update(trouble="")
        finish_removals_job.func(store_id=str(self.place.id))
        self.assertEqual(self.owed(self.outside.at, "finish_removals"), [])
        self.assertEqual(Copy.objects.filter(state=CopyState.REMOVED).count(), 1)

    def test_sweeps_while_something_waits_out_its_grace(self):
        Store.objects.update(swept_at=None, waiting_bytes=0)
        self.assertEqual(self.owed(NIGHT, "sweep_store"), [])
        Store.objects.update(waiting_bytes=7, swept_at=NIGHT)
        self.assertEqual(self.owed(NIGHT + timedelta(minutes=59), "sweep_store"), [])
        self.assertEqual(self.owed(NIGHT + timedelta(minutes=61), "sweep_store"), ["sweep_store"])

    def test_list_and_store_are_compared_every_day(self):
        self.assertEqual(self.owed(NIGHT, "compare_store"), ["compare_store"])
        Store.objects.update(compared_at=NIGHT)
        self.assertEqual(self.owed(NIGHT + timedelta(hours=19), "compare_store"), [])
        self.assertEqual(self.owed(NIGHT + timedelta(hours=21), "compare_store"), ["compare_store"])

    def test_one_that_cannot_be_told_holds_up_no_other_and_is_noticed(self):
        with mock.patch.object(module, "_rules", side_effect=OverflowError("date value out of range")) as rules:
            rules.__name__ = "_rules"
            self.assertEqual(self.owed(MORNING, "apply_rules", "compare_store"), ["compare_store"])
        self.assertIsNone(last_heartbeat("maintenance"))
        self.owed(MORNING)
        self.assertEqual(last_heartbeat("maintenance"), MORNING)
