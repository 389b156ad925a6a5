"""Allowances at their bounds: which are possible, when one is over, overdue or full, and since when; copies that just fit."""

from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.errors import BadInput
from core.quota.admission import DoesNotFit, Room, admit_copy
from core.quota.allowances import MOST_BYTES, MOST_GRACE_DAYS, AllowanceStanding, Limits

NOW = datetime(2026, 3, 2, tzinfo=UTC)
WEEK = timedelta(days=7)


class Allowances(TestCase):
    def test_which_limits_are_possible(self):
        for soft, hard, grace, field in (
            (None, 1, 0, None), (1, None, MOST_GRACE_DAYS, None), (5, 5, 0, None), (MOST_BYTES, MOST_BYTES, 0, None),
            (None, None, 0, "hard_bytes"), (0, 5, 0, "soft_bytes"), (-1, None, 0, "soft_bytes"), (MOST_BYTES + 1, None, 0, "soft_bytes"),
            (None, 0, 0, "hard_bytes"), (1, MOST_BYTES + 1, 0, "hard_bytes"), (6, 5, 0, "soft_bytes"),
            (1, None, -1, "grace_days"), (1, None, MOST_GRACE_DAYS + 1, "grace_days"),
        ):  # fmt: skip
            limits = Limits(soft_bytes=soft, hard_bytes=hard, grace_days=grace)
            if field is None:
                limits.check()
                continue
            with self.assertRaises(BadInput, msg=limits) as caught:
                limits.check()
            self.assertEqual(caught.exception.field, field, limits)

    def test_where_it_stands(self):
        limits = Limits(soft_bytes=10, hard_bytes=20, grace_days=7)
        for soft_held, hard_held, since, standing in (
            (10, 19, None, AllowanceStanding.WITHIN), (11, 19, None, AllowanceStanding.OVER), (0, 20, None, AllowanceStanding.FULL),
            (11, 0, NOW - WEEK + timedelta(seconds=1), AllowanceStanding.OVER), (11, 0, NOW - WEEK, AllowanceStanding.OVERDUE),
            (11, 21, NOW - WEEK, AllowanceStanding.FULL),
        ):  # fmt: skip
            self.assertIs(limits.standing(soft_held=soft_held, hard_held=hard_held, over_since=since, now=NOW), standing)
        only_soft, only_hard = Limits(soft_bytes=10, hard_bytes=None, grace_days=0), Limits(soft_bytes=None, hard_bytes=20, grace_days=0)
        for limits, standing in ((only_soft, AllowanceStanding.OVERDUE), (only_hard, AllowanceStanding.WITHIN)):
            self.assertIs(limits.standing(soft_held=1000, hard_held=19, over_since=None, now=NOW), standing)

    def test_since_when_it_is_over(self):
        limits, before = Limits(soft_bytes=10, hard_bytes=None, grace_days=7), NOW - WEEK
        self.assertIsNone(limits.over_since(10, before, now=NOW))
        self.assertIsNone(Limits(soft_bytes=None, hard_bytes=1, grace_days=7).over_since(1000, before, now=NOW))
        for told, since in ((None, NOW), (before, before), (NOW, NOW), (NOW + WEEK, NOW)):
            self.assertEqual(limits.over_since(11, told, now=NOW), since)


class Copies(TestCase):
    def test_one_that_just_fits_and_one_that_is_a_byte_too_large(self):
        room = Room(name="Shelf", allowance_bytes=100, stored_bytes=50, free_bytes=None, reserve_bytes=10)
        endless = Room(name="Cloud", allowance_bytes=None, stored_bytes=50, free_bytes=None, reserve_bytes=10)
        admit_copy(40, [endless, room])
        with self.assertRaises(DoesNotFit) as caught:
            admit_copy(41, [endless, room])
        self.assertEqual(caught.exception.message, "Shelf has 50 bytes left; this copy needs 41 bytes. Nothing of it was copied.")
        full = Room(name="Shelf", allowance_bytes=50, stored_bytes=60, free_bytes=None, reserve_bytes=10)
        admit_copy(0, [full])
