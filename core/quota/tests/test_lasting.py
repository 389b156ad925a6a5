"""How long something lasts: days, ranges and words, from what was measured."""

from datetime import date, timedelta
from unittest import TestCase

from core.quota.lasting import is_soon, lasting

FIRST = date(2026, 3, 1)


def measured(count: int, held: list[int] | None = None, *, step: int = 10, begin: int = 1000) -> tuple[list[date], list[int]]:
    return [FIRST + timedelta(days=n) for n in range(count)], held or [begin + n * step for n in range(count)]


class Lasts(TestCase):
    def test_until_the_pace_of_before_has_filled_it(self):
        days, held = measured(40)
        lasts = lasting(days, held, held[-1] + 200, today=days[-1])
        self.assertEqual((lasts.days, lasts.earliest, lasts.latest, lasts.pace_bytes, lasts.measured_days), (20, 20, 20, 300, 40))
        self.assertEqual(
            (lasts.full_on, lasts.says, lasts.short),
            (days[-1] + timedelta(days=20), "Full in 20 days (20 to 20).", "full in 20 days (20 to 20)"),
        )

    def test_days_since_it_was_measured_have_passed_and_the_last_one_is_never_nothing(self):
        days, held = measured(40)
        for behind, left in ((0, 20), (5, 15), (19, 1), (60, 1)):
            lasts = lasting(days, held, held[-1] + 200, today=days[-1] + timedelta(days=behind))
            self.assertEqual((lasts.days, lasts.full_on), (left, days[-1] + timedelta(days=behind + left)))
        self.assertEqual(lasting(days, held, held[-1] + 10, today=days[-1]).says, "Full in 1 day (1 to 1).")

    def test_what_is_full_is_full_however_little_is_known(self):
        for count in (1, 3, 40):
            days, held = measured(count)
            for limit in (held[-1], held[-1] - 1):
                lasts = lasting(days, held, limit, today=days[-1])
                self.assertEqual(
                    (lasts.days, lasts.earliest, lasts.latest, lasts.full_on, lasts.says, lasts.short),
                    (0, 0, 0, None, "It is full.", "full"),
                )
        self.assertEqual(lasting(*measured(40), 1, today=FIRST).pace_bytes, 300, "its pace is still told")

    def test_of_little_it_says_how_little(self):
        for count, words in ((0, "0 days"), (1, "1 day"), (3, "3 days")):
            days, held = measured(count)
            lasts = lasting(days, held if count else [], 10**9, today=FIRST)
            self.assertEqual(
                (lasts.days, lasts.pace_bytes, lasts.says, lasts.short),
                (None, None, f"Too little is known yet: it was measured on {words}.", "not known yet"),
            )

    def test_what_does_not_grow_and_what_grows_for_years(self):
        days, _ = measured(40)
        still = lasting(days, [500] * 40, 1000, today=days[-1])
        self.assertEqual((still.days, still.says, still.short, still.full_on), (None, "It does not grow.", "does not grow", None))
        days, held = measured(40)
        slow = lasting(days, held, 10**9, today=days[-1])
        self.assertEqual((slow.days, slow.says, slow.short), (None, "It lasts for more than a year.", "more than a year"))

    def test_soon_is_three_weeks_or_perhaps_one(self):
        for days, earliest, soon in (
            (21, 21, True),
            (22, 22, False),
            (22, 7, True),
            (22, 8, False),
            (None, 7, True),
            (None, 8, False),
            (None, None, False),
        ):
            self.assertEqual(is_soon(days, earliest), soon, (days, earliest))
