"""The simulated year does what it says: the same each time, troubles included, and worse where it ought to be worse."""

from unittest import TestCase, mock

from bench import life, year
from bench.rest import rests


class TheYear(TestCase):
    def test_the_same_seed_makes_the_same_year(self):
        one, two = (year.year(30, days=6, lined_up=True, odd=True) for _ in range(2))
        self.assertEqual((one.kept, one.owed, one.came, one.finishes), (two.kept, two.owed, two.came, two.finishes))

    def test_every_run_comes_or_is_missed(self):
        figures = year.year(40, days=5, lined_up=True, odd=False)
        self.assertEqual(figures.runs, figures.came + figures.missed)
        self.assertGreater(figures.missed, 0)

    def test_an_office_without_troubles_keeps_every_promise(self):
        calm = {"AWAY_BEGINS": 0, "ABSENT": 0, "LOCKED": 0, "CUT": 0, "BIG_NIGHT": 0}
        with mock.patch.multiple(life, **calm):
            figures = year.year(30, days=5, lined_up=True, odd=False)
        self.assertEqual((figures.kept, figures.missed), (figures.owed, 0))

    def test_with_too_few_places_runs_are_missed_and_that_is_said_in_the_afternoons(self):
        with mock.patch.object(year, "READERS", 1), mock.patch.object(life, "HEAVY", 0.5):
            figures = year.year(60, days=4, lined_up=True, odd=False)
        self.assertGreater(figures.no_place, 20)
        self.assertGreater(figures.said_beforehand, 20)

    def test_what_is_spoilt_on_purpose_is_found(self):
        with mock.patch.object(year, "INJECTED_EVERY", 20):
            figures = year.year(30, days=30, lined_up=True, odd=True)
        self.assertGreater(figures.injected, 10)
        self.assertGreaterEqual(figures.found, 0.9 * figures.injected)


class TheRest(TestCase):
    def test_counting_bytes_only_is_worse(self):
        figures = rests(40)
        self.assertEqual(figures.runs, 40)
        self.assertGreater(figures.within, figures.within_naive)
