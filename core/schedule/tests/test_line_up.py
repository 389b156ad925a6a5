import random
from datetime import UTC, datetime, timedelta
from itertools import permutations
from unittest import TestCase

from core.schedule.line_up import LineUpJob, LineUpPlaces, Placed, finish, line_up

EVENING = datetime(2026, 3, 2, 21, 0, tzinfo=UTC)
MORNING = EVENING + timedelta(hours=8)


def job(key: str, seconds: float, *, store: str = "a", late: bool = False, opens: float = 0, closes: float = 8 * 3600) -> LineUpJob:
    at = EVENING + timedelta(seconds=opens)
    return LineUpJob(key=key, expected_seconds=seconds, opens=at, closes=EVENING + timedelta(seconds=closes), store=store, late=late)


def places(readers: int, **writers: int) -> LineUpPlaces:
    return LineUpPlaces(readers=readers, writers=writers)


def length(placed: list[Placed]) -> float:
    end = finish(placed)
    assert end is not None
    return (end - EVENING).total_seconds()


def best(jobs: list[LineUpJob], held: LineUpPlaces) -> float:
    """The shortest finish of any order: every permutation, each run as early as its order allows. Slow and obvious."""
    shortest = float("inf")
    for order in permutations(jobs):
        taken: list[tuple[float, float, str]] = []
        for one in order:
            opens = (one.opens - EVENING).total_seconds()
            starts = sorted({opens, *(end for _, end, _ in taken if end > opens)})
            for start in starts:
                end = start + one.expected_seconds
                edges = [start, *(begin for begin, _, _ in taken if start < begin < end)]
                alike = [(begin, until, store) for begin, until, store in taken]
                reading = max(sum(begin <= at < until for begin, until, _ in alike) for at in edges)
                writing = max(sum(begin <= at < until and store == one.store for begin, until, store in alike) for at in edges)
                if reading < held.readers and writing < held.writers.get(one.store, held.readers):
                    taken.append((start, end, one.store))
                    break
        shortest = min(shortest, max(end for _, end, _ in taken))
    return shortest


class TheFinishIsNearTheBest(TestCase):
    def test_within_grahams_bound_of_the_best_on_small_nights(self):
        # 4/3 - 1/(3m) for independent jobs on m equal machines (Graham 1969); the best one by trying every order
        draw = random.Random(5)
        for _ in range(60):
            m = draw.choice([2, 3])
            jobs = [job(str(n), draw.randint(1, 60)) for n in range(draw.randint(2, 6))]
            whole = length(line_up(jobs, places(m)))
            self.assertLessEqual(whole, best(jobs, places(m)) * (4 / 3 - 1 / (3 * m)) + 0.01)

    def test_grahams_own_worst_case_is_met_exactly(self):
        # two machines, 3 3 2 2 2: LPT ends at 7, the best at 6; 7/6 = 4/3 - 1/6
        jobs = [job(str(n), seconds) for n, seconds in enumerate((3, 3, 2, 2, 2))]
        self.assertAlmostEqual(length(line_up(jobs, places(2))), 7)
        self.assertAlmostEqual(best(jobs, places(2)), 6)

    def test_within_the_bound_of_what_no_night_can_beat_on_large_ones(self):
        draw = random.Random(6)
        jobs = [job(str(n), draw.lognormvariate(4, 1)) for n in range(400)]
        for m in (3, 4, 8):
            lower = max(sum(one.expected_seconds for one in jobs) / m, max(one.expected_seconds for one in jobs))
            self.assertLessEqual(length(line_up(jobs, places(m))), lower * (4 / 3 - 1 / (3 * m)))

    def test_with_limited_writers_it_stays_near_the_best(self):
        draw = random.Random(7)
        for _ in range(25):
            jobs = [job(str(n), draw.randint(5, 60), store=draw.choice("ab")) for n in range(5)]
            held = places(3, a=1, b=2)
            self.assertLessEqual(length(line_up(jobs, held)), best(jobs, held) * 1.5 + 0.01)


class Limits(TestCase):
    def most_at_once(self, placed: list[Placed], keys: set[str]) -> int:
        chosen = [one for one in placed if one.key in keys]
        return max(sum(other.starts <= one.starts < other.ends for other in chosen) for one in chosen)

    def test_no_more_readers_and_writers_than_there_are_places(self):
        draw = random.Random(8)
        jobs = [job(f"{store}{n}", draw.randint(1, 500), store=store, opens=draw.choice([0, 5400])) for n in range(30) for store in "ab"]
        placed = line_up(jobs, places(5, a=2))
        self.assertEqual(len(placed), 60)
        self.assertEqual(self.most_at_once(placed, {one.key for one in jobs}), 5)
        self.assertEqual(self.most_at_once(placed, {one.key for one in jobs if one.store == "a"}), 2)

    def test_nothing_starts_before_its_window_opens(self):
        placed = line_up([job("early", 10), job("late", 500, opens=3600)], places(1))
        self.assertEqual({one.key: (one.starts - EVENING).total_seconds() for one in placed}, {"early": 0, "late": 3600})

    def test_late_devices_come_first_then_the_longest(self):
        placed = line_up([job("short", 10), job("long", 100), job("late", 5, late=True)], places(1))
        self.assertEqual([one.key for one in placed], ["late", "long", "short"])

    def test_what_does_not_fit_is_said_and_takes_nobodys_place(self):
        jobs = [job("huge", 9 * 3600), *(job(str(n), 3600) for n in range(8))]
        placed = {one.key: one for one in line_up(jobs, places(1))}
        self.assertEqual([key for key, one in placed.items() if not one.fits], ["huge"])
        self.assertEqual(placed["huge"].starts, EVENING + timedelta(hours=8))

    def test_a_run_with_an_early_closing_goes_first_when_nothing_else_fits_all(self):
        jobs = [job("long", 3000), job("short", 60, closes=120)]
        self.assertTrue(all(one.fits for one in line_up(jobs, places(1))))

    def test_an_empty_night(self):
        self.assertEqual(line_up([], places(4)), [])
        self.assertIsNone(finish([]))


class WhatDoesNotFitAnyMore(TestCase):
    """It goes all the same, and takes nobody's place who would fit."""

    LOST = ("lost", 9 * 3600)
    SOON = ("soon", 3600)

    def night(self, readers: int, *more: LineUpJob) -> list[tuple[str, float, bool]]:
        jobs = [job(*self.LOST), job(*self.SOON, opens=1800, closes=1800 + 3600), *more]
        return [(one.key, (one.starts - EVENING).total_seconds(), one.fits) for one in line_up(jobs, places(readers))]

    def test_waits_for_one_that_opens_later_when_there_is_one_place(self):
        self.assertEqual(self.night(1), [("soon", 1800, True), ("lost", 5400, False)])

    def test_goes_at_once_when_there_is_room_for_both(self):
        self.assertEqual(self.night(2), [("lost", 0, False), ("soon", 1800, True)])

    def test_what_runs_already_and_all_that_opens_before_its_end_count(self):
        fits = job("now", 7200, closes=7200)
        self.assertEqual(self.night(2, fits), [("now", 0, True), ("soon", 1800, True), ("lost", 5400, False)])
        self.assertEqual(self.night(3, fits), [("lost", 0, False), ("now", 0, True), ("soon", 1800, True)])

    def test_what_opens_after_its_end_does_not(self):
        late = job("late", 60, opens=9 * 3600, closes=9 * 3600 + 600)
        jobs = [job("lost", 8.5 * 3600, closes=8 * 3600), late]
        entries = [(one.key, (one.starts - EVENING).total_seconds()) for one in line_up(jobs, places(1))]
        self.assertEqual(entries, [("lost", 0), ("late", 9 * 3600)])
