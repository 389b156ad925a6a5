import random
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from unittest import TestCase
from zoneinfo import ZoneInfo

from hypothesis import given, settings
from hypothesis import strategies as st

from core.errors import BadInput
from core.retention.rule import Bucket, Moment, Rule, forecast, iso_week, verdicts

BERLIN = ZoneInfo("Europe/Berlin")


def instant(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


def moment(text: str, **more: object) -> Moment:
    return Moment(id=text, at=instant(text), **more)  # type: ignore[arg-type]


def kept(moments: list[Moment], rule: Rule, now: str, zone: ZoneInfo = BERLIN) -> list[str]:
    return sorted(verdict.moment.id for verdict in verdicts(moments, rule, zone=zone, now=instant(now)) if verdict.kept)


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

    def test_the_turn_of_a_53_week_year_is_one_week_and_not_two(self):
        found = [moment("2026-12-30T20:00"), moment("2027-01-01T20:00"), moment("2027-01-03T20:00")]
        self.assertEqual(kept(found, Rule(weekly=1), "2027-01-03T21:00"), ["2027-01-03T20:00"])

    def test_a_month_turn_inside_a_week_is_two_months(self):
        found = [moment("2026-03-31T20:00"), moment("2026-04-01T20:00")]
        self.assertEqual(kept(found, Rule(monthly=2), "2026-04-01T21:00"), [entry.id for entry in found])
        self.assertEqual(kept(found, Rule(weekly=2), "2026-04-01T21:00"), ["2026-04-01T20:00"])


class DayIsACalendarDayOfTheOffice(TestCase):
    def test_day_when_clocks_go_back_keeps_one_backup(self):
        # 24 h apart, yet both on the 25-hour 25 October in Berlin; by UTC they would be two days
        found = [moment("2026-10-24T22:30"), moment("2026-10-25T22:30")]
        self.assertEqual(kept(found, Rule(daily=1), "2026-10-25T22:45"), ["2026-10-25T22:30"])

    def test_by_the_office_and_not_by_utc(self):
        found = [moment("2026-01-09T23:30"), moment("2026-01-10T20:00")]
        self.assertEqual(kept(found, Rule(daily=2), "2026-01-10T21:00"), ["2026-01-10T20:00"])
        self.assertEqual(len(kept(found, Rule(daily=2), "2026-01-10T21:00", zone=ZoneInfo("UTC"))), 2)


class WhatIsNeverRemoved(TestCase):
    def test_a_hold_outweighs_the_rule_and_says_so(self):
        found = verdicts([moment("2025-01-01T20:00", hold="before the repair"), moment("2026-01-10T20:00")], Rule(last=1),
                         zone=BERLIN, now=instant("2026-01-10T21:00"))  # fmt: skip
        self.assertEqual([(claim.bucket, claim.label) for claim in found[1].claims], [(Bucket.HOLD, "before the repair")])

    def test_the_last_restorable_one_stays_however_old(self):
        found = [moment("2020-01-01T20:00"), moment("2020-01-02T20:00")]
        self.assertEqual(kept(found, Rule(daily=3), "2026-01-01T00:00"), ["2020-01-02T20:00"])

    def test_a_damaged_one_takes_no_good_ones_place(self):
        found = [moment("2020-01-01T20:00"), moment("2020-01-02T20:00", restorable=False)]
        self.assertIn("2020-01-01T20:00", kept(found, Rule(last=1), "2026-01-01T00:00"))

    def test_damage_alone_removes_nothing_that_the_rule_would_keep(self):
        found = [moment("2026-01-09T20:00", restorable=False), moment("2026-01-10T20:00")]
        self.assertEqual(kept(found, Rule(daily=2), "2026-01-10T21:00"), ["2026-01-09T20:00", "2026-01-10T20:00"])
        self.assertEqual(kept(found, Rule(daily=2), "2026-01-12T21:00"), ["2026-01-10T20:00"])

    def test_a_rule_that_keeps_nothing_or_too_much_is_refused(self):
        for counts in ({}, {"last": 0}, {"daily": -1, "last": 1}, {"daily": 99_999}):
            with self.subTest(counts=counts), self.assertRaises(BadInput):
                Rule(**counts)


MOMENTS = st.lists(st.integers(0, 24 * 500), max_size=60, unique=True).map(
    lambda hours: [Moment(id=str(hour), at=instant("2025-06-01T00:00") + timedelta(hours=hour)) for hour in hours]
)
SOME_DAMAGED = st.tuples(MOMENTS, st.integers(2, 5)).map(
    lambda drawn: [replace(moment, restorable=bool(int(moment.id) % drawn[1])) for moment in drawn[0]]
)
RULES = st.builds(
    Rule, last=st.integers(1, 4), daily=st.integers(0, 9), weekly=st.integers(0, 6), monthly=st.integers(0, 14), yearly=st.integers(0, 2)
)
NOW = instant("2026-10-14T12:00")


class PropertiesOfEveryRule(TestCase):
    @settings(max_examples=150, deadline=None)
    @given(st.one_of(MOMENTS, SOME_DAMAGED), RULES)
    def test_asking_again_after_removal_changes_nothing(self, moments, rule):
        left = [verdict for verdict in verdicts(moments, rule, zone=BERLIN, now=NOW) if verdict.kept]
        again = verdicts([verdict.moment for verdict in left], rule, zone=BERLIN, now=NOW)
        self.assertEqual(again, left)

    @settings(max_examples=50, deadline=None)
    @given(MOMENTS, RULES, st.randoms())
    def test_order_does_not_matter(self, moments, rule, source: random.Random):
        shuffled = list(moments)
        source.shuffle(shuffled)
        self.assertEqual(verdicts(shuffled, rule, zone=BERLIN, now=NOW), verdicts(moments, rule, zone=BERLIN, now=NOW))

    @settings(max_examples=100, deadline=None)
    @given(MOMENTS, RULES)
    def test_a_slow_obvious_rule_agrees(self, moments, rule):
        """For each bucket walk back through the calendar day by day and take the newest backup of each."""
        expected: set[str] = set()
        newest_first = sorted(moments, key=lambda entry: entry.at, reverse=True)
        expected |= {entry.id for entry in newest_first[: rule.last]}
        for count, name in ((rule.daily, "%Y-%m-%d"), (rule.weekly, "%G-W%V"), (rule.monthly, "%Y-%m"), (rule.yearly, "%Y")):
            labels: list[str] = []
            day = NOW.astimezone(BERLIN)
            while len(labels) < count:
                if day.strftime(name) not in labels:
                    labels.append(day.strftime(name))
                day -= timedelta(days=1)
            for label in labels:
                expected |= {entry.id for entry in [e for e in newest_first if e.at.astimezone(BERLIN).strftime(name) == label][:1]}
        self.assertEqual({v.moment.id for v in verdicts(moments, rule, zone=BERLIN, now=NOW) if v.kept}, expected)


class TheForecastComesTrue(TestCase):
    def test_day_by_day_life_removes_each_backup_on_the_day_that_was_foretold(self):
        rule = Rule(last=2, daily=5, weekly=3, monthly=2)
        moments = [moment((instant("2026-08-01T20:00") + timedelta(days=n)).isoformat()[:16]) for n in range(40)]
        now = moments[-1].at
        runs = [now + timedelta(days=n) for n in range(1, 120)]
        foretold = forecast(moments, rule, zone=BERLIN, now=now, runs=runs)
        left = [verdict.moment for verdict in verdicts(moments, rule, zone=BERLIN, now=now) if verdict.kept]
        self.assertEqual(set(foretold), {entry.id for entry in left})
        seen = {}
        for number, run in enumerate(runs):
            before = {entry.id for entry in left}
            left = [v.moment for v in verdicts([*left, Moment(id=f"n{number}", at=run)], rule, zone=BERLIN, now=run) if v.kept]
            seen |= dict.fromkeys(before - {entry.id for entry in left}, run.astimezone(BERLIN).date())
        self.assertEqual(foretold, {id: seen.get(id) for id in foretold})
        self.assertNotIn(None, foretold.values())

    def test_a_held_backup_never_falls_out(self):
        held = moment("2026-08-01T20:00", hold="before the repair")
        runs = [instant("2026-08-02T20:00") + timedelta(days=n) for n in range(50)]
        found = forecast([held], Rule(last=1), zone=BERLIN, now=held.at, runs=runs)
        self.assertEqual(found, {held.id: None})
