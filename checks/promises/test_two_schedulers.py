"""Two schedulers that really run at once start each run once, and each of them goes on with what the other has not taken."""

from datetime import timedelta
from unittest import mock

from procrastinate.contrib.django.models import ProcrastinateJob

from checks.promises.sides import Sides
from server.runs.actions import start_due as module
from server.runs.actions.start_due import start_due
from server.runs.models import Run, RunState
from server.storage.models import Store


class TwoSchedulers(Sides):
    def furnish(self) -> None:
        super().furnish()
        self.devices = [self.device(f"p{n}") for n in range(3)]
        self.plan(*self.devices)
        Store.objects.update(max_writers=3)
        self.outside.at = self.outside.at.replace(hour=21, minute=0) + timedelta(seconds=1)

    def once_each(self, *started: list[Run]) -> None:
        ids = [str(run.id) for one in started for run in one]
        self.assertEqual((len(ids), len(set(ids))), (3, 3))
        self.assertEqual(Run.objects.filter(state=RunState.WAITING).count(), 3)
        jobs = ProcrastinateJob.objects.filter(task_name="carry_out_run")
        self.assertEqual(sorted(job.args["run_id"] for job in jobs), sorted(ids))

    def test_one_that_is_faster_between_the_others_look_and_its_writing(self) -> None:
        faster: list[list[Run]] = []
        make = module._new

        def after_the_other(*what: object, **more: object) -> Run:
            if not faster:
                faster.append([])  # the other's own runs are made as usual
                faster[0] = self.aside(lambda: start_due(now=self.outside.at))
            return make(*what, **more)

        with mock.patch.object(module, "_new", after_the_other):
            mine = start_due(now=self.outside.at)
        self.assertTrue(faster[0], "the other one was not there")
        self.once_each(mine, faster[0])

    def test_both_at_the_same_moment(self) -> None:
        results = self.at_once(lambda: start_due(now=self.outside.at), lambda: start_due(now=self.outside.at))
        self.assertEqual([one for one in results if isinstance(one, Exception)], [])
        self.once_each(*results)
