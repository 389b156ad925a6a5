"""What a run tells while it reads: how far it is, and how long it takes from there, within what range."""

from unittest import mock

from core.vault.capture import KindProgress, Progress, Stage
from server.runs.actions.watch_run import TELL_EVERY_SECONDS, RunWatch
from server.runs.models import Run
from server.tests.pretend import OfficeTestCase

MIB = 1 << 20


class Telling(OfficeTestCase):
    def furnish(self) -> None:
        super().furnish()
        self.one = self.device("p1")
        self.plan(self.one)
        self.run_now(self.one)

    def test_the_rest_and_its_range_are_told_while_it_reads_and_no_longer(self):
        run = Run.objects.get()
        with mock.patch("server.runs.actions.watch_run.time.monotonic") as monotonic:
            monotonic.return_value = 100.0
            watch = RunWatch(run, lambda: self.outside.at)
            told = []
            for second in range(61):
                monotonic.return_value = 200.0 + second
                photos = KindProgress(
                    items=100, size_bytes=100 * MIB, unchanged=10, to_read_bytes=90 * MIB, read_items=second, read_bytes=second * MIB
                )
                watch.tell(Progress(stage=Stage.READING, kind="photos", kinds={"photos": photos}, stored_bytes=5))
                told.append(dict(run.progress))
            monotonic.return_value += TELL_EVERY_SECONDS / 2
            watch.tell(Progress(stage=Stage.READING, kind="photos", kinds={"photos": photos}, stored_bytes=6))
            self.assertEqual(run.progress["stored_bytes"], 5, "told more often than anybody can read")
            watch.tell(Progress(stage=Stage.CLOSING, kinds={"photos": photos}, stored_bytes=7))
        last = told[-1]
        self.assertEqual(
            (last["read_items"], last["to_read_items"], last["read_bytes"], last["to_read_bytes"]), (60, 90, 60 * MIB, 90 * MIB)
        )
        self.assertEqual((told[0]["remaining_seconds"], told[0]["remaining_least"], told[0]["remaining_most"]), (None, None, None))
        self.assertLess(abs(last["remaining_seconds"] - 30), 6)
        self.assertLess(abs(last["bytes_per_second"] - MIB), MIB / 10)
        self.assertLessEqual(0, last["remaining_least"])
        self.assertLess(last["remaining_least"], last["remaining_seconds"])
        self.assertLess(last["remaining_seconds"], last["remaining_most"])
        ended = run.progress
        self.assertEqual(
            (ended["stage"], ended["remaining_seconds"], ended["remaining_least"], ended["remaining_most"]), ("closing", None, None, None)
        )
