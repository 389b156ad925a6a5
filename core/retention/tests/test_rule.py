"""What a rule keeps, case by case. Random histories against a second implementation are in `checks/reference`."""

from datetime import UTC, date, datetime, timedelta
from unittest import TestCase
from zoneinfo import ZoneInfo

import numpy as np

from core.errors import BadInput
from core.retention import calendar
from core.retention.calendar import iso_week
from core.retention.pile import Fact
from core.retention.rule import Period, Rule, Unit, Why
from core.retention.verdicts import Moment, verdicts

BERLIN = ZoneInfo("Europe/Berlin")
LONG_YEARS = [
    4, 9, 15, 20, 26, 32, 37, 43, 48, 54, 60, 65, 71, 76, 82, 88, 93, 99, 105, 111, 116, 122, 128, 133, 139, 144, 150, 156, 161, 167,
    172, 178, 184, 189, 195, 201, 207, 212, 218, 224, 229, 235, 240, 246, 252, 257, 263, 268, 274, 280, 285, 291, 296, 303, 308, 314,
    320, 325, 331, 336, 342, 348, 353, 359, 364, 370, 376, 381, 387, 392, 398,
]  # fmt: skip
"""Years of 53 weeks in a cycle of 400, as the common calendar tables for ISO 8601 list them (from memory)."""


def instant(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


def moment(text: str, **more: object) -> Moment:
    return Moment(id=text, at=instant(text), **more)  # type: ignore[arg-type]


def kept(moments: list[Moment], rule: Rule, now: str, zone: ZoneInfo = BERLIN, as_of: str = "") -> list[str]:
    by_rule = verdicts(moments, rule, zone=zone, now=instant(now), as_of=instant(as_of) if as_of else None)
    return sorted(verdict.moment.id for verdict in by_rule if verdict.kept)


def why(moments: list[Moment], rule: Rule, now: str, id: str) -> Why:
    return next(one.why for one in verdicts(moments, rule, zone=BERLIN, now=instant(now)) if one.moment.id == id)


class WeeksFollowIso8601(TestCase):
    def test_years_with_53_weeks_and_first_of_january_in_week_53(self):
        # ISO 8601 week numbers as in the standard's own examples and the common calendar tables
        cases = {
            "2005-01-01": "2004-W53", "2005-01-02": "2004-W53", "2005-12-31": "2005-W52", "2007-01-01": "2007-W01",
            "2008-12-29": "2009-W01", "2010-01-03": "2009-W53", "2021-01-01": "2020-W53", "2026-12-31": "2026-W53",
            "2027-01-03": "2026-W53", "2027-01-04": "2027-W01",
        }  # fmt: skip
        for day, week in cases.items():
            self.assertEqual(iso_week(date.fromisoformat(day)), week)

    def test_the_weeks_of_400_years_are_those_of_the_standard_library_and_the_published_list(self):
        """A backup every third day at noon: each week has one claim, and it names the week that `isocalendar` names."""
        first = datetime(2000, 1, 3, 12, tzinfo=UTC)
        for begin in range(0, 400, 50):
            moments = [Moment(id=f"{n:06}", at=first + timedelta(days=n)) for n in range(begin * 365, (begin + 51) * 366, 3)]
            by_rule = verdicts(moments, Rule(weekly=3650), zone=ZoneInfo("UTC"), now=moments[-1].at)
            claimed = [one.moment.at.isocalendar()[:2] for one in by_rule if one.kept]
            self.assertEqual(len(claimed), len(set(claimed)))
            self.assertEqual(set(claimed), {one.at.isocalendar()[:2] for one in moments})
            long = {year for year, week in claimed if week == 53}
            inner = range(first.year + begin + 1, first.year + begin + 50)
            self.assertEqual({year for year in long if year in inner}, {year for year in inner if year % 400 in LONG_YEARS})

    def test_the_turn_of_a_53_week_year_is_one_week_and_not_two(self):
        moments = [moment("2026-12-30T20:00"), moment("2027-01-01T20:00"), moment("2027-01-03T20:00")]
        self.assertEqual(kept(moments, Rule(weekly=1), "2027-01-03T21:00"), ["2027-01-03T20:00"])

    def test_a_month_turn_inside_a_week_is_two_months(self):
        moments = [moment("2026-03-31T20:00"), moment("2026-04-01T20:00")]
        self.assertEqual(kept(moments, Rule(monthly=2), "2026-04-01T21:00"), [entry.id for entry in moments])
        self.assertEqual(kept(moments, Rule(weekly=2), "2026-04-01T21:00"), ["2026-04-01T20:00"])


class PeriodsAreThoseOfTheOfficesClocks(TestCase):
    def test_day_when_clocks_go_back_keeps_one_backup(self):
        # 24 h apart, yet both on the 25-hour 25 October in Berlin; by UTC they would be two days
        moments = [moment("2026-10-24T22:30"), moment("2026-10-25T22:30")]
        self.assertEqual(kept(moments, Rule(daily=1), "2026-10-25T22:45"), ["2026-10-25T22:30"])

    def test_by_the_office_and_not_by_utc(self):
        moments = [moment("2026-01-09T23:30"), moment("2026-01-10T20:00")]
        self.assertEqual(kept(moments, Rule(daily=2), "2026-01-10T21:00"), ["2026-01-10T20:00"])
        self.assertEqual(len(kept(moments, Rule(daily=2), "2026-01-10T21:00", zone=ZoneInfo("UTC"))), 2)

    def test_an_hour_that_comes_twice_is_two_hours(self):
        twice = [moment("2026-10-25T00:10"), moment("2026-10-25T00:50"), moment("2026-10-25T01:10"), moment("2026-10-25T01:50")]
        self.assertEqual(kept(twice, Rule(hourly=9), "2026-10-25T03:00"), ["2026-10-25T00:50", "2026-10-25T01:50"])
        labels = [one.claims[0].label for one in verdicts(twice, Rule(hourly=9), zone=BERLIN, now=instant("2026-10-25T03:00")) if one.kept]
        self.assertEqual(labels, ["2026-10-25 02:00+0100", "2026-10-25 02:00+0200"])

    def test_the_first_second_after_a_change_is_already_in_the_new_hour(self):
        moments = [moment("2026-03-29T00:59:59"), moment("2026-03-29T01:00"), moment("2026-03-29T01:00:01")]
        self.assertEqual(kept(moments, Rule(hourly=9), "2026-03-29T03:00"), ["2026-03-29T00:59:59", "2026-03-29T01:00:01"])

    def test_another_zone_counts_anew_and_nothing_is_lost_in_between(self):
        moments = [moment("2026-01-09T23:30"), moment("2026-01-10T20:00"), moment("2026-01-10T23:30")]
        for zone in ("UTC", "Europe/Berlin", "Pacific/Kiritimati"):
            self.assertEqual(len(kept(moments, Rule(daily=9), "2026-01-11T21:00", zone=ZoneInfo(zone))), 2)


class CountsAreOfPeriodsThatHaveABackup(TestCase):
    def test_a_device_that_was_away_is_not_emptied_by_the_calendar(self):
        moments = [moment(f"2026-01-{day:02}T20:00") for day in range(1, 6)]
        self.assertEqual(kept(moments, Rule(daily=3), "2027-06-01T00:00"), [one.id for one in moments[2:]])
        self.assertEqual(kept(moments, Rule(monthly=1), "2027-06-01T00:00"), ["2026-01-05T20:00"])

    def test_everything_within_a_period_is_by_the_calendar(self):
        moments = [moment(f"2026-01-{day:02}T20:00") for day in range(1, 6)]
        rule = Rule(within=Period(2))
        self.assertEqual(kept(moments, rule, "2026-01-06T12:00"), ["2026-01-04T20:00", "2026-01-05T20:00"])
        self.assertEqual(kept(moments, rule, "2026-01-08T12:00"), ["2026-01-05T20:00"], "the last restorable one")

    def test_a_month_back_from_the_31st(self):
        for day, count, unit, passed in (
            ("2026-01-31", 1, Unit.MONTHS, "2026-03-01"), ("2026-04-30", 1, Unit.MONTHS, "2026-06-01"), ("2024-02-29", 1, Unit.YEARS, "2025-03-01"),
            ("2026-01-27", 1, Unit.MONTHS, "2026-02-28"), ("2026-01-30", 2, Unit.WEEKS, "2026-02-14"), ("2026-12-31", 1, Unit.DAYS, "2027-01-02"),
        ):  # fmt: skip
            self.assertEqual(Period(count, unit).passed_on(date.fromisoformat(day)), date.fromisoformat(passed), (day, count, unit))
        self.assertEqual(Period(366, Unit.MONTHS).passed_on(date(9990, 1, 1)), date.max)

    def test_in_a_period_a_complete_one_goes_before_a_partial_one(self):
        part = moment("2026-01-10T22:00", facts=Fact.PARTIAL)
        moments = [moment("2026-01-10T08:00"), moment("2026-01-10T20:00"), part, moment("2026-01-11T20:00", facts=Fact.PARTIAL)]
        self.assertEqual(kept(moments, Rule(daily=2), "2026-01-12T00:00"), ["2026-01-10T20:00", "2026-01-11T20:00"])
        self.assertIn("2026-01-10T22:00", kept([part, moment("2026-01-10T21:00", facts=Fact.PARTIAL)], Rule(daily=1), "2026-01-12T00:00"))


class AgesOutweighCounts(TestCase):
    def test_nothing_younger_than_the_minimum_age_leaves_even_by_last_n(self):
        moments = [moment(f"2026-01-{day:02}T20:00") for day in range(1, 11)]
        rule = Rule(last=1, minimum_age=timedelta(days=3))
        self.assertEqual(kept(moments, rule, "2026-01-10T21:00"), ["2026-01-08T20:00", "2026-01-09T20:00", "2026-01-10T20:00"])

    def test_a_greatest_age_lets_rare_devices_old_backups_go_but_never_the_last(self):
        moments = [moment("2020-01-01T20:00"), moment("2021-01-01T20:00"), moment("2025-12-30T20:00")]
        rule = Rule(last=3, yearly=9, greatest_age=Period(1, Unit.YEARS))
        self.assertEqual(kept(moments, rule, "2026-01-10T00:00"), ["2025-12-30T20:00"])
        self.assertEqual(kept(moments, rule, "2029-01-10T00:00"), ["2025-12-30T20:00"])
        self.assertEqual(why(moments, rule, "2029-01-10T00:00", "2025-12-30T20:00"), Why.LAST_RESTORABLE)

    def test_while_protection_has_lapsed_the_rule_counts_by_the_newest_good_backup(self):
        moments = [moment(f"2026-01-{day:02}T20:00") for day in range(1, 6)]
        rule = Rule(within=Period(3), last=1)
        self.assertEqual(kept(moments, rule, "2026-03-01T00:00", as_of="2026-01-05T20:00"), [one.id for one in moments[1:]])
        self.assertEqual(kept(moments, rule, "2026-03-01T00:00"), ["2026-01-05T20:00"])


class WhatIsUnsureStaysAndTakesNoPlace(TestCase):
    def test_each_kind_of_it(self):
        for fact, reason in (
            (Fact.DOUBT, Why.DOUBT), (Fact.IMPORTED, Why.IMPORTED), (Fact.PASSING, Why.PASSING), (Fact.ANOMALY, Why.ANOMALY),
            (Fact.DAMAGED, Why.DAMAGED),
        ):  # fmt: skip
            with self.subTest(fact=fact):
                moments = [moment("2026-01-08T20:00"), moment("2026-01-09T20:00"), moment("2026-01-10T20:00", facts=fact)]
                self.assertEqual(kept(moments, Rule(last=1), "2027-01-01T00:00")[-2:], ["2026-01-09T20:00", "2026-01-10T20:00"])
                self.assertEqual(why(moments, Rule(last=9), "2027-01-01T00:00", "2026-01-10T20:00"), reason)

    def test_dated_after_now(self):
        moments = [moment("2026-01-09T20:00"), moment("2038-01-19T03:14")]
        self.assertEqual(kept(moments, Rule(last=1), "2026-01-10T00:00"), ["2026-01-09T20:00", "2038-01-19T03:14"])
        self.assertEqual(why(moments, Rule(last=1), "2026-01-10T00:00", "2038-01-19T03:14"), Why.FUTURE)

    def test_an_emptied_device_pushes_nothing_good_out(self):
        good = [moment(f"2026-01-{day:02}T20:00") for day in range(1, 4)]
        empty = [moment(f"2026-01-{day:02}T20:00", facts=Fact.ANOMALY) for day in range(4, 31)]
        self.assertEqual(kept([*good, *empty], Rule(last=3), "2026-02-10T00:00"), [one.id for one in [*good, *empty]])

    def test_what_was_given_up_by_hand_is_claimed_by_no_rule_and_takes_no_place(self):
        moments = [moment("2026-01-09T20:00"), moment("2026-01-10T20:00", facts=Fact.GIVEN_UP | Fact.LEAVING)]
        self.assertEqual(kept(moments, Rule(last=1), "2026-02-10T00:00"), ["2026-01-09T20:00"])
        held = [moment("2026-01-10T20:00", facts=Fact.GIVEN_UP | Fact.LEAVING, hold="for the lawyer")]
        self.assertEqual(why(held, Rule(last=1), "2026-02-10T00:00", "2026-01-10T20:00"), Why.HOLD)


class SafeguardsThatNoRuleOverrides(TestCase):
    OLD = Rule(last=1, greatest_age=Period(1))

    def test_a_hold_outweighs_the_rule_until_its_last_day_and_says_so(self):
        old = moment("2025-01-01T20:00", hold="before the repair", hold_until=date(2026, 1, 10))
        by_rule = verdicts([old, moment("2026-01-10T20:00")], Rule(last=1), zone=BERLIN, now=instant("2026-01-10T22:59"))
        self.assertEqual([(claim.why, claim.label) for claim in by_rule[1].claims], [(Why.HOLD, "before the repair")])
        self.assertEqual(kept([old, moment("2026-01-10T20:00")], Rule(last=1), "2026-01-10T23:01"), ["2026-01-10T20:00"])

    def test_what_is_young_says_how_young_counts(self):
        (one,) = verdicts(
            [moment("2026-01-10T20:00")], Rule(last=1, minimum_age=timedelta(days=7)), zone=BERLIN, now=instant("2026-01-11T20:00")
        )
        self.assertIn((Why.YOUNG, "7 days"), [(claim.why, claim.label) for claim in one.claims])

    def test_instants_have_a_zone_and_no_day_follows_the_last_one(self):
        with self.assertRaisesRegex(ValueError, "time zone"):
            calendar.seconds_of(datetime(2026, 1, 1))  # noqa: DTZ001
        self.assertEqual(calendar.seconds_of(instant("1970-01-02T00:00")), 86_400)
        self.assertEqual(calendar.midnight(date.max, BERLIN), calendar.NEVER)
        self.assertLess(calendar.midnight(date.max - timedelta(days=2), BERLIN), calendar.NEVER)
        self.assertEqual(len(calendar.offsets(np.zeros(0, dtype=np.int64), BERLIN)), 0)

    def test_the_last_of_each_sort_stays(self):
        rows = [
            moment("2020-01-01T20:00", facts=Fact.CHECKED), moment("2020-01-02T20:00", facts=Fact.ENCRYPTED), moment("2020-01-03T20:00"),
            moment("2020-01-04T20:00", facts=Fact.PARTIAL),
        ]  # fmt: skip
        reasons = [why(rows, self.OLD, "2026-01-01T00:00", one.id) for one in rows]
        self.assertEqual(reasons, [Why.LAST_CHECKED, Why.LAST_ENCRYPTED, Why.LAST_COMPLETE, Why.LAST_RESTORABLE])

    def test_what_is_in_use_owed_or_frozen(self):
        for fact, reason in ((Fact.IN_USE, Why.IN_USE), (Fact.OWED, Why.OWED), (Fact.FROZEN, Why.FROZEN)):
            moments = [moment("2020-01-01T20:00", facts=fact), moment("2025-12-31T23:00")]
            self.assertEqual(why(moments, self.OLD, "2026-01-01T00:00", "2020-01-01T20:00"), reason)

    def test_the_only_intact_copy_of_what_another_store_keeps(self):
        there = Moment(id="x", at=instant("2020-01-01T20:00"), store="cloud", facts=Fact.DAMAGED)
        here = Moment(id="x", at=there.at, store="room")
        newer = [Moment(id="y", at=instant("2026-01-01T20:00"), store=store) for store in ("cloud", "room")]
        rules = {"cloud": Rule(last=9), "room": Rule(last=1)}
        by_rule = verdicts([there, here, *newer], rules, zone=BERLIN, now=instant("2026-02-01T00:00"))
        self.assertEqual(
            [(one.moment.store, one.why) for one in by_rule if one.moment.id == "x"], [("room", Why.ONLY_INTACT), ("cloud", Why.DAMAGED)]
        )
        for away in (Fact.ABSENT, Fact(0)):
            elsewhere = Moment(id="x", at=there.at, store="cloud", facts=away)
            by_rule = verdicts([elsewhere, here, *newer], rules, zone=BERLIN, now=instant("2026-02-01T00:00"))
            self.assertEqual([one.kept for one in by_rule if one.moment.id == "x"], [bool(away), True], "room, then cloud")

    def test_the_last_from_before_an_anomaly_until_it_is_settled(self):
        moments = [moment("2026-01-01T20:00"), moment("2026-01-02T20:00"), moment("2026-01-03T20:00", facts=Fact.ANOMALY)]
        later = [moment(f"2026-02-{day:02}T20:00") for day in range(1, 9)]
        rule = Rule(last=2)
        self.assertEqual(why([*moments, *later], rule, "2026-03-01T00:00", "2026-01-02T20:00"), Why.BEFORE_ANOMALY)
        self.assertNotIn("2026-01-01T20:00", kept([*moments, *later], rule, "2026-03-01T00:00"))
        settled = [*moments[:2], moment("2026-01-03T20:00")]
        self.assertEqual(kept([*settled, *later], rule, "2026-03-01T00:00"), ["2026-02-07T20:00", "2026-02-08T20:00"])

    def test_what_is_damaged_absent_or_leaving_protects_nothing(self):
        """The newest three are there by name only; the one below them is the last that can be had."""
        rows = [
            moment("2020-01-01T20:00"), moment("2020-01-02T20:00"), moment("2020-01-03T20:00", facts=Fact.ABSENT),
            moment("2020-01-04T20:00", facts=Fact.DAMAGED), moment("2020-01-05T20:00", facts=Fact.LEAVING | Fact.GIVEN_UP),
        ]  # fmt: skip
        self.assertEqual(why(rows, self.OLD, "2026-01-01T00:00", "2020-01-02T20:00"), Why.LAST_RESTORABLE)
        self.assertEqual(why(rows, self.OLD, "2026-01-01T00:00", "2020-01-01T20:00"), Why(0))

    def test_one_that_was_leaving_comes_back_when_it_is_needed(self):
        moments = [moment("2020-01-01T20:00", facts=Fact.LEAVING), moment("2026-01-01T20:00")]
        self.assertEqual(kept(moments, Rule(last=1), "2026-01-02T00:00"), ["2026-01-01T20:00"])
        damaged = [moments[0], moment("2026-01-01T20:00", facts=Fact.DAMAGED)]
        self.assertEqual(kept(damaged, Rule(last=1), "2026-01-02T00:00"), [one.id for one in damaged])


class RulesThatAreRefused(TestCase):
    def test_what_keeps_nothing_or_is_impossible_names_its_field(self):
        for counts, field in (
            ({}, "keep_last"), ({"last": 0}, "keep_last"), ({"daily": -1, "last": 1}, "keep_daily"), ({"daily": 99_999}, "keep_daily"),
            ({"hourly": 1_000_000}, "keep_hourly"), ({"within": Period(0)}, "keep_within"), ({"within": Period(-3, Unit.MONTHS)}, "keep_within"),
            ({"within": Period(31, Unit.YEARS)}, "keep_within"), ({"last": 1, "greatest_age": Period(0)}, "keep_greatest_age"),
            ({"last": 1, "minimum_age": timedelta(seconds=-1)}, "keep_minimum_age"), ({"minimum_age": timedelta(days=9)}, "keep_last"),
        ):  # fmt: skip
            with self.subTest(counts=counts), self.assertRaises(BadInput) as caught:
                Rule(**counts)
            self.assertEqual(caught.exception.field, field)

    def test_no_backups_at_all(self):
        self.assertEqual(verdicts([], Rule(last=1), zone=BERLIN, now=instant("2026-01-01T00:00")), [])

    def test_the_same_instant_twice_has_one_newest(self):
        twins = [Moment(id=id, at=instant("2026-01-01T20:00")) for id in ("a", "b", "c")]
        for order in (twins, twins[::-1]):
            self.assertEqual(kept(order, Rule(last=1), "2026-01-02T00:00"), ["c"])
            self.assertEqual(kept(order, Rule(daily=2), "2026-01-02T00:00"), ["c"])


class Flags(TestCase):
    def test_each_reason_and_each_fact_is_a_bit_of_its_own(self):
        """Two of one value would be one: what is kept for one reason would be told as kept for the other."""
        for flags in (Why, Fact):
            values = [flag.value for flag in flags.__members__.values() if flag.value.bit_count() == 1]
            self.assertEqual(values, [1 << bit for bit in range(len(values))], flags)
