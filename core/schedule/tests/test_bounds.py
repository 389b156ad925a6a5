"""Small rules of the schedule, whole: each sentence, and each bound on both sides."""

from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from unittest import TestCase
from zoneinfo import ZoneInfo

from core.content.link import DeviceReport
from core.errors import BadInput
from core.schedule.conditions import Conditions, unmet
from core.schedule.duration import Basis, Expected, Ran, expected, office_speed
from core.schedule.guessing import counted, still_waits, wait_after
from core.schedule.nights import busy, coming_night
from core.schedule.pattern import Pattern, PatternShape, pattern_of, rule_of, sentence
from core.schedule.quiet import not_before

NOW = datetime(2026, 3, 2, 7, tzinfo=UTC)
BERLIN = ZoneInfo("Europe/Berlin")


def seconds(count: float) -> timedelta:
    return timedelta(seconds=count)


class Guessing(TestCase):
    def test_the_fourth_wrong_one_costs_a_second_and_the_tenth_a_minute(self):
        self.assertEqual([wait_after(wrong).total_seconds() for wrong in range(11)], [0, 0, 0, 1, 2, 4, 8, 16, 32, 60, 60])
        self.assertEqual(wait_after(10**9), seconds(60))

    def test_what_is_left_of_it_and_what_an_hour_forgets(self):
        for ago, left in ((0, 4), (3, 1), (4, 0), (5, 0), (3599, 0), (-1, 0)):
            self.assertEqual(still_waits(5, NOW - seconds(ago), NOW), seconds(left), ago)
        self.assertEqual(counted(5, NOW - seconds(3599), NOW), 6)
        self.assertEqual(counted(5, NOW, NOW), 6)
        for last in (None, NOW - seconds(3600), NOW + seconds(1)):
            self.assertEqual(counted(5, last, NOW), 1, last)


class WhatAPlanWants(TestCase):
    ALL = Conditions(on_power=True, on_office_wireless=True, battery_percent=40, not_in_use_minutes=30)
    GOOD = DeviceReport(
        make="",
        model="",
        family="orlo",
        os_version="",
        on_power=True,
        network="office",
        battery_percent=90,
        last_used_at=NOW - timedelta(hours=9),
    )

    def test_each_is_said_with_what_ends_it(self):
        power = "Put it on power: the run begins by itself then."
        for change, says, remedy in (
            ({"on_power": False}, "It runs on its battery; its plan wants it on power.", power),
            (
                {"network": "elsewhere"},
                "It is on another network; its plan wants it on the office wireless.",
                "Bring it into the office: the run begins then.",
            ),
            ({"last_used_at": NOW}, "It is in use.", "Leave it alone for 30 minutes; the run begins then."),
        ):
            error = unmet(self.ALL, replace(self.GOOD, **change), now=NOW)
            assert error is not None
            self.assertEqual((error.message, error.remedy), (says, remedy))
        low = unmet(replace(self.ALL, on_power=False), replace(self.GOOD, on_power=False, battery_percent=39), now=NOW)
        assert low is not None
        self.assertEqual((low.message, low.remedy), ("Its battery is at 39 %; its plan wants 40 %.", power))

    def test_its_bounds_are_met(self):
        battery, idle = Conditions(battery_percent=40), Conditions(not_in_use_minutes=30)
        self.assertIsNone(unmet(battery, replace(self.GOOD, on_power=False, battery_percent=40), now=NOW))
        self.assertIsNone(unmet(battery, replace(self.GOOD, on_power=True, battery_percent=3), now=NOW))
        self.assertIsNotNone(unmet(battery, replace(self.GOOD, on_power=None, battery_percent=3), now=NOW))
        self.assertIsNone(unmet(idle, replace(self.GOOD, last_used_at=NOW - timedelta(minutes=30)), now=NOW))
        self.assertIsNotNone(unmet(idle, replace(self.GOOD, last_used_at=NOW - timedelta(minutes=30) + seconds(1)), now=NOW))
        self.assertIsNone(
            unmet(Conditions(), replace(self.GOOD, on_power=False, network="elsewhere", battery_percent=0, last_used_at=NOW), now=NOW)
        )
        nothing = DeviceReport(make="", model="", family="orlo", os_version="")
        self.assertIsNone(unmet(self.ALL, nothing, now=NOW))

    def test_what_no_plan_can_want_is_refused(self):
        for right in (0, 100):
            Conditions(battery_percent=right)
        for right in (0, 600):
            Conditions(not_in_use_minutes=right)
        for field, value, named in (("battery_percent", -1, "needs_battery_percent"), ("battery_percent", 101, "needs_battery_percent"),
                                    ("not_in_use_minutes", -1, "not_in_use_minutes"), ("not_in_use_minutes", 601, "not_in_use_minutes")):  # fmt: skip
            with self.assertRaises(BadInput) as caught:
                Conditions(**{field: value})  # type: ignore[arg-type]
            self.assertEqual(caught.exception.field, named)


class HowLong(TestCase):
    def test_the_speed_of_an_office_is_the_median_of_its_larger_runs(self):
        self.assertEqual(office_speed([]), 4_000_000.0)
        runs = [Ran(seconds=18, read_bytes=20_000_000), Ran(seconds=28, read_bytes=20_000_000), Ran(seconds=108, read_bytes=1_000_100)]
        self.assertEqual(office_speed(runs), 1_000_000.0)
        for small in (Ran(seconds=100, read_bytes=1_000_000), Ran(seconds=16, read_bytes=9_000_000)):
            self.assertEqual(office_speed([small]), 4_000_000.0, small)
        self.assertEqual(office_speed([Ran(seconds=16.5, read_bytes=8_500_000)]), 1_000_000.0)

    def test_what_is_known_of_a_device_decides_by_what_it_is_told(self):
        def after(*took: float, **more: float | None) -> Expected:
            return expected([Ran(seconds=one, read_bytes=0) for one in took], **({"to_read_bytes": None, "speed": 1000.0} | more))  # type: ignore[arg-type]

        self.assertEqual(after(10, 30, 20), Expected(seconds=20, basis=Basis.OWN))
        self.assertEqual(after(0.5, 1), Expected(seconds=2, basis=Basis.OWN))
        self.assertEqual(after(*[10] * 5, *[90] * 9), Expected(seconds=10, basis=Basis.OWN))
        self.assertEqual(after(10, to_read_bytes=5000), Expected(seconds=13, basis=Basis.SIZE))
        self.assertEqual(after(to_read_bytes=5000, speed=0.0), Expected(seconds=5008, basis=Basis.SIZE))
        self.assertEqual(after(30), Expected(seconds=30, basis=Basis.OWN))
        self.assertEqual(after(1), Expected(seconds=2, basis=Basis.OWN))
        self.assertEqual(after(), Expected(seconds=60, basis=Basis.NOTHING))
        self.assertEqual(after(typical_seconds=45.0), Expected(seconds=45, basis=Basis.NOTHING))


class Patterns(TestCase):
    SAID = (
        (Pattern(shape=PatternShape.EVERY_NIGHT), "FREQ=DAILY", "every night at 22:05"),
        (Pattern(shape=PatternShape.EVERY_DAYS, days=1), "FREQ=DAILY;INTERVAL=1", "every day at 22:05"),
        (Pattern(shape=PatternShape.EVERY_DAYS, days=366), "FREQ=DAILY;INTERVAL=366", "every 366 days at 22:05"),
        (Pattern(shape=PatternShape.WEEKDAYS, weekdays=(1,)), "FREQ=WEEKLY;BYDAY=TU", "on Tuesdays at 22:05"),
        (Pattern(shape=PatternShape.WEEKDAYS, weekdays=(1, 4, 6)), "FREQ=WEEKLY;BYDAY=TU,FR,SU", "on Tuesdays, Fridays and Sundays at 22:05"),
        (Pattern(shape=PatternShape.WEEKDAYS, weekdays=(0, 1, 2, 3, 4)), "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR", "on working days at 22:05"),
        (Pattern(shape=PatternShape.MONTHLY, nth=1, weekdays=(0,)), "FREQ=MONTHLY;BYDAY=1MO", "on the first Monday of each month at 22:05"),
        (Pattern(shape=PatternShape.MONTHLY, nth=-1, weekdays=(6,)), "FREQ=MONTHLY;BYDAY=-1SU", "on the last Sunday of each month at 22:05"),
        (
            Pattern(shape=PatternShape.WORKING_TIME, weekdays=(0, 2), hours=4, from_hour=8, to_hour=16),
            "FREQ=WEEKLY;BYDAY=MO,WE;BYHOUR=8,12,16;BYMINUTE=0;BYSECOND=0",
            "every 4 hours from 08:00 to 16:00 on Mondays and Wednesdays",
        ),
        (
            Pattern(shape=PatternShape.WORKING_TIME, weekdays=(5,), hours=1, from_hour=22, to_hour=23),
            "FREQ=WEEKLY;BYDAY=SA;BYHOUR=22,23;BYMINUTE=0;BYSECOND=0",
            "every hour from 22:00 to 23:00 on Saturdays",
        ),
        (
            Pattern(shape=PatternShape.WORKING_TIME, weekdays=(5,), hours=12, from_hour=0, to_hour=12),
            "FREQ=WEEKLY;BYDAY=SA;BYHOUR=0,12;BYMINUTE=0;BYSECOND=0",
            "every 12 hours from 00:00 to 12:00 on Saturdays",
        ),
        (Pattern(shape=PatternShape.RULE, rule="FREQ=YEARLY"), "FREQ=YEARLY", "by the rule FREQ=YEARLY, counted from 22:05"),
    )  # fmt: skip

    def test_each_is_its_rule_its_sentence_and_back(self):
        for pattern, rule, says in self.SAID:
            self.assertEqual((rule_of(pattern), sentence(pattern, time(22, 5)), pattern_of(rule)), (rule, says, pattern))

    def test_the_last_run_starts_by_the_last_hour(self):
        for to_hour, hours in ((15, "8,12"), (16, "8,12,16"), (17, "8,12,16")):
            pattern = Pattern(shape=PatternShape.WORKING_TIME, weekdays=(0,), hours=4, from_hour=8, to_hour=to_hour)
            self.assertIn(f"BYHOUR={hours};", rule_of(pattern))

    def test_what_no_sentence_says_stays_the_rule_that_it_is(self):
        for rule in ("FREQ=MONTHLY;BYDAY=5MO", "FREQ=MONTHLY;BYDAY=1XX", "FREQ=WEEKLY;BYDAY=XX", "FREQ=WEEKLY;BYDAY=MO;BYHOUR=8;BYMINUTE=0;BYSECOND=0",
                     "FREQ=WEEKLY;BYDAY=MO;BYHOUR=8,10,13;BYMINUTE=0;BYSECOND=0", "FREQ=WEEKLY;BYDAY=MO;BYHOUR=0,13;BYMINUTE=0;BYSECOND=0",
                     "FREQ=WEEKLY;BYDAY=MO;BYHOUR=9,8;BYMINUTE=0;BYSECOND=0", "FREQ=DAILY;INTERVAL=1000"):  # fmt: skip
            self.assertEqual(pattern_of(rule), Pattern(shape=PatternShape.RULE, rule=rule))
        self.assertEqual(rule_of(Pattern(shape=PatternShape.RULE, rule=" rrule:freq=daily ".upper())), "FREQ=DAILY")

    def test_what_cannot_be_is_refused_by_its_field(self):
        of = {"weekdays": (0,)}
        for shape, fields, field in (
            (PatternShape.EVERY_DAYS, {"days": 0}, "days"), (PatternShape.EVERY_DAYS, {"days": 367}, "days"),
            (PatternShape.MONTHLY, {"weekdays": ()}, "nth"), (PatternShape.MONTHLY, {"weekdays": (0, 1)}, "nth"),
            (PatternShape.MONTHLY, {"weekdays": (7,)}, "nth"), (PatternShape.MONTHLY, {"weekdays": (-1,)}, "nth"),
            (PatternShape.MONTHLY, of | {"nth": 5}, "nth"), (PatternShape.WORKING_TIME, of | {"from_hour": 8, "to_hour": 8}, "to_hour"),
            (PatternShape.WORKING_TIME, of | {"from_hour": -1, "to_hour": 8}, "to_hour"), (PatternShape.WORKING_TIME, of | {"to_hour": 24}, "to_hour"),
            (PatternShape.WORKING_TIME, of | {"hours": 0}, "hours"), (PatternShape.WORKING_TIME, of | {"hours": 13}, "hours"),
            (PatternShape.RULE, {"rule": "  "}, "rule"),
        ):  # fmt: skip
            with self.assertRaises(BadInput) as caught:
                rule_of(Pattern(shape=shape, **fields))  # type: ignore[arg-type]
            self.assertEqual(caught.exception.field, field, (shape, fields))


class Hours(TestCase):
    def test_from_six_on_it_is_the_coming_night(self):
        for hour, minute, night in (
            (5, 59, date(2026, 3, 1)),
            (6, 0, date(2026, 3, 2)),
            (11, 0, date(2026, 3, 2)),
            (23, 0, date(2026, 3, 2)),
        ):
            self.assertEqual(coming_night(datetime(2026, 3, 2, hour, minute, tzinfo=BERLIN), BERLIN), night, (hour, minute))

    def test_quiet_hours_need_both_ends(self):
        for ends in ({"quiet_from": time(6), "quiet_until": None}, {"quiet_from": None, "quiet_until": time(12)}):
            self.assertEqual(not_before(NOW, zone=BERLIN, **ends), NOW)
        for quiet_from, quiet_until, until in ((time(8), time(9), NOW + timedelta(hours=1)), (time(8, 1), time(9), NOW), (time(7), time(8), NOW),
                                               (time(22), time(8), NOW), (time(22), time(8, 1), NOW + timedelta(minutes=1)),
                                               (time(8), time(7), NOW + timedelta(hours=23))):  # fmt: skip
            self.assertEqual(not_before(NOW, quiet_from=quiet_from, quiet_until=quiet_until, zone=BERLIN), until, (quiet_from, quiet_until))

    def test_what_only_touches_an_end_is_not_in_it(self):
        opens, closes = NOW, NOW + timedelta(hours=4)
        for begin, end, slices in (
            (-1, 0, [0, 0, 0, 0]),
            (4, 5, [0, 0, 0, 0]),
            (-1, 1, [1, 0, 0, 0]),
            (3, 5, [0, 0, 0, 1]),
            (1, 2, [0, 1, 0, 0]),
        ):
            span = (NOW + timedelta(hours=begin), NOW + timedelta(hours=end))
            self.assertEqual(busy([span], opens=opens, closes=closes, slices=4), slices, (begin, end))
