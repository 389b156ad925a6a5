"""Every example of RFC 5545 §3.8.5.3, and days on which clocks change, from the IANA time zone data.

All examples start on 1997-09-02 at 09:00 in New York unless they say otherwise; the expected dates are those that the
standard prints. What the editor's sentences can express goes through them; the rest goes in as an imported rule.
"""

from datetime import UTC, date, datetime, time, timedelta
from unittest import TestCase
from zoneinfo import ZoneInfo

from core.errors import BadInput
from core.schedule.pattern import Pattern, PatternShape, pattern_of, rule_of, sentence
from core.schedule.promise import deadline_of
from core.schedule.recurrence import Recurrence, checked, clock_change, weekly
from core.schedule.window import Window, owed, slots

NEW_YORK = ZoneInfo("America/New_York")
NINE = "1997-09-02T09:00"


def days(month: int, *arguments: int, year: int = 1997) -> list[str]:
    return [f"{year}-{month:02}-{day:02}" for day in arguments]


_DAILY_UNTIL_XMAS = [str(date(1997, 9, 2) + timedelta(days=n)) for n in range((date(1997, 12, 24) - date(1997, 9, 2)).days)]
_EVERY_TWO = [str(date(1997, 9, 2) + timedelta(days=2 * n)) for n in range(30)]
_JANUARYS = [str(date(year, 1, day)) for year in (1998, 1999, 2000) for day in range(1, 32)]

EXAMPLES: tuple[tuple[str, str, str, list[str]], ...] = (
    ("daily for 10", NINE, "FREQ=DAILY;COUNT=10", days(9, *range(2, 12))),
    ("daily until 24 December", NINE, "FREQ=DAILY;UNTIL=19971224T000000Z", _DAILY_UNTIL_XMAS),
    ("every other day", NINE, "FREQ=DAILY;INTERVAL=2", _EVERY_TWO),
    ("every 10 days, 5 times", NINE, "FREQ=DAILY;INTERVAL=10;COUNT=5", [*days(9, 2, 12, 22), *days(10, 2, 12)]),
    ("every day in January, yearly", "1998-01-01T09:00", "FREQ=YEARLY;UNTIL=20000131T140000Z;BYMONTH=1;BYDAY=SU,MO,TU,WE,TH,FR,SA", _JANUARYS),
    ("every day in January, daily", "1998-01-01T09:00", "FREQ=DAILY;UNTIL=20000131T140000Z;BYMONTH=1", _JANUARYS),
    ("weekly for 10", NINE, "FREQ=WEEKLY;COUNT=10", [*days(9, 2, 9, 16, 23, 30), *days(10, 7, 14, 21, 28), *days(11, 4)]),
    ("weekly until 24 December", NINE, "FREQ=WEEKLY;UNTIL=19971224T000000Z",
     [*days(9, 2, 9, 16, 23, 30), *days(10, 7, 14, 21, 28), *days(11, 4, 11, 18, 25), *days(12, 2, 9, 16, 23)]),
    ("every other week", NINE, "FREQ=WEEKLY;INTERVAL=2;WKST=SU",
     [*days(9, 2, 16, 30), *days(10, 14, 28), *days(11, 11, 25), *days(12, 9, 23), *days(1, 6, 20, year=1998), *days(2, 3, 17, year=1998)]),
    ("Tuesday and Thursday for five weeks, until", NINE, "FREQ=WEEKLY;UNTIL=19971007T000000Z;WKST=SU;BYDAY=TU,TH",
     [*days(9, 2, 4, 9, 11, 16, 18, 23, 25, 30), *days(10, 2)]),
    ("Tuesday and Thursday for five weeks, count", NINE, "FREQ=WEEKLY;COUNT=10;WKST=SU;BYDAY=TU,TH",
     [*days(9, 2, 4, 9, 11, 16, 18, 23, 25, 30), *days(10, 2)]),
    ("every other week on Monday, Wednesday, Friday until", "1997-09-01T09:00",
     "FREQ=WEEKLY;INTERVAL=2;UNTIL=19971224T000000Z;WKST=SU;BYDAY=MO,WE,FR",
     [*days(9, 1, 3, 5, 15, 17, 19, 29), *days(10, 1, 3, 13, 15, 17, 27, 29, 31), *days(11, 10, 12, 14, 24, 26, 28), *days(12, 8, 10, 12, 22)]),
    ("every other week on Tuesday and Thursday, 8", NINE, "FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH",
     [*days(9, 2, 4, 16, 18, 30), *days(10, 2, 14, 16)]),
    ("first Friday, 10", "1997-09-05T09:00", "FREQ=MONTHLY;COUNT=10;BYDAY=1FR",
     [*days(9, 5), *days(10, 3), *days(11, 7), *days(12, 5), *days(1, 2, year=1998), *days(2, 6, year=1998), *days(3, 6, year=1998),
      *days(4, 3, year=1998), *days(5, 1, year=1998), *days(6, 5, year=1998)]),
    ("first Friday until", "1997-09-05T09:00", "FREQ=MONTHLY;UNTIL=19971224T000000Z;BYDAY=1FR",
     [*days(9, 5), *days(10, 3), *days(11, 7), *days(12, 5)]),
    ("every other month, first and last Sunday", "1997-09-07T09:00", "FREQ=MONTHLY;INTERVAL=2;COUNT=10;BYDAY=1SU,-1SU",
     [*days(9, 7, 28), *days(11, 2, 30), *days(1, 4, 25, year=1998), *days(3, 1, 29, year=1998), *days(5, 3, 31, year=1998)]),
    ("second to last Monday", "1997-09-22T09:00", "FREQ=MONTHLY;COUNT=6;BYDAY=-2MO",
     [*days(9, 22), *days(10, 20), *days(11, 17), *days(12, 22), *days(1, 19, year=1998), *days(2, 16, year=1998)]),
    ("third to last day of the month", "1997-09-28T09:00", "FREQ=MONTHLY;BYMONTHDAY=-3",
     [*days(9, 28), *days(10, 29), *days(11, 28), *days(12, 29), *days(1, 29, year=1998), *days(2, 26, year=1998)]),
    ("2nd and 15th", NINE, "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15",
     [*days(9, 2, 15), *days(10, 2, 15), *days(11, 2, 15), *days(12, 2, 15), *days(1, 2, 15, year=1998)]),
    ("first and last day of the month", "1997-09-30T09:00", "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=1,-1",
     [*days(9, 30), *days(10, 1, 31), *days(11, 1, 30), *days(12, 1, 31), *days(1, 1, 31, year=1998), *days(2, 1, year=1998)]),
    ("every 18 months, 10th to 15th", "1997-09-10T09:00", "FREQ=MONTHLY;INTERVAL=18;COUNT=10;BYMONTHDAY=10,11,12,13,14,15",
     [*days(9, 10, 11, 12, 13, 14, 15), *days(3, 10, 11, 12, 13, year=1999)]),
    ("every Tuesday of every other month", NINE, "FREQ=MONTHLY;INTERVAL=2;BYDAY=TU",
     [*days(9, 2, 9, 16, 23, 30), *days(11, 4, 11, 18, 25), *days(1, 6, 13, 20, 27, year=1998), *days(3, 3, 10, 17, 24, 31, year=1998)]),
    ("yearly in June and July", "1997-06-10T09:00", "FREQ=YEARLY;COUNT=10;BYMONTH=6,7",
     [day for year in range(1997, 2002) for day in (*days(6, 10, year=year), *days(7, 10, year=year))]),
    ("every other year in January, February, March", "1997-03-10T09:00", "FREQ=YEARLY;INTERVAL=2;COUNT=10;BYMONTH=1,2,3",
     [*days(3, 10), *[f"{year}-{month:02}-10" for year in (1999, 2001, 2003) for month in (1, 2, 3)]]),
    ("every third year on the 1st, 100th and 200th day", "1997-01-01T09:00", "FREQ=YEARLY;INTERVAL=3;COUNT=10;BYYEARDAY=1,100,200",
     ["1997-01-01", "1997-04-10", "1997-07-19", "2000-01-01", "2000-04-09", "2000-07-18", "2003-01-01", "2003-04-10", "2003-07-19", "2006-01-01"]),
    ("every 20th Monday of the year", "1997-05-19T09:00", "FREQ=YEARLY;BYDAY=20MO", ["1997-05-19", "1998-05-18", "1999-05-17"]),
    ("Monday of week 20", "1997-05-12T09:00", "FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO", ["1997-05-12", "1998-05-11", "1999-05-17"]),
    ("every Thursday in March", "1997-03-13T09:00", "FREQ=YEARLY;BYMONTH=3;BYDAY=TH",
     [*days(3, 13, 20, 27), *days(3, 5, 12, 19, 26, year=1998), *days(3, 4, 11, 18, 25, year=1999)]),
    ("every Thursday in June, July and August", "1997-06-05T09:00", "FREQ=YEARLY;BYDAY=TH;BYMONTH=6,7,8",
     [*days(6, 5, 12, 19, 26), *days(7, 3, 10, 17, 24, 31), *days(8, 7, 14, 21, 28), *days(6, 4, 11, 18, 25, year=1998)]),
    ("every Friday the 13th (the start itself is an exception)", NINE, "FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13",
     ["1998-02-13", "1998-03-13", "1998-11-13", "1999-08-13", "2000-10-13"]),
    ("the Saturday after the first Sunday", "1997-09-13T09:00", "FREQ=MONTHLY;BYDAY=SA;BYMONTHDAY=7,8,9,10,11,12,13",
     [*days(9, 13), *days(10, 11), *days(11, 8), *days(12, 13), *days(1, 10, year=1998), *days(2, 7, year=1998), *days(3, 7, year=1998),
      *days(4, 11, year=1998), *days(5, 9, year=1998), *days(6, 13, year=1998)]),
    ("every fourth year, the Tuesday after a Monday in November", "1996-11-05T09:00",
     "FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8", ["1996-11-05", "2000-11-07", "2004-11-02"]),
    ("the third Tuesday, Wednesday or Thursday", "1997-09-04T09:00", "FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3",
     [*days(9, 4), *days(10, 7), *days(11, 6)]),
    ("the second to last weekday of the month", "1997-09-29T09:00", "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2",
     [*days(9, 29), *days(10, 30), *days(11, 27), *days(12, 30), *days(1, 29, year=1998), *days(2, 26, year=1998), *days(3, 30, year=1998)]),
    ("an invalid date is passed over", "2007-01-15T09:00", "FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5",
     ["2007-01-15", "2007-01-30", "2007-02-15", "2007-03-15", "2007-03-30"]),
    ("the week begins on Monday", "1997-08-05T09:00", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO", days(8, 5, 10, 19, 24)),
    ("the week begins on Sunday", "1997-08-05T09:00", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU", days(8, 5, 17, 19, 31)),
)  # fmt: skip

WITHIN_A_DAY: tuple[tuple[str, str, list[str]], ...] = (
    # the standard prints UNTIL=19970902T170000Z and 09:00, 12:00, 15:00; 17:00 UTC is 13:00 in New York: 210000Z is meant (RFC erratum)
    ("every 3 hours from 9 to 17", "FREQ=HOURLY;INTERVAL=3;UNTIL=19970902T210000Z", ["02 09:00", "02 12:00", "02 15:00"]),
    ("every 15 minutes, 6 times", "FREQ=MINUTELY;INTERVAL=15;COUNT=6", [f"02 {at}" for at in ("09:00", "09:15", "09:30", "09:45", "10:00", "10:15")]),
    ("every hour and a half, 4 times", "FREQ=MINUTELY;INTERVAL=90;COUNT=4", [f"02 {at}" for at in ("09:00", "10:30", "12:00", "13:30")]),
    ("every 20 minutes from 9:00 to 16:40, daily", "FREQ=DAILY;BYHOUR=9,10,11,12,13,14,15,16;BYMINUTE=0,20,40",
     [f"{day} {hour:02}:{minute:02}" for day in ("02", "03") for hour in range(9, 17) for minute in (0, 20, 40)]),
    ("the same by minutes", "FREQ=MINUTELY;INTERVAL=20;BYHOUR=9,10,11,12,13,14,15,16",
     [f"{day} {hour:02}:{minute:02}" for day in ("02", "03") for hour in range(9, 17) for minute in (0, 20, 40)]),
)  # fmt: skip


class ExamplesOfRfc5545(TestCase):
    def test_every_one_of_a_day_or_longer(self):
        for name, start, rule, expected in EXAMPLES:
            with self.subTest(name):
                recurrence = checked(Recurrence(rule=rule, start=datetime.fromisoformat(start), zone=NEW_YORK))
                ends = "COUNT" in rule or "UNTIL" in rule
                followed = recurrence.following(datetime(1996, 1, 1, tzinfo=UTC), len(expected) + (3 if ends else 0))
                self.assertEqual([f"{at.astimezone(NEW_YORK):%Y-%m-%d}" for at in followed], expected)
                self.assertEqual({at.astimezone(NEW_YORK).hour for at in followed}, {9})

    def test_those_within_a_day(self):
        for name, rule, expected in WITHIN_A_DAY:
            with self.subTest(name):
                recurrence = checked(Recurrence(rule=rule, start=datetime.fromisoformat(NINE), zone=NEW_YORK))
                followed = recurrence.following(datetime(1997, 9, 1, tzinfo=UTC), len(expected))
                self.assertEqual([f"{at.astimezone(NEW_YORK):%d %H:%M}" for at in followed], expected)

    def test_sentences_say_the_rules_that_they_can_and_come_back_unchanged(self):
        fields = {
            "FREQ=DAILY": "every night at 21:30",
            "FREQ=DAILY;INTERVAL=10": "every 10 days at 21:30",
            "FREQ=WEEKLY;BYDAY=TU,TH": "on Tuesdays and Thursdays at 21:30",
            "FREQ=MONTHLY;BYDAY=1FR": "on the first Friday of each month at 21:30",
            "FREQ=MONTHLY;BYDAY=-1SU": "on the last Sunday of each month at 21:30",
            "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR;BYHOUR=8,12,16;BYMINUTE=0;BYSECOND=0": "every 4 hours from 08:00 to 16:00 on working days",
        }
        for rule, expected in fields.items():
            self.assertEqual(sentence(pattern_of(rule), time(21, 30)), expected)
            self.assertEqual(rule_of(pattern_of(rule)), rule)

    def test_every_other_rule_stays_as_it_was_written(self):
        for _, _, rule, _ in EXAMPLES:
            self.assertEqual(rule_of(pattern_of(rule)), rule)


class RulesThatMakeNoSense(TestCase):
    def refused(self, rule: str, **more: object) -> str:
        with self.assertRaises(BadInput) as caught:
            checked(Recurrence(rule=rule, start=datetime.fromisoformat("2026-01-01T22:00"), zone=NEW_YORK, **more))  # type: ignore[arg-type]
        return f"{caught.exception.field}: {caught.exception.message}"

    def test_each_is_refused_with_its_reason(self):
        self.assertIn("never occurs", self.refused("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30"))
        self.assertIn("never occurs", self.refused("FREQ=DAILY;BYMONTH=2;BYMONTHDAY=31"))
        self.assertIn("never occurs", self.refused("FREQ=DAILY;UNTIL=20200101T000000Z"))
        self.assertIn("more often", self.refused("FREQ=SECONDLY"))
        self.assertIn("more often", self.refused("FREQ=MINUTELY"))
        self.assertIn("more often", self.refused("FREQ=DAILY;BYMINUTE=0,1"))
        self.assertIn("ends_on", self.refused("FREQ=DAILY", until=date(2025, 12, 31)))
        skipped = frozenset({date(2026, 1, 1), date(2026, 1, 2)})
        self.assertIn("exception", self.refused("FREQ=DAILY;COUNT=2", skipped=skipped))
        for nonsense in ("", "every night", "FREQ=", "FREQ=DAILY\nRRULE:FREQ=SECONDLY", "DTSTART:19970902T090000", "FREQ=DAILY;" * 60):
            self.assertIn("rule", self.refused(nonsense))

    def test_patterns_name_the_field_that_is_wrong(self):
        for pattern, field in (
            (Pattern(shape=PatternShape.EVERY_DAYS, days=0), "days"),
            (Pattern(shape=PatternShape.WEEKDAYS), "days"),
            (Pattern(shape=PatternShape.MONTHLY, weekdays=(1,), nth=7), "nth"),
            (Pattern(shape=PatternShape.WORKING_TIME, weekdays=(1,), from_hour=18, to_hour=8), "to_hour"),
            (Pattern(shape=PatternShape.WORKING_TIME, weekdays=(1,), hours=0), "hours"),
            (Pattern(shape=PatternShape.RULE), "rule"),
        ):
            with self.assertRaises(BadInput) as caught:
                rule_of(pattern)
            self.assertEqual(caught.exception.field, field)


class DaysWhenClocksChange(TestCase):
    """Offsets are those of the IANA data that this system carries; the changes are named in each test."""

    def nights(self, zone: str, at: time, first: str, count: int) -> list[tuple[str, str]]:
        where = ZoneInfo(zone)
        moments = weekly(range(7), at, where, since=date(2011, 1, 1)).following(datetime.fromisoformat(first).replace(tzinfo=UTC), count)
        return [(f"{instant.astimezone(where):%m-%d %H:%M}", str(clock_change(instant, at, where))) for instant in moments]

    def test_berlin(self):  # 2026-03-29 02:00 → 03:00; 2026-10-25 03:00 → 02:00
        self.assertEqual(
            self.nights("Europe/Berlin", time(2, 30), "2026-03-28T00:00", 3),
            [("03-28 02:30", ""), ("03-29 03:30", "moved"), ("03-30 02:30", "")],
        )
        self.assertEqual(self.nights("Europe/Berlin", time(2, 30), "2026-10-24T12:00", 1), [("10-25 02:30", "twice")])
        self.assertEqual(self.nights("Europe/Berlin", time(22), "2026-10-24T12:00", 2), [("10-24 22:00", "near"), ("10-25 22:00", "")])

    def test_new_york(self):  # 2026-03-08 02:00 → 03:00; 2026-11-01 02:00 → 01:00
        self.assertEqual(self.nights("America/New_York", time(2, 15), "2026-03-08T00:00", 1), [("03-08 03:15", "moved")])
        self.assertEqual(self.nights("America/New_York", time(1, 15), "2026-11-01T00:00", 1), [("11-01 01:15", "twice")])

    def test_lord_howe_moves_by_half_an_hour(self):  # 2026-10-04 02:00 → 02:30; 2026-04-05 02:00 → 01:30
        self.assertEqual(
            self.nights("Australia/Lord_Howe", time(2, 10), "2026-10-03T12:00", 2), [("10-04 02:40", "moved"), ("10-05 02:10", "")]
        )
        self.assertEqual(self.nights("Australia/Lord_Howe", time(1, 45), "2026-04-04T12:00", 1), [("04-05 01:45", "twice")])

    def test_apia_has_no_30_december_2011(self):  # from UTC-10 to UTC+14 at the end of the 29th
        nights = self.nights("Pacific/Apia", time(22), "2011-12-29T00:00", 4)
        self.assertEqual([day for day, _ in nights], ["12-28 22:00", "12-29 22:00", "12-31 22:00", "01-01 22:00"])

    def test_a_window_over_a_change_closes_by_the_wall_clock(self):
        berlin = ZoneInfo("Europe/Berlin")
        nightly = weekly(range(7), time(22), berlin)
        lengths = [
            slot.closes - slot.opens
            for slot in slots(
                nightly,
                Window(opens=time(22), closes=time(6)),
                after=datetime(2026, 3, 27, 23, tzinfo=UTC),
                until=datetime(2026, 3, 29, 23, tzinfo=UTC),
            )
        ]
        self.assertEqual([length.total_seconds() / 3600 for length in lengths], [7, 8])
        autumn = slots(
            nightly,
            Window(opens=time(22), closes=time(6)),
            after=datetime(2026, 10, 24, 12, tzinfo=UTC),
            until=datetime(2026, 10, 25, 12, tzinfo=UTC),
        )
        self.assertEqual([(slot.closes - slot.opens).total_seconds() / 3600 for slot in autumn], [9])


class WindowsOfPlans(TestCase):
    def setUp(self) -> None:
        self.zone = ZoneInfo("Europe/Berlin")
        self.nightly = weekly(range(7), time(22), self.zone)

    def at(self, text: str) -> datetime:
        return datetime.fromisoformat(text).replace(tzinfo=self.zone).astimezone(UTC)

    def owed(self, window: Window, since: str, now: str) -> tuple[datetime | None, int]:
        """(occurrence that is due, how many were given up)."""
        due = slots(self.nightly, window, after=self.at(since), until=self.at(now))
        wanted, over = owed(due, since=self.at(since), now=self.at(now))
        return (wanted.opens if wanted else None), len(over)

    def test_a_run_that_could_not_start_is_given_up_or_caught_up_with(self):
        for catch_up, expected in ((False, None), (True, self.at("2026-03-02T22:00"))):
            window = Window(opens=time(22), closes=time(6), catch_up=catch_up)
            self.assertEqual(self.owed(window, "2026-03-01T22:00", "2026-03-03T11:00")[0], expected)

    def test_of_many_missed_nights_one_is_caught_up_with(self):
        window = Window(opens=time(22), closes=time(6), catch_up=True)
        wanted, over = self.owed(window, "2026-03-02T12:00", "2026-03-20T11:00")
        self.assertEqual((wanted, over), (self.at("2026-03-19T22:00"), 17))

    def test_in_working_time_a_window_ends_with_the_next_occurrence(self):
        rule = rule_of(Pattern(shape=PatternShape.WORKING_TIME, weekdays=(0, 1, 2, 3, 4), hours=4, from_hour=8, to_hour=16))
        recurrence = Recurrence(rule=rule, start=datetime.fromisoformat("2026-01-01T08:00"), zone=self.zone)
        due = slots(
            recurrence, Window(opens=time(8), closes=time(18)), after=self.at("2026-03-02T00:00"), until=self.at("2026-03-02T23:00")
        )
        self.assertEqual(
            [f"{slot.opens.astimezone(self.zone):%H}-{slot.closes.astimezone(self.zone):%H}" for slot in due], ["08-12", "12-16", "16-18"]
        )

    def test_windows_of_no_length_are_refused(self):
        for closes in (time(22), time(22, 10)):
            with self.assertRaises(BadInput) as caught:
                Window(opens=time(22), closes=closes)
            self.assertEqual(caught.exception.field, "window_closes")

    def test_office_holidays_and_exceptions_are_passed_over(self):
        skipped = frozenset({date(2026, 12, 24), date(2026, 12, 25)})
        recurrence = Recurrence(
            rule="FREQ=DAILY", start=datetime.fromisoformat("2026-01-01T22:00"), zone=self.zone, until=date(2026, 12, 27), skipped=skipped
        )
        followed = recurrence.following(self.at("2026-12-23T00:00"), 10)
        self.assertEqual([at.astimezone(self.zone).day for at in followed], [23, 26, 27])


class PromisesWithoutSomeDays(TestCase):
    def test_closed_days_do_not_count_towards_the_age(self):
        zone = ZoneInfo("Europe/Berlin")
        newest = datetime(2026, 12, 23, 22, tzinfo=zone)
        closed = {date(2026, 12, 24), date(2026, 12, 25), date(2026, 12, 26)}
        self.assertEqual(deadline_of(newest, 2 * 86_400, left_out=closed, zone=zone), datetime(2026, 12, 28, 22, tzinfo=zone))
        self.assertEqual(deadline_of(newest, 2 * 86_400), datetime(2026, 12, 25, 22, tzinfo=zone))

    def test_a_day_on_which_clocks_change_is_left_out_whole(self):
        zone = ZoneInfo("Europe/Berlin")
        newest = datetime(2026, 10, 24, 22, tzinfo=zone)
        deadline = deadline_of(newest, 86_400, left_out={date(2026, 10, 25)}, zone=zone)
        self.assertEqual(deadline, datetime(2026, 10, 26, 22, tzinfo=zone))
