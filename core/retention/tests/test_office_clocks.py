"""Instants by the clocks of an office, against `datetime` and `zoneinfo` of the standard library, one at a time."""

import random
from datetime import UTC, date, datetime, timedelta
from unittest import TestCase
from zoneinfo import ZoneInfo

import numpy as np

from core.retention import calendar as clocks
from core.retention.rule import Period, Unit

ZONES = ("Europe/Berlin", "America/St_Johns", "Australia/Lord_Howe", "Asia/Kathmandu", "Pacific/Apia", "UTC")
"""Changes of an hour, of half an hour, none, and a day that was left out."""


def instants(zone: ZoneInfo) -> list[int]:
    """By chance over eighty years, and each second beside a change of the clocks in some of them."""
    draw = random.Random(7)
    found = [draw.randrange(-300_000_000, 2_200_000_000) for _ in range(300)]
    ahead = lambda at: at_of(at, zone).utcoffset()  # noqa: E731
    for year in (1999, 2011, 2026):
        begin = int(datetime(year, 1, 1, tzinfo=UTC).timestamp())
        for day in (day for day in range(begin, begin + 366 * 86_400, 86_400) if ahead(day) != ahead(day + 86_400)):
            change = next(at for at in range(day, day + 86_401, 1800) if ahead(at) != ahead(day))
            found += [change - 1801, change - 1, change, change + 1]
    return found


def at_of(seconds: int, zone: ZoneInfo) -> datetime:
    return datetime.fromtimestamp(seconds, UTC).astimezone(zone)


class Clocks(TestCase):
    def test_offsets_days_weeks_months_and_years_are_those_of_the_library(self):
        for name in ZONES:
            zone = ZoneInfo(name)
            at = instants(zone)
            local = [at_of(seconds, zone) for seconds in at]
            seen = np.array(at, dtype=np.int64)
            ahead = clocks.offsets(seen, zone)
            self.assertEqual(ahead.tolist(), [int(one.utcoffset().total_seconds()) for one in local], name)
            self.assertEqual([clocks.day_of(number) for number in clocks.day_numbers(seen, ahead).tolist()], [one.date() for one in local])
            for of, told in (
                (clocks.weeks, lambda one: one.isocalendar()[:2]), (clocks.months, lambda one: (one.year, one.month)),
                (clocks.years, lambda one: one.year), (clocks.hours, lambda one: (one.utcoffset(), one.date(), one.hour)),
            ):  # fmt: skip
                numbers, names = of(seen, ahead).tolist(), [told(one) for one in local]
                self.assertEqual(len(set(numbers)), len(set(names)))
                self.assertEqual(len(set(zip(numbers, names, strict=True))), len(set(names)), "one number for one name")

    def test_hours_come_in_their_order_and_one_that_comes_twice_is_two(self):
        zone, begin = ZoneInfo("Europe/Berlin"), int(datetime(2026, 10, 24, 22, tzinfo=UTC).timestamp())
        seen = np.arange(begin, begin + 25 * 3600, 3600)
        numbers = clocks.hours(seen, clocks.offsets(seen, zone))
        self.assertEqual(len(set(numbers.tolist())), 25, "the day on which the clocks go back")

    def test_a_day_begins_at_its_first_midnight(self):
        for name in ZONES:
            zone = ZoneInfo(name)
            for day in (date(2026, 3, 29), date(2026, 10, 25), date(1999, 12, 31)):
                self.assertEqual(at_of(clocks.midnight(day, zone), zone).replace(tzinfo=None), datetime(day.year, day.month, day.day))
        self.assertLess(clocks.midnight(date.max - timedelta(days=2), ZoneInfo("UTC")), clocks.NEVER)
        for day in (date.max, date.max - timedelta(days=1)):
            self.assertEqual(clocks.midnight(day, ZoneInfo("UTC")), clocks.NEVER)

    def test_a_period_is_over_at_a_midnight(self):
        zone = ZoneInfo("Europe/Berlin")
        at = [datetime(2026, 3, 28, hour, tzinfo=UTC) for hour in (0, 12, 23)]
        seen = np.array([clocks.seconds_of(one) for one in at], dtype=np.int64)
        ends = clocks.passed_at(seen, clocks.offsets(seen, zone), Period(count=1, unit=Unit.DAYS), zone)
        told = [Period(count=1, unit=Unit.DAYS).passed_on(one.astimezone(zone).date()) for one in at]
        self.assertEqual([at_of(end, zone).replace(tzinfo=None) for end in ends.tolist()], [datetime(d.year, d.month, d.day) for d in told])

    def test_seconds_there_and_back(self):
        for told, seconds in (
            (datetime(1970, 1, 1, tzinfo=UTC), 0), (datetime(1969, 12, 31, 23, 59, 59, 500_000, tzinfo=UTC), -1),
            (datetime(1970, 1, 1, 1, 0, 0, 999_999, tzinfo=ZoneInfo("Europe/Berlin")), 0),
        ):  # fmt: skip
            self.assertEqual(clocks.seconds_of(told), seconds)
            self.assertEqual(clocks.instant_of(seconds), told.replace(microsecond=0) if seconds >= 0 else datetime.fromtimestamp(-1, UTC))
        with self.assertRaises(ValueError):
            clocks.seconds_of(datetime(2026, 1, 1))

    def test_of_nothing_and_at_the_ends_of_the_calendar(self):
        zone = ZoneInfo("Europe/Berlin")
        self.assertEqual(clocks.offsets(np.zeros(0, dtype=np.int64), zone).tolist(), [])
        for year in (3, 9998):
            end = clocks.seconds_of(datetime(year, 6, 1, tzinfo=UTC))
            ahead = clocks.offsets(np.array([end], dtype=np.int64), zone).tolist()
            self.assertEqual(ahead, [int(at_of(end, zone).utcoffset().total_seconds())])

    def test_weeks_are_written_as_iso_8601_does(self):
        # ISO 8601 week 53 of 2020 runs from 28 December 2020 to 3 January 2021
        self.assertEqual([clocks.iso_week(date(2021, 1, day)) for day in (3, 4)], ["2020-W53", "2021-W01"])
