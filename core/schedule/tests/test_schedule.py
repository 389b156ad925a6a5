from datetime import UTC, datetime, time, timedelta
from unittest import TestCase
from zoneinfo import ZoneInfo

from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st

from core.errors import BadInput
from core.schedule.promise import MOST_LEFT_OUT, Standing, deadline_of, state_of
from core.schedule.recurrence import Recurrence, _nearer, checked, weekly, zone_named
from core.schedule.window import Window, owed, slots

NEW_YORK, BERLIN = ZoneInfo("America/New_York"), ZoneInfo("Europe/Berlin")


def utc(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


class ExamplesOfRfc5545(TestCase):
    """RFC 5545 §3.8.5.3; all start on 1997-09-02 at 09:00 in New York unless noted."""

    def days(self, rule: str, count: int, start: str = "1997-09-02T09:00") -> list[str]:
        recurrence = Recurrence(rule=rule, start=datetime.fromisoformat(start), zone=NEW_YORK)
        followed = recurrence.following(utc("1997-09-01T00:00"), count)
        self.assertTrue(all(instant.astimezone(NEW_YORK).hour == 9 for instant in followed))
        return [instant.astimezone(NEW_YORK).strftime("%m-%d") for instant in followed]

    def test_daily_for_ten_occurrences(self):
        self.assertEqual(self.days("FREQ=DAILY;COUNT=10", 20), [f"09-{day:02}" for day in range(2, 12)])

    def test_one_that_comes_after_more_than_five_years_counts_as_over(self):
        self.assertEqual(self.days("FREQ=YEARLY;INTERVAL=5", 2), ["09-02", "09-02"])
        self.assertEqual(self.days("FREQ=YEARLY;INTERVAL=6", 2), ["09-02"])

    def test_every_other_day(self):
        self.assertEqual(self.days("FREQ=DAILY;INTERVAL=2", 5), ["09-02", "09-04", "09-06", "09-08", "09-10"])

    def test_weekly_on_tuesday_and_thursday_for_five_weeks(self):
        expected = ["09-02", "09-04", "09-09", "09-11", "09-16", "09-18", "09-23", "09-25", "09-30", "10-02"]
        self.assertEqual(self.days("FREQ=WEEKLY;UNTIL=19971007T000000Z;WKST=SU;BYDAY=TU,TH", 20), expected)

    def test_every_other_week_on_monday_wednesday_and_friday(self):
        expected = ["09-01", "09-03", "09-05", "09-15", "09-17", "09-19", "09-29", "10-01", "10-03"]
        days = self.days("FREQ=WEEKLY;INTERVAL=2;WKST=SU;BYDAY=MO,WE,FR", 9, "1997-09-01T09:00")
        self.assertEqual(days, expected)

    def test_first_friday_of_the_month(self):
        days = self.days("FREQ=MONTHLY;COUNT=10;BYDAY=1FR", 10, "1997-09-05T09:00")
        self.assertEqual(days, ["09-05", "10-03", "11-07", "12-05", "01-02", "02-06", "03-06", "04-03", "05-01", "06-05"])

    def test_second_to_last_monday_of_the_month_for_six_months(self):
        days = self.days("FREQ=MONTHLY;COUNT=6;BYDAY=-2MO", 10, "1997-09-22T09:00")
        self.assertEqual(days, ["09-22", "10-20", "11-17", "12-22", "01-19", "02-16"])

    def test_third_to_last_day_of_the_month(self):
        days = self.days("FREQ=MONTHLY;BYMONTHDAY=-3", 6, "1997-09-28T09:00")
        self.assertEqual(days, ["09-28", "10-29", "11-28", "12-29", "01-29", "02-26"])

    def test_friday_the_thirteenth(self):
        days = self.days("FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13", 3)
        self.assertEqual(days, ["02-13", "03-13", "11-13"])


class DaysWhenClocksChange(TestCase):
    # IANA data: Berlin changes at 01:00 UTC on 2026-03-29 and 2026-10-25, New York at 02:00 local on 2026-03-08 and 2026-11-01

    def test_the_wall_time_stays_and_the_utc_time_moves(self):
        for zone, before, after in ((BERLIN, "2026-03-28T12:00", "21:00 20:00"), (NEW_YORK, "2026-03-07T12:00", "03:00 02:00")):
            moments = weekly(range(7), time(22, 0), zone).following(utc(before), 2)
            self.assertEqual(" ".join(f"{instant:%H:%M}" for instant in moments), after)

    def test_a_time_in_the_gap_is_read_with_the_offset_before_it(self):
        moments = weekly(range(7), time(2, 30), BERLIN).following(utc("2026-03-28T12:00"), 1)
        self.assertEqual(moments, [utc("2026-03-29T01:30")])
        self.assertEqual(f"{moments[0].astimezone(BERLIN):%H:%M}", "03:30")

    def test_a_time_that_comes_twice_counts_once(self):
        listed = list(weekly(range(7), time(2, 30), BERLIN).between(utc("2026-10-24T12:00"), utc("2026-10-25T12:00")))
        self.assertEqual(listed, [utc("2026-10-25T00:30")])
        listed = list(weekly(range(7), time(1, 30), NEW_YORK).between(utc("2026-11-01T02:00"), utc("2026-11-01T20:00")))
        self.assertEqual(listed, [utc("2026-11-01T05:30")])

    def test_a_day_that_did_not_exist(self):
        # IANA data: Apia skipped the whole of 2011-12-30
        moments = weekly(range(7), time(12, 0), ZoneInfo("Pacific/Apia")).following(utc("2011-12-29T00:00"), 3)
        self.assertEqual(len(set(moments)), len(moments))


class WeeklyRulesAreNotWalkedFromTheirStart(TestCase):
    @given(st.sets(st.integers(0, 6), min_size=1), st.integers(0, 24 * 900), st.integers(0, 23), st.integers(1, 20))
    def test_a_day_by_day_walk_agrees(self, days, hours, hour, length):
        after = utc("2025-01-01T00:00") + timedelta(hours=hours)
        until = after + timedelta(days=length)
        expected = []
        day = (after - timedelta(days=2)).date()
        while day <= (until + timedelta(days=2)).date():
            instant = datetime.combine(day, time(hour), BERLIN).astimezone(UTC)
            if day.weekday() in days and after < instant <= until:
                expected.append(instant)
            day += timedelta(days=1)
        self.assertEqual(list(weekly(days, time(hour), BERLIN).between(after, until)), expected)


class RulesWithinADayAreNotWalkedFromTheirStart(TestCase):
    @given(
        st.sampled_from(["HOURLY", "MINUTELY"]),
        st.integers(15, 200),
        st.sampled_from(["", ";BYDAY=MO,TH", ";BYMONTHDAY=3,4", ";BYHOUR=3,4,5,6,7", ";BYMINUTE=0,30;BYHOUR=1"]),
        st.integers(0, 500),
        st.integers(0, 200),
    )
    def test_a_walk_from_there_agrees(self, freq, interval, more, days, length):
        rule, start = f"FREQ={freq};INTERVAL={interval}{more}", datetime(2025, 1, 6, 0, 30)
        after = start.replace(tzinfo=UTC) + timedelta(hours=7 * days)
        until = after + timedelta(hours=length)
        try:
            walked = rrulestr(rule, dtstart=start).between(*(one.replace(tzinfo=None) for one in (after, until)), inc=True)
        except ValueError:
            return  # no step comes to these hours
        told = list(Recurrence(rule=rule, start=start, zone=ZoneInfo("UTC")).between(after, until))
        self.assertEqual(told, [at for wall in walked if (at := wall.replace(tzinfo=UTC)) > after])

    def test_fifty_years_of_quarters_of_an_hour_are_not_held_in_memory(self):
        of_old = Recurrence(rule="FREQ=MINUTELY;INTERVAL=15", start=datetime(1970, 1, 1), zone=BERLIN)
        soon = of_old.following(utc("2026-11-25T12:07"), 2)
        self.assertEqual(soon, [utc("2026-11-25T12:15"), utc("2026-11-25T12:30")])
        self.assertEqual(_nearer(of_old.rule, of_old.start, datetime(2026, 11, 18, 0, 7)), datetime(2026, 11, 18))


class Inputs(TestCase):
    def test_impossible_ones_name_their_field(self):
        cases = (
            ("zone", lambda: zone_named("Europe/Atlantis")),
            ("zone", lambda: zone_named("../etc/passwd")),
            ("days", lambda: weekly([], time(1), BERLIN)),
            ("days", lambda: weekly([7], time(1), BERLIN)),
            ("rule", lambda: Recurrence(rule="FREQ=SOMETIMES", start=datetime(2026, 1, 1), zone=BERLIN)),
            ("window_closes", lambda: Window(opens=time(22), closes=time(22))),
            ("window_closes", lambda: Window(opens=time(22), closes=time(22, 5))),
        )
        for field, attempt in cases:
            with self.subTest(field=field), self.assertRaises(BadInput) as caught:
                attempt()
            self.assertEqual(caught.exception.field, field)


class RulesThatAreNone(TestCase):
    """Of each it is said what is wrong, before anybody waits for a day that never comes."""

    def said(self, rule: str, start: datetime = datetime(2026, 1, 5, 22)) -> str:
        try:
            checked(Recurrence(rule=rule, start=start, zone=BERLIN))
        except BadInput as error:
            self.assertIn(error.field, ("rule", "starts_on"))
            return error.message
        return ""

    def test_steps_and_times_are_positive(self):
        # RFC 5545 §3.3.10: INTERVAL and COUNT are positive integers
        for part in ("INTERVAL=0", "INTERVAL=-1", "INTERVAL=+0", "interval=0;BYDAY=TU", "COUNT=0", "COUNT=-2"):
            self.assertIn("no recurrence rule", self.said(f"FREQ=DAILY;{part}"), part)
        for rule in ("FREQ=DAILY;INTERVAL=1", "FREQ=DAILY;COUNT=1", "FREQ=HOURLY;INTERVAL=6", "FREQ=MINUTELY;INTERVAL=15"):
            self.assertEqual(self.said(rule), "", rule)
        self.assertIn("more often", self.said("FREQ=MINUTELY;INTERVAL=14"))

    def test_each_part_holds_what_the_standard_lets_stand_there(self):
        # RFC 5545 §3.3.10: bysecond 0-60 (a leap second is never met), byminute, byhour, ordinals of days, weeks, months and places
        bounds = {
            "BYMINUTE": (0, 59),
            "BYHOUR": (0, 23),
            "BYMONTHDAY": (1, 31),
            "BYYEARDAY": (1, 366),
            "BYWEEKNO": (1, 53),
            "BYMONTH": (1, 12),
        }
        for name, (first, last) in bounds.items():
            signs = (1, -1) if name in ("BYMONTHDAY", "BYYEARDAY", "BYWEEKNO") else (1,)
            for sign in signs:
                self.assertEqual([self.said(f"FREQ=YEARLY;{name}={sign * one}") for one in (first, last)], ["", ""], name)
            wrong = {first - 1, last + 1, 10**11, "", "x", "1.5", "1,,2"} | ({-1} if len(signs) == 1 else set())
            for one in wrong:
                self.assertIn("no recurrence rule", self.said(f"FREQ=YEARLY;{name}={one}"), (name, one))
        for part in (
            "BYDAY=XX",
            "BYDAY=54MO",
            "BYDAY=0MO",
            "BYDAY=",
            "WKST=X",
            "BYEASTER=1",
            "X=1",
            "INTERVAL=1.5",
            "BYSETPOS=0",
            "BYSETPOS=367",
        ):
            self.assertIn("no recurrence rule", self.said(f"FREQ=YEARLY;BYDAY=MO;{part}"), part)
        for rule in (
            "FREQ=MONTHLY;BYDAY=-1FR,+2TU,5SU;WKST=SU",
            "FREQ=MONTHLY;BYDAY=MO,TU;BYSETPOS=-1",
            "FREQ=MONTHLY;BYMONTHDAY=+15,-1",
            "freq=yearly;byday=53mo,1mo",
        ):
            self.assertEqual(self.said(rule), "", rule)
        for freq in ("MINUTELY", "HOURLY"):
            self.assertIn("no recurrence rule", self.said(f"FREQ={freq};BYSETPOS=2"))

    def test_a_first_day_at_either_end_of_all_calendars(self):
        for start, says in (
            (datetime(1, 1, 1), "long past"),
            (datetime(1969, 12, 31), "long past"),
            (datetime(9944, 1, 1), "end of all"),
            (datetime(9999, 12, 31), "end of all"),
        ):
            self.assertIn(says, self.said("FREQ=DAILY", start))
        self.assertEqual([self.said("FREQ=DAILY", start) for start in (datetime(1970, 1, 1), datetime(9943, 12, 31))], ["", ""])

    def test_days_that_no_year_has(self):
        for parts in ("YEARLY;BYMONTH=2;BYMONTHDAY=30", "MONTHLY;BYDAY=5MO;BYMONTHDAY=1", "DAILY;BYYEARDAY=366;BYMONTH=1",
                      "MINUTELY;INTERVAL=30;BYYEARDAY=366;BYMONTH=1", "DAILY;UNTIL=20000101","WEEKLY;BYYEARDAY=366;BYMONTH=1", "MINUTELY;INTERVAL=120;BYHOUR=3"):  # fmt: skip
            self.assertIn("never occurs", self.said(f"FREQ={parts}"), parts)
        for parts in (
            "YEARLY;BYMONTH=2;BYMONTHDAY=29",
            "YEARLY;INTERVAL=2;BYMONTHDAY=29;BYMONTH=2",
            "DAILY;BYYEARDAY=366",
            "YEARLY;BYWEEKNO=53",
        ):
            self.assertEqual(self.said(f"FREQ={parts}"), "", parts)
        every_fourth = "FREQ=YEARLY;INTERVAL=4;BYMONTH=2;BYMONTHDAY=29"
        self.assertEqual([bool(self.said(every_fourth, datetime(year, 1, 5))) for year in range(2025, 2031)], [1, 1, 1, 0, 1, 1])

    def test_a_leap_day_that_begins_it(self):
        self.assertEqual(self.said("FREQ=YEARLY", datetime(2028, 2, 29, 22)), "")

    def test_one_rule_of_a_bounded_length_on_the_wall_clock(self):
        for rule in ("FREQ=DAILY\nRRULE:FREQ=DAILY", "RRULE:FREQ=DAILY", "FREQ=DAILY;BYMONTHDAY=" + "1," * 150 + "1", "x", "FREQ=DAILY;X"):
            self.assertIn("no recurrence rule", self.said(rule), rule)
        with self.assertRaisesRegex(ValueError, "without zone"):
            Recurrence(rule="FREQ=DAILY", start=utc("2026-01-05T22:00"), zone=BERLIN)


class WhatIsDue(TestCase):
    nightly = weekly(range(7), time(22), BERLIN)
    window = Window(opens=time(22), closes=time(6))

    def due(self, now: str, handled: str | None = None) -> datetime | None:
        due = slots(self.nightly, self.window, after=utc(now) - timedelta(days=10), until=utc(now))
        wanted, _ = owed(due, since=utc(handled) if handled else utc(now) - timedelta(days=2), now=utc(now))
        return wanted.opens if wanted else None

    def test_a_window_may_cross_midnight(self):
        self.assertEqual(self.window.length, timedelta(hours=8))

    def test_from_the_planned_time_until_the_window_closes(self):
        # 22:00 in Berlin is 21:00 UTC in January
        self.assertIsNone(self.due("2026-01-10T20:59"))
        self.assertEqual(self.due("2026-01-10T21:00"), utc("2026-01-10T21:00"))
        self.assertEqual(self.due("2026-01-11T04:59"), utc("2026-01-10T21:00"))
        self.assertIsNone(self.due("2026-01-11T05:00"))

    def test_not_twice(self):
        self.assertIsNone(self.due("2026-01-10T23:00", handled="2026-01-10T21:00"))

    def test_after_a_week_of_silence_one_run_and_not_seven(self):
        self.assertEqual(self.due("2026-01-10T23:00", handled="2026-01-03T21:00"), utc("2026-01-10T21:00"))

    def test_missed_ones_are_those_whose_window_has_closed(self):
        now = utc("2026-01-10T23:00")
        _, over = owed(slots(self.nightly, self.window, after=utc("2026-01-07T00:00"), until=now), since=utc("2026-01-08T00:00"), now=now)
        self.assertEqual([slot.opens for slot in over], [utc("2026-01-08T21:00"), utc("2026-01-09T21:00")])


class StateAgainstThePromise(TestCase):
    now = utc("2026-01-10T08:00")

    def state(self, newest: str | None, next_run: str | None = "2026-01-10T21:00", **more: object):
        return state_of(
            newest=utc(newest) if newest else None,
            promise_seconds=48 * 3600,
            next_run=utc(next_run) if next_run else None,
            now=self.now,
            **more,  # type: ignore[arg-type]
        )

    def test_each_standing(self):
        self.assertEqual(self.state("2026-01-09T21:00").standing, Standing.ON_TIME)
        self.assertEqual(self.state("2026-01-08T19:00").standing, Standing.DUE_SOON)
        self.assertEqual(self.state("2026-01-08T07:59").standing, Standing.LATE)
        self.assertEqual(self.state(None).standing, Standing.NEVER)
        self.assertEqual(self.state(None, aside=Standing.LOST).standing, Standing.LOST)

    def test_it_turns_exactly_at_the_deadline(self):
        state = self.state("2026-01-08T19:00")
        self.assertEqual(state.turns_at, utc("2026-01-10T19:00"))
        late = state_of(
            newest=utc("2026-01-08T19:00"), promise_seconds=48 * 3600, next_run=None, now=state.turns_at + timedelta(microseconds=1)
        )
        self.assertEqual(late.standing, Standing.LATE)

    def test_on_time_turns_with_the_last_run_that_its_promise_allows_to_miss(self):
        # newest on the 9th at 21:00, good until the 11th at 21:00; runs on the 10th and 12th at 20:00: past the one on the 10th it is due soon
        state = self.state("2026-01-09T21:00", "2026-01-10T20:00", later_runs=[utc("2026-01-12T20:00")])
        self.assertEqual((state.standing, state.turns_at), (Standing.ON_TIME, utc("2026-01-10T20:00")))
        state = self.state("2026-01-09T21:00", "2026-01-10T20:00", later_runs=[utc("2026-01-11T20:00"), utc("2026-01-12T20:00")])
        self.assertEqual((state.standing, state.turns_at), (Standing.ON_TIME, utc("2026-01-11T20:00")))
        after = state_of(
            newest=utc("2026-01-09T21:00"),
            promise_seconds=48 * 3600,
            next_run=utc("2026-01-12T20:00"),
            now=state.turns_at + timedelta(seconds=1),
        )
        self.assertEqual(after.standing, Standing.DUE_SOON)

    def test_without_a_next_run_a_device_is_never_simply_on_time(self):
        self.assertEqual(self.state("2026-01-10T07:00", next_run=None).standing, Standing.DUE_SOON)

    def test_days_left_out_are_not_counted_and_an_office_that_never_opens_again_is_late_one_day(self):
        day = datetime(2026, 3, 2, 12, tzinfo=UTC)
        left_out = {day.date() + timedelta(days=n) for n in range(1, 4)}
        self.assertEqual(deadline_of(day, 86_400, left_out=left_out, zone=ZoneInfo("UTC")), day + timedelta(days=4))
        for_ever = {day.date() + timedelta(days=n) for n in range(1, 5000)}
        late = deadline_of(day, 86_400, left_out=for_ever, zone=ZoneInfo("UTC"))
        self.assertEqual((late - day).days, MOST_LEFT_OUT + 2)

    def test_nothing_promised(self):
        self.assertEqual(state_of(newest=None, promise_seconds=None, next_run=None, now=self.now).standing, Standing.NO_PLAN)
