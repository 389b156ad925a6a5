"""What is recorded at the end of a run is recorded whole, or not at all: on real transactions, with a fault in the middle of each."""

from unittest import mock

from procrastinate.contrib.django.models import ProcrastinateJob

from checks.promises.sides import Sides
from server.jobs import SILENT
from server.runs.actions import end_run
from server.runs.actions.ask_run import ask_run_by_hand
from server.runs.actions.carry_out import carry_out
from server.runs.actions.requeue import requeue_lost_runs
from server.runs.models import Backup, Copy, Run, RunState


class AFaultWhileItEnds(Sides):
    def furnish(self) -> None:
        super().furnish()
        self.one = self.device()
        self.plan(self.one)
        self.asked = ask_run_by_hand(self.one, by=self.ines, note="")

    def fault(self) -> object:
        """Of what comes last in each of these transactions."""
        return mock.patch.object(end_run, "run_ended", side_effect=RuntimeError("the database went away"))

    def test_of_one_that_came_leaves_no_backup_without_its_run_and_no_run_without_its_backup(self) -> None:
        with self.fault(), self.assertRaises(RuntimeError):
            carry_out(self.asked.id)
        self.assertEqual((Backup.objects.count(), Copy.objects.count()), (0, 0))
        self.assertEqual(Run.objects.get(id=self.asked.id).state, RunState.RUNNING)
        ProcrastinateJob.objects.all().delete()
        self.outside.at += SILENT
        requeue_lost_runs(now=self.outside.at)
        again = carry_out(self.asked.id)
        self.assertEqual((again.state, Backup.objects.get().run_id), (RunState.COMPLETE, again.id))

    def test_of_one_that_did_not_come_leaves_it_as_it_was_for_whoever_looks_for_lost_ones(self) -> None:
        self.outside.away.add("p1")
        with self.fault(), self.assertRaises(RuntimeError):
            carry_out(self.asked.id)
            end_run.ended_badly(self.asked.id, RuntimeError("whatever"), began_reading=False, now=self.outside.at)
        run = Run.objects.get(id=self.asked.id)
        self.assertIn(run.state, (RunState.RUNNING, RunState.WAITING))
        self.assertEqual([line for line in run.log if "whatever" in line["says"]], [])

    def test_of_one_whose_time_was_over_leaves_it_waiting(self) -> None:
        with self.fault(), self.assertRaises(RuntimeError):
            end_run.give_up(self.asked.id, self.outside.at)
        run = Run.objects.get(id=self.asked.id)
        self.assertEqual((run.state, run.cause_code), (RunState.WAITING, ""))
