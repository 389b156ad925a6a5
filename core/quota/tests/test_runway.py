"""Runways: slopes against SciPy, forecasts against series that statsmodels brings along and that know nothing of stores."""

import csv
import random
from pathlib import Path
from statistics import median
from unittest import TestCase

import numpy as np
import statsmodels
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import theilslopes

from core.quota.runway import Runway, TooLittle, Trend, runway, theil_sen, trend, without_jumps

MIB = 1 << 20
SERIES = Path(statsmodels.__file__).parent / "datasets"
GROWING = ("realgdp", "realcons", "realinv", "realgovt", "realdpi", "cpi", "m1", "pop")
FLOWS = (("sunspots", "SUNACTIVITY"), ("nile", "volume"), ("macrodata", "unemp"), ("macrodata", "infl"), ("macrodata", "tbilrate"))


def column(name: str, of: str) -> np.ndarray:
    with (SERIES / name / f"{name}.csv").open() as file:
        return np.array([float(row[of]) for row in csv.DictReader(file) if row[of]])


def open_series() -> dict[str, np.ndarray]:
    """What has grown, and what flowed, added up: as backups flow into a store. Scaled to bytes."""
    fields = {name: column("macrodata", name) for name in GROWING} | {"co2": column("co2", "co2")}
    fields |= {f"sum of {of}": np.cumsum(np.abs(column(name, of))) for name, of in FLOWS}
    with (SERIES / "elnino" / "elnino.csv").open() as file:
        fields["sum of elnino"] = np.cumsum([float(month) for year in list(csv.reader(file))[1:] for month in year[1:] if month])
    return {name: np.round(values / np.abs(values).max() * 1e9) for name, values in fields.items()}


def straight(days: int = 70, pace: int = 10 * MIB, begin: int = 1 << 30) -> list[int]:
    return [begin + pace * day for day in range(days)]


def of(held: list[int], limit: int = 4 << 30) -> Runway:
    forecast = runway(range(len(held)), held, limit)
    assert isinstance(forecast, Runway), forecast
    return forecast


class Slopes(TestCase):
    @given(
        st.lists(st.tuples(st.integers(0, 400), st.integers(0, 10**12)), min_size=3, max_size=40, unique_by=lambda one: one[0]),
        st.sampled_from([0.5, 0.9, 0.95]),
    )
    def test_are_those_of_scipy_with_its_interval(self, points, sure):
        at, values = (np.array(one, dtype=np.float64) for one in zip(*sorted(points), strict=True))
        theirs = theilslopes(values, at, alpha=sure)
        for ours, other in zip(theil_sen(at, values, sure), theirs[:1] + theirs[2:], strict=True):
            self.assertAlmostEqual(ours, float(other), delta=abs(float(other)) * 1e-9 + 1e-9)

    def test_what_stood_still_for_many_days_narrows_the_interval_as_scipy_has_it(self):
        for still in (8, 15, 25):
            at = np.arange(60, dtype=np.float64)
            values = np.array(
                [(day // still) * 1000 + (day % 7) ** 3 if day % 3 else (day // still) * 1000 for day in range(60)], dtype=np.float64
            )
            for sure in (0.5, 0.8, 0.9, 0.95, 0.99):
                theirs = theilslopes(values, at, alpha=sure)
                self.assertEqual(theil_sen(at, values, sure), tuple(map(float, theirs[:1] + theirs[2:])), (still, sure))


class DaysWithoutAMeasure(TestCase):
    """A step over a week weighs as its days do."""

    def test_a_week_that_was_not_measured_is_no_jump(self):
        at = np.array([*range(30), *range(60, 90)], dtype=np.float64)
        values = 1e9 + at * 10 * MIB
        self.assertEqual(without_jumps(at, values).tolist(), values.tolist())

    def test_what_jumped_in_a_day_is_one_also_beside_such_weeks(self):
        at = np.array([*range(0, 90, 3), *range(91, 100)], dtype=np.float64)
        even = 1e9 + at * 10 * MIB
        values = even + np.where(at >= 95, 5e9, 0)
        lifted = without_jumps(at, values)
        self.assertTrue(np.allclose(np.diff(lifted) / np.diff(at), 10 * MIB))
        self.assertEqual(lifted[-1], values[-1], "what lies there today is not changed")


class OnOpenSeries(TestCase):
    """`back-tested`: at many days, with what was known then, against the line through the first and the last point of the stretch."""

    def tried(self, stretch: int, ahead: int) -> tuple[dict[str, float], list[bool]]:
        ratios, held = {}, list[bool]()
        for name, values in open_series().items():
            ours, naive = list[float](), list[float]()
            for at in range(stretch, len(values) - ahead, max(1, ahead // 3)):
                known = values[at - stretch : at]
                grown = float(values[at - 1 + ahead] - known[-1])
                line = trend(range(stretch), known.astype(int).tolist())
                assert isinstance(line, Trend)
                ours.append(abs(line.pace * ahead - grown))
                naive.append(abs(float(known[-1] - known[0]) / (stretch - 1) * ahead - grown))
                held.append(line.low * ahead <= grown <= line.high * ahead)
            if ours:
                ratios[name] = sum(ours) / sum(naive)
        return ratios, held

    def test_the_pace_is_nearer_than_the_line_and_on_none_far_worse(self):
        for stretch, ahead in ((70, 30), (70, 14), (40, 15), (28, 14)):
            ratios, _ = self.tried(stretch, ahead)
            self.assertGreater(len(ratios), 10)
            self.assertLess(median(ratios.values()), 1.0, ratios)
            self.assertLess(max(ratios.values()), 1.1, ratios)

    def test_ranges_hold_in_nine_of_ten(self):
        every = [held for stretch, ahead in ((70, 30), (70, 14), (40, 15), (28, 14), (70, 60)) for held in self.tried(stretch, ahead)[1]]
        self.assertGreater(len(every), 1000)
        self.assertGreaterEqual(sum(every) / len(every), 0.9)


class ARunway(TestCase):
    def test_a_straight_line_is_followed_to_its_end(self):
        forecast = of(straight(), limit=straight()[-1] + 180 * MIB)
        self.assertEqual((forecast.days, forecast.earliest, forecast.latest, forecast.trend.grows), (18.0, 18.0, 18.0, True))

    def test_it_is_told_with_a_range_that_holds_the_expected(self):
        source = random.Random(4)
        held = [1 << 30]
        for _ in range(69):
            held.append(held[-1] + source.randrange(0, 20 * MIB))
        forecast = of(held, limit=held[-1] + 200 * MIB)
        assert forecast.earliest is not None and forecast.days is not None and forecast.latest is not None
        self.assertTrue(forecast.earliest < forecast.days < forecast.latest)
        self.assertTrue(14 < forecast.days < 28, forecast.days)

    def test_one_import_is_no_pace(self):
        plain = of(straight())
        jumped = straight()
        for day in range(50, 70):
            jumped[day] += 1 << 30
        forecast = of(jumped)
        self.assertAlmostEqual(forecast.trend.pace, plain.trend.pace, delta=plain.trend.pace / 100)
        assert forecast.days is not None and plain.days is not None
        self.assertLess(forecast.days, plain.days, "what it brought along takes room all the same")

    def test_one_great_removal_is_no_pace_either(self):
        dropped = straight()
        for day in range(60, 70):
            dropped[day] -= 500 * MIB
        self.assertAlmostEqual(of(dropped).trend.pace, 10 * MIB, delta=MIB / 10)

    def test_what_jumps_every_week_is_how_it_grows(self):
        weekly = [(1 << 30) + 700 * MIB * (day // 7) for day in range(70)]
        self.assertAlmostEqual(of(weekly, limit=1 << 40).trend.pace, 100 * MIB, delta=12 * MIB)

    def test_a_month_of_holidays_widens_the_range(self):
        held = [1 << 30]
        for day in range(69):
            held.append(held[-1] + (40 * MIB if 20 <= day < 48 else 5 * MIB))
        forecast = of(held, limit=held[-1] + 1000 * MIB)
        after = 1000 / 5
        assert forecast.earliest is not None
        self.assertTrue(forecast.latest is None or forecast.latest > after)
        self.assertLess(forecast.earliest, 1000 / 40 * 1.5)

    def test_what_does_not_grow_is_never_full(self):
        for held in ([1 << 30] * 70, straight(pace=-MIB)):
            forecast = of(held)
            self.assertEqual((forecast.days, forecast.earliest, forecast.trend.grows), (None, None, False))

    def test_what_is_full_is_full_now(self):
        forecast = of(straight(), limit=1 << 20)
        self.assertEqual((forecast.days, forecast.earliest, forecast.latest), (0.0, 0.0, 0.0))

    def test_beyond_a_year_nothing_is_told(self):
        self.assertIsNone(of(straight(pace=1)).days)

    def test_too_little_is_said_and_not_guessed(self):
        self.assertEqual(runway([], [], 100), TooLittle(measured=0, over_days=0.0))
        self.assertEqual(runway([1.0], [5], 100), TooLittle(measured=1, over_days=0.0))
        self.assertEqual(runway(range(9), range(9), 100), TooLittle(measured=9, over_days=8.0))
        self.assertEqual(runway([0, 40, 80], [1, 2, 3], 100), TooLittle(measured=2, over_days=40.0))

    def test_only_the_last_ten_weeks_count(self):
        old = [5 << 30] * 100 + straight()
        self.assertAlmostEqual(of(old).trend.pace, 10 * MIB, delta=1)

    def test_days_that_were_not_measured_are_missed_and_no_jump(self):
        days = [day for day in range(70) if not 30 <= day < 45]
        line = trend(days, [straight()[day] for day in days])
        assert isinstance(line, Trend)
        self.assertAlmostEqual(line.pace, 10 * MIB, delta=1)

    def test_a_jump_is_lifted_out_and_the_last_day_stays_what_it_is(self):
        at = np.arange(20.0)
        values = at.copy() * 1000
        values[10:] += 1e6
        self.assertTrue(np.allclose(without_jumps(at, values), at * 1000 + 1e6))
