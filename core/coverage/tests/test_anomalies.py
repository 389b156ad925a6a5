import itertools
import math
import random
import statistics
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import median_abs_deviation

from core.coverage.anomalies import Odd, Taken, TakenKind, anomalies
from core.coverage.robust import scale, score

DAY = datetime(2026, 3, 1, 22, tzinfo=UTC)


def taken(days_ago: int, *, photos: int, size: int | None = None, changed: int = 0, new: int = 3, **more: object) -> Taken:
    kinds = {
        "photos": TakenKind(items=photos, size_bytes=photos * 2_000_000 if size is None else size, changed=changed),
        "contacts": TakenKind(items=140, size_bytes=40_000),
    }
    return Taken(id=f"b{days_ago}", at=DAY - timedelta(days=days_ago), kinds=kinds, new_items=new, **more)  # type: ignore[arg-type]


def habit(count: int = 30) -> list[Taken]:
    """Grows by some photos each day, newest first."""
    draw = random.Random(2)
    total, line = 400, []
    for day in range(count, 0, -1):
        total += draw.randint(0, 9)
        line.append(taken(day, photos=total, changed=draw.randint(0, 2)))
    return line[::-1]


class OfASingleBackup(TestCase):
    def found(self, one: Taken, history: list[Taken] | None = None, **more: bool) -> list[tuple[Odd, str]]:
        return [(entry.code, entry.kind) for entry in anomalies(one, habit() if history is None else history, **more)]

    def test_an_ordinary_day_is_not_odd(self):
        self.assertEqual(self.found(taken(0, photos=habit()[0].kinds["photos"].items + 5)), [])

    def test_half_of_the_photos_gone(self):
        self.assertEqual(self.found(taken(0, photos=250)), [(Odd.SHRUNK, "photos")])

    def test_a_week_of_holiday_photos_is_not_odd_but_twice_as_many_are(self):
        before = habit()[0].kinds["photos"].items
        self.assertEqual(self.found(taken(0, photos=before + 150)), [])
        self.assertEqual(self.found(taken(0, photos=before * 3)), [(Odd.GROWN, "photos")])

    def test_the_score_that_is_told_is_that_of_the_formula(self):
        """(ln of the growth - median step) / max(MAD / 0.6745, 0.02), by scipy; one more on both sides, so that nothing is no growth."""
        history = habit()
        for photos in (250, history[0].kinds["photos"].items * 3):
            (detected,) = anomalies(taken(0, photos=photos), history)
            counts = [one.kinds["photos"].items + 1 for one in history]
            steps = [math.log(newer / older) for newer, older in itertools.pairwise(counts)]
            spread = max(median_abs_deviation(steps, scale="normal"), 0.02)
            self.assertEqual(detected.numbers["score"], round((math.log((photos + 1) / counts[0]) - statistics.median(steps)) / spread, 1))
        few = [taken(day, photos=11, size=0) for day in range(1, 12)]
        (detected,) = anomalies(taken(0, photos=1, size=0), few)
        self.assertEqual(
            (detected.code, detected.numbers), (Odd.SHRUNK, {"before": 11, "after": 1, "score": round(math.log(2 / 12) / 0.02, 1)})
        )

    def test_a_kind_that_vanished_is_told_with_the_moment_to_compare_with(self):
        one = taken(0, photos=0)
        detected = anomalies(one, habit())[0]
        self.assertEqual((detected.code, detected.kind, detected.before), (Odd.VANISHED, "photos", "b1"))
        self.assertEqual(detected.numbers["after"], 0)

    def test_a_handful_that_vanished_is_nobodys_concern_nor_a_kind_without_a_past(self):
        few = [taken(day, photos=2) for day in range(1, 12)]
        self.assertEqual(self.found(taken(0, photos=0), few), [])
        new = [taken(day, photos=400) if day < 7 else replace(taken(day, photos=0), kinds={}) for day in range(1, 20)]
        self.assertEqual(self.found(taken(0, photos=40), new), [])
        known = [taken(day, photos=400 + day % 2) if day < 8 else replace(taken(day, photos=0), kinds={}) for day in range(1, 20)]
        self.assertEqual(self.found(taken(0, photos=40), known), [(Odd.SHRUNK, "photos")])

    def test_it_has_to_be_both_much_and_unusual(self):
        """A tenth less where nothing ever changes is unusual and little; a third of it, where that comes and goes, is much and usual."""
        steady, wavering = ([taken(day, photos=high if day % 2 else low) for day in range(1, 20)] for high, low in ((400, 400), (400, 130)))
        self.assertEqual([self.found(taken(0, photos=count), steady) for count in (360, 440)], [[], []])
        self.assertEqual([self.found(taken(0, photos=count), wavering) for count in (130, 1000)], [[], []])
        self.assertEqual(
            [self.found(taken(0, photos=count), steady) for count in (130, 1200)], [[(Odd.SHRUNK, "photos")], [(Odd.GROWN, "photos")]]
        )

    def test_many_items_rewritten_at_once(self):
        before = habit()[0].kinds["photos"].items
        self.assertEqual(self.found(taken(0, photos=before, changed=before - 20)), [(Odd.MANY_CHANGED, "photos")])

    def test_a_device_that_always_rewrites_everything_is_left_alone(self):
        always = [taken(day, photos=400, changed=390) for day in range(1, 20)]
        self.assertEqual(self.found(taken(0, photos=400, changed=395), always), [])

    def test_nothing_new_for_long_on_a_device_in_use(self):
        history = [taken(day, photos=500, new=0) for day in range(1, 8)] + [taken(day, photos=500, new=3) for day in range(8, 29)]
        self.assertEqual(self.found(taken(0, photos=500, new=0), history), [(Odd.NOTHING_NEW, "")])
        self.assertEqual(self.found(taken(0, photos=500, new=0), history, in_use=False), [])

    def test_whoever_is_often_quiet_for_a_week_is_left_alone(self):
        history = [taken(day, photos=500, new=3 if day % 7 == 0 else 0) for day in range(1, 40)]
        self.assertEqual(self.found(taken(0, photos=500, new=0), history), [])

    def test_a_clock_that_is_off_and_encryption_that_was_switched_off(self):
        self.assertEqual(self.found(taken(0, photos=520, clock_off_seconds=-900.0)), [(Odd.CLOCK_OFF, "")])
        before = [taken(1, photos=515, encrypted=True), *habit()[1:]]
        self.assertEqual(self.found(taken(0, photos=520, encrypted=False), before), [(Odd.NOT_ENCRYPTED, "")])
        self.assertEqual(self.found(taken(0, photos=520, encrypted=False)), [])  # nobody knows how it was before

    def test_with_little_history_sizes_are_not_judged(self):
        self.assertEqual(self.found(taken(0, photos=20), habit(3)), [])

    def test_the_very_first_backup(self):
        self.assertEqual(self.found(taken(0, photos=20), []), [])


class AgainstScipy(TestCase):
    @given(st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=40))
    def test_the_scale_is_scipys_normalised_median_absolute_deviation(self, values):
        # scipy.stats.median_abs_deviation(scale="normal") divides by 0.67449
        self.assertAlmostEqual(scale(values), median_abs_deviation(values, scale="normal"), delta=1e-6 * (1 + abs(scale(values))))

    def test_one_wild_value_does_not_hide_the_next(self):
        self.assertGreater(score(50, [1, 2, 1, 2, 1, 2, 900], least_scale=0.1), 8)
