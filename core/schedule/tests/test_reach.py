from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.schedule.reach import too_slow

NOW = datetime(2026, 3, 2, 20, tzinfo=UTC)


class WhatGetsThereInTime(TestCase):
    def test_to_the_second(self):
        for size, limit, left, late in (
            (3600, 1, 3600, False), (3601, 1, 3600, True), (0, 1, 0, False), (1, 1, 0, True), (1, 1, -5, True),
            (10**12, None, 1, False), (10**12, 0, 1, False),
        ):  # fmt: skip
            with self.subTest(size=size, limit=limit, left=left):
                self.assertEqual(bool(too_slow(size, bytes_per_second=limit, now=NOW, until=NOW + timedelta(seconds=left))), late)

    def test_a_run_without_an_end_has_time(self):
        self.assertEqual(too_slow(10**12, bytes_per_second=1, now=NOW, until=None), "")

    def test_it_says_how_much_over_which_line(self):
        said = too_slow(3 * 2**30, bytes_per_second=2**19, now=NOW, until=NOW + timedelta(minutes=40))
        self.assertEqual(said, "3 GiB at 512 KiB a second take 102 minutes, and its window is open for 40 minutes more")
