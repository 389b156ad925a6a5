"""What few files hold, and one does: cards inside of cards, dates that are none, mailboxes that begin in the middle."""

from datetime import UTC, date, datetime, timedelta
from unittest import TestCase

from core.errors import BadInput
from core.exchange.calendar import calendar, sortable
from core.exchange.card_forms import in_version
from core.exchange.card_text import unescaped
from core.exchange.contentlines import blocks, parsed
from core.exchange.filenames import MAX_PATH_BYTES, safe_path
from core.exchange.mbox import messages
from core.exchange.office_days import MAX_DAYS, read_holidays
from core.exchange.read_vcard import contact
from core.exchange.tables import read_table
from core.exchange.tests.test_office_days import TODAY
from core.exchange.tests.test_office_days import calendar as of_days


class Cards(TestCase):
    INNER = ("BEGIN:VCARD", "FN:Ada, Quay", "BEGIN:VCARD", "FN:Innermost", "END:VCARD", "END:VCARD")

    def test_a_card_inside_of_a_card_is_the_text_of_its_line(self):
        # RFC 2426 §3.5.4: AGENT holds the other card as text
        for before in (["AGENT:"], []):
            lines = in_version("3.0", [*before, *self.INNER, "FN:Orlo", "TEL:1"], uid="", full_name="")
            agents = [line.removeprefix("AGENT:") for line in lines if line.startswith("AGENT")]
            self.assertEqual([unescaped(one) for one in agents], ["\n".join(self.INNER)])
            self.assertEqual([line for line in lines if line[:3] in ("FN:", "TEL")], ["FN:Orlo", "TEL:1"])
        self.assertIn("X-AGENT:", "\n".join(in_version("4.0", self.INNER, uid="", full_name="B")))

    def test_what_3_sorts_by_is_a_parameter_of_the_name_or_stays_a_line(self):
        # RFC 6350 §5.9: SORT-AS
        for lines, sorts in (
            (["FN:A", "SORT-STRING:Quay"], ["X-SORT-STRING:Quay"]),
            (["N:Quay;Ada;;;", "SORT-STRING:Q1"], ["N;SORT-AS=Q1:Quay;Ada;;;"]),
            (["N;SORT-AS=Z:Quay;Ada;;;", "SORT-STRING:Q1"], ["N;SORT-AS=Z:Quay;Ada;;;", "X-SORT-STRING:Q1"]),
        ):
            self.assertEqual([one for one in in_version("4.0", lines, uid="", full_name="B") if "SORT" in one], sorts)

    def test_older_words_for_an_address_are_todays(self):
        for word in ("url", "content-id", "INLINE"):
            self.assertIn("URL;VALUE=uri:x", in_version("4.0", [f"URL;VALUE={word}:x"], uid="", full_name="B"))

    def test_a_colon_in_quotes_ends_no_head_and_quotes_that_do_not_end_are_no_line(self):
        line = parsed('TEL;X="a:b":1')
        self.assertEqual((line.params, line.value), ({"X": ["a:b"]}, "1"))
        self.assertEqual([parsed(text) for text in ('TEL;X="a:b', "none")], [None, None])

    def test_what_is_no_line_stays_with_what_stands_twice_or_is_half_a_date(self):
        text = b"BEGIN:VCARD\nFN:Ada\nFN:Again\nnothing at all\nNOTE:\nBDAY:--1224\nADR:box;;s;t\nEND:VCARD\n"
        (block,) = blocks([text], names=frozenset({"VCARD"}))
        other = ["FN:Again", "nothing at all", "BDAY:--1224", "ADR:box;;s;t"]
        self.assertEqual(contact(block), ("", {"display": "Ada", "other": other}))


class Dates(TestCase):
    def test_what_sorts_an_event(self):
        for value, record, at in (
            ("2026-01-02", {"all_day": True}, datetime(2026, 1, 2, tzinfo=UTC)),
            ("2026-01-02T03:04", {"zone": "Europe/Berlin"}, datetime(2026, 1, 2, 2, 4, tzinfo=UTC)),
            ("2026-01-02T03:04+05:00", {}, datetime(2026, 1, 1, 22, 4, tzinfo=UTC)),
            ("2026-01-02T03:04", {}, datetime(2026, 1, 2, 3, 4, tzinfo=UTC)),
            ("2026-01-02T03:04", {"zone": "Nowhere/Else"}, None),
            ("never", {}, None),
            (None, {}, None),
        ):
            self.assertEqual(sortable(value, record), at, (value, record))

    def test_what_an_event_held_besides_and_is_not_whole_is_left_and_the_event_is_not(self):
        for other in (["BEGIN:VALARM"], ["END:VEVENT\r\nX-BROKEN:1"]):
            text, refused = calendar([("e", {"start": "2026-01-02T03:04", "other": other})], now=datetime(2026, 1, 1, tzinfo=UTC))
            self.assertEqual((text.count(b"BEGIN:VEVENT"), b"VALARM" in text, b"BROKEN" in text, refused), (1, False, False, []))

    def test_an_event_keeps_the_name_that_it_had_elsewhere(self):
        for record, uid in (
            ({"uid": "u@example.net"}, b"u@example.net"),
            ({}, b"e1"),
            ({"other": ["RECURRENCE-ID:20260102T030400"]}, b"e1"),
        ):
            id = "e1 20260102T030400" if "other" in record else "e1"
            text, _ = calendar([(id, record | {"start": "2026-01-02T03:04"})], now=datetime(2026, 1, 1, tzinfo=UTC))
            self.assertIn(b"UID:" + uid + b"\r\n", text)

    def test_a_holiday_of_some_hours_is_of_the_days_that_they_touch(self):
        for end, days in (("20261224T180000", [24]), ("20261225T000000", [24]), ("20261225T120000", [24, 25])):
            told = read_holidays(of_days(f"DTSTART:20261224T080000\r\nDTEND:{end}"), today=TODAY)
            self.assertEqual([one.day for one in told], [date(2026, 12, day) for day in days])

    def test_what_is_every_day_is_told_of_each_day_once(self):
        for begin in ("19900101", "20260101"):
            told = read_holidays(of_days(f"DTSTART;VALUE=DATE:{begin}\r\nRRULE:FREQ=DAILY"), today=TODAY)
            self.assertEqual((told[-1].day - told[0].day).days, len(told) - 1)
            self.assertEqual(told[-1].day, TODAY + timedelta(days=366 * 3))

    def test_holidays_that_are_none_are_refused_by_what_is_wrong(self):
        year = [f"DTSTART;VALUE=DATE:{n}0101\r\nDTEND;VALUE=DATE:{n}0501" for n in range(2026, 2028)]
        self.assertEqual(len(read_holidays(of_days(*year), today=TODAY)), 240)
        for event, says in (
            ("SUMMARY:Never", "no date"),
            ("DTSTART;VALUE=DATE:20260101\r\nRRULE:FREQ=YEARLY;UNTIL=never", "cannot be read"),
            ("DTSTART;VALUE=DATE:20260101\r\nRRULE:FREQ=HOURLY", "repeats within a day"),
            ("DTSTART;VALUE=DATE:20260101\r\nDURATION:P121D", "lasts 121 days"),
            ("DTSTART:20270822T120000\r\nDTEND:20170820T120000", "ends before it begins"),
            ("DTSTART;VALUE=DATE:20270822\r\nDURATION:-P1D", "ends before it begins"),
            ("DTSTART;VALUE=DATE:18991231\r\nRRULE:FREQ=DAILY", "since the year 1899"),
            ("DTSTART;VALUE=DATE:20260101\r\nDURATION:P99999999D", "longer than any calendar"),
            ("DTSTART;VALUE=DATE:20260101\r\nRRULE:FREQ=DAILY;INTERVAL=0", "rule that cannot be read"),
            ("DTSTART;VALUE=DATE:20260101\r\nRRULE:FREQ=DAILY;INTERVAL=-1", "rule that cannot be read"),
            ("DTSTART;VALUE=DATE:20260101\r\nRRULE:FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30", "never takes place: FREQ=DAILY"),
        ):
            with self.subTest(says), self.assertRaisesRegex(BadInput, says) as caught:
                read_holidays(of_days(event), today=TODAY)
            self.assertEqual(caught.exception.field, "file")
        self.assertEqual(
            [one.day for one in read_holidays(of_days("DTSTART;VALUE=DATE:20260101\r\nDURATION:P2D"), today=TODAY)],
            [date(2026, 1, 1), date(2026, 1, 2)],
        )
        with self.assertRaisesRegex(BadInput, "More than 500 of its events repeat"):
            read_holidays(of_days(*["DTSTART;VALUE=DATE:20260101\r\nRRULE:FREQ=YEARLY"] * 501), today=TODAY)
        self.assertGreater(MAX_DAYS, 3 * 366, "three years of days are never too many")


class Rows(TestCase):
    def test_a_path_loses_its_first_folders_until_it_fits(self):
        deep = "/".join([f"f{n:03}" + "a" * 100 for n in range(800)]) + "/end.txt"
        short = safe_path(deep)
        self.assertTrue(deep.endswith(short) and MAX_PATH_BYTES - 105 < len(short) <= MAX_PATH_BYTES, len(short))
        self.assertEqual(safe_path(". /../ "), "unnamed")

    def test_a_mailbox_that_begins_in_the_middle_and_does_not_end(self):
        whole = b"junk\nFrom a b\nSubject: x\n\n>From y\n>>From z\nlast"
        for size in (1, 7, len(whole)):
            pieces = (whole[at : at + size] for at in range(0, len(whole), size))
            self.assertEqual(list(messages(pieces)), [b"Subject: x\n\nFrom y\n>From z\nlast"])
        self.assertEqual(list(messages([b"", b"none"])), [])

    def test_a_table_with_empty_rows_and_one_in_another_script(self):
        self.assertEqual(read_table("\ufeffa;b\n\n1;2\n;\n,;x\n".encode(), rows_at_most=2)[1], [{"a": "1", "b": "2"}, {"a": ",", "b": "x"}])
        with self.assertRaisesRegex(BadInput, "not in UTF-8") as caught:
            read_table("Jörn;\n".encode("latin-1"), rows_at_most=5)
        self.assertEqual(caught.exception.field, "file")
