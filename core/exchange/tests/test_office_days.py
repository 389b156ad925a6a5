from datetime import UTC, date, datetime
from unittest import TestCase
from zoneinfo import ZoneInfo

from icalendar import Calendar

from core.errors import BadInput
from core.exchange.office_days import plan_feed, read_holidays

TODAY = date(2026, 11, 25)


def calendar(*events: str) -> bytes:
    named = [event if "UID:" in event else f"UID:{n}\r\n{event}" for n, event in enumerate(events)]
    body = "".join(f"BEGIN:VEVENT\r\nDTSTAMP:20260101T000000Z\r\n{event}\r\nEND:VEVENT\r\n" for event in named)
    return f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\n{body}END:VCALENDAR\r\n".encode()


class Holidays(TestCase):
    def days(self, *events: str) -> list[str]:
        return [str(one.day) for one in read_holidays(calendar(*events), today=TODAY)]

    def test_a_day_and_a_week_whose_end_is_the_day_after(self):
        # RFC 5545 §3.6.1: DTEND of an all-day event is the day after its last one
        self.assertEqual(
            self.days(
                "DTSTART;VALUE=DATE:20261224\r\nDTEND;VALUE=DATE:20261227\r\nSUMMARY:Closed",
                "DTSTART;VALUE=DATE:20270101\r\nSUMMARY:New Year",
            ),
            ["2026-12-24", "2026-12-25", "2026-12-26", "2027-01-01"],
        )

    def test_yearly_ones_are_expanded(self):
        days = self.days("DTSTART;VALUE=DATE:20201225\r\nRRULE:FREQ=YEARLY\r\nSUMMARY:Christmas Day")
        self.assertEqual(days[:2], ["2025-12-25", "2026-12-25"])
        self.assertLessEqual(len(days), 5)

    def test_dates_added_taken_out_moved_and_cancelled(self):
        series = "UID:bridge\r\nDTSTART;VALUE=DATE:20260105\r\nRRULE:FREQ=YEARLY;COUNT=4\r\nSUMMARY:Bridge day"
        self.assertEqual(
            self.days(f"{series}\r\nEXDATE;VALUE=DATE:20270105\r\nRDATE;VALUE=DATE:20260807"),
            ["2026-01-05", "2026-08-07", "2028-01-05", "2029-01-05"],
        )
        moved = "UID:bridge\r\nRECURRENCE-ID;VALUE=DATE:20270105\r\nDTSTART;VALUE=DATE:20270111\r\nSUMMARY:Bridge day, later"
        self.assertEqual(self.days(series, moved)[:2], ["2026-01-05", "2027-01-11"])
        gone = "UID:bridge\r\nRECURRENCE-ID;VALUE=DATE:20270105\r\nDTSTART;VALUE=DATE:20270105\r\nSTATUS:CANCELLED"
        self.assertEqual(self.days(series, gone)[:2], ["2026-01-05", "2028-01-05"])

    def test_twenty_thousand_daily_ones_are_refused_before_they_are_expanded(self):
        began = [f"UID:{n}\r\nDTSTART;VALUE=DATE:20260101\r\nRRULE:FREQ=DAILY" for n in range(300)]
        with self.assertRaisesRegex(BadInput, "far too often"):
            self.days(*began)

    def test_what_is_past_is_left_out_and_a_file_with_nothing_else_is_refused(self):
        with self.assertRaisesRegex(BadInput, "no holiday of this year"):
            self.days("DTSTART;VALUE=DATE:20110101\r\nSUMMARY:Long ago")

    def test_nonsense_and_ten_megabytes_are_refused_with_the_field(self):
        for text in (
            b"",
            b"\x00\xff nonsense",
            b"BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n",
            b"x" * 10_000_000,
            b"BEGIN:VEVENT\r\nDTSTART:never\r\nEND:VEVENT\r\n",
        ):
            with self.subTest(text[:20]), self.assertRaises(BadInput) as caught:
                read_holidays(text, today=TODAY)
            self.assertEqual(caught.exception.field, "file")

    def test_a_holiday_of_ten_years_and_one_that_repeats_every_second(self):
        for event in ("DTSTART;VALUE=DATE:20260101\r\nDTEND;VALUE=DATE:20360101", "DTSTART;VALUE=DATE:20260101\r\nRRULE:FREQ=SECONDLY"):
            with self.assertRaises(BadInput):
                self.days(event)

    def test_an_office_year_with_its_holidays(self):
        # the public holidays that Lower Saxony observes in 2027, as its law lists them (dates from memory)
        cases = ("0101", "0326", "0329", "0501", "0506", "0517", "1003", "1031", "1225", "1226")
        days = self.days(*(f"DTSTART;VALUE=DATE:2027{day}\r\nSUMMARY:Holiday" for day in cases))
        self.assertEqual([day[5:7] + day[8:] for day in days], sorted(cases))


class TheFeed(TestCase):
    def test_another_program_reads_the_dates_and_the_zone(self):
        berlin = ZoneInfo("Europe/Berlin")
        runs = [(datetime(2026, 10, day, 20, tzinfo=UTC), datetime(2026, 10, day + 1, 4, tzinfo=UTC)) for day in (23, 24)]
        runs.append((datetime(2026, 10, 25, 21, tzinfo=UTC), datetime(2026, 10, 26, 5, tzinfo=UTC)))
        feed = plan_feed(
            plan="Field, nightly; ünder",
            plan_id="1",
            sentence="every night at 22:00",
            zone=berlin,
            runs=runs,
            now=datetime(2026, 10, 20, tzinfo=UTC),
        )
        read_back = Calendar.from_ical(feed)
        events = read_back.walk("VEVENT")
        self.assertEqual([event["DTSTART"].dt.astimezone(UTC) for event in events], [opens for opens, _ in runs])
        self.assertEqual({event["DTSTART"].dt.hour for event in events}, {22})
        self.assertIn("Field, nightly; ünder", str(events[0]["SUMMARY"]))
        self.assertEqual(len({str(event["UID"]) for event in events}), 3)
        self.assertEqual([str(zone["TZID"]) for zone in read_back.walk("VTIMEZONE")], ["Europe/Berlin"])
