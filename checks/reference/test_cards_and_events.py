"""Reading vCard (RFC 6350) and iCalendar (RFC 5545), held against `vobject` and `icalendar` on awkward but valid input.

The first card is the example of RFC 6350 §8, the events are those of RFC 5545 §4 and §3.8.2; both typed from memory,
so that a difference in a letter would be ours.
"""

import json
from datetime import UTC, date, datetime, timedelta
from unittest import TestCase
from zoneinfo import ZoneInfo

import vobject
from hypothesis import given
from hypothesis import strategies as st
from icalendar import Calendar

from core.exchange.calendar import calendar, moment
from core.exchange.read_calendar import event, events
from core.exchange.read_vcard import cards, contact
from core.exchange.vcard import vcard

RFC_6350_EXAMPLE = """BEGIN:VCARD
VERSION:4.0
FN:Simon Perreault
N:Perreault;Simon;;;ing. jr,M.Sc.
BDAY:--0203
ANNIVERSARY:20090808T1430-0500
GENDER:M
LANG;PREF=1:fr
LANG;PREF=2:en
ORG;TYPE=work:Viagenie
ADR;TYPE=work:;Suite D2-630;2875 Laurier;
 Quebec;QC;G1V 2M2;Canada
TEL;VALUE=uri;TYPE="work,voice";PREF=1:tel:+1-418-656-9254;ext=102
TEL;VALUE=uri;TYPE="work,cell,voice,video,text":tel:+1-418-262-6501
EMAIL;TYPE=work:simon.perreault@viagenie.example
GEO;TYPE=work:geo:46.772673,-71.282945
KEY;TYPE=work;VALUE=uri:http://www.viagenie.example/simon.perreault/simon.asc
TZ:-0500
URL;TYPE=home:http://nomis80.example
END:VCARD
"""
AWKWARD = (
    "BEGIN:VCARD\r\nVERSION:4.0\r\nUID:urn:uuid:1\r\nFN:Dörte \\, Müller\\; 東京\r\nN:Müller;Dörte;;;\r\n"
    'ITEM1.TEL;TYPE="cell";X-A="a;b:c,d":+49 40 1\r\nITEM1.X-LABEL:Boat\\nhouse\r\n'
    "NOTE:one\\ntwo \\\\ three\r\nEMAIL:a@b.example\r\nEND:VCARD\r\n"
)


def folded_everywhere(text: str, width: int) -> bytes:
    """Every line folded after so many octets, in the middle of characters too (RFC 6350 §3.2)."""
    out = b""
    for line in text.replace("\r\n", "\n").splitlines():
        content = line.encode()
        out += content[:width] + b"".join(b"\r\n " + content[at : at + width] for at in range(width, len(content), width)) + b"\r\n"
    return out


def read(content: bytes, piece: int = 1 << 16) -> list[dict]:
    return [contact(block)[1] for block in cards(content[at : at + piece] for at in range(0, len(content), piece)) if not block.trouble]


class Cards(TestCase):
    def test_the_example_of_the_standard(self):
        record = read(RFC_6350_EXAMPLE.encode())[0]
        self.assertEqual(
            (record["display"], record["name"]["family"], record["name"]["suffix"]), ("Simon Perreault", "Perreault", "ing. jr,M.Sc.")
        )
        self.assertEqual([phone["label"] for phone in record["phones"]], ["work", "work"])
        self.assertEqual(record["phones"][0]["number"], "+1-418-656-9254;ext=102")
        kept = " ".join(record["other"])
        for name in ("BDAY:--0203", "ANNIVERSARY", "GENDER", "LANG;PREF=2", "ADR;TYPE=work", "GEO", "KEY", "TZ", "URL"):
            self.assertIn(name, kept)

    def test_it_reads_what_vobject_reads(self):
        for text in (RFC_6350_EXAMPLE, AWKWARD):
            other = vobject.readOne(text)
            for content in (text.encode(), text.replace("\r\n", "\n").encode()):
                record = read(content)[0]
                self.assertEqual(record["display"], other.fn.value)
                self.assertEqual([mail["address"] for mail in record["emails"]], [mail.value for mail in other.email_list])
                numbers = [phone.value.removeprefix("tel:") for phone in other.tel_list]
                self.assertEqual([phone["number"] for phone in record["phones"]], numbers)
                self.assertEqual(record["name"]["family"], other.n.value.family)

    def test_folds_anywhere_and_pieces_of_any_size_change_nothing(self):
        whole = read(AWKWARD.encode())
        for width in (1, 2, 7, 74):
            for piece in (1, 3, 4096):
                self.assertEqual(read(folded_everywhere(AWKWARD, width), piece), whole, (width, piece))

    def test_what_leaves_again_is_the_same_card_to_another_reader(self):
        for text in (RFC_6350_EXAMPLE, AWKWARD):
            record = read(text.encode())[0]
            again = vcard(record, uid="1")
            before, after = vobject.readOne(text), vobject.readOne(again)
            names = sorted(name for name in before.contents if name not in ("version", "uid", "prodid"))
            self.assertEqual(sorted(name for name in after.contents if name not in ("version", "uid", "prodid")), names)
            self.assertEqual(read(again.encode())[0], record)

    def test_quoted_printable_of_version_2_1(self):
        text = "BEGIN:VCARD\nVERSION:2.1\nN;ENCODING=QUOTED-PRINTABLE;CHARSET=ISO-8859-1:M=FCl=\nler;Hans\nTEL;CELL;VOICE:1\nEND:VCARD\n"
        record = read(text.encode())[0]
        self.assertEqual(record["name"], {"family": "Müller", "given": "Hans"})
        self.assertEqual(record["phones"], [{"label": "cell", "number": "1"}])

    def test_cards_that_do_not_end_or_are_no_cards_are_said(self):
        listed = list(cards([b"BEGIN:VCARD\nFN:A\nBEGIN:VCARD\nFN:B\nEND:VCARD\nBEGIN:VCARD\nFN:C\n"]))
        self.assertEqual([(block.number, bool(block.trouble)) for block in listed], [(1, True), (2, False), (3, True)])
        self.assertEqual(list(cards([b"\x00\xff" * 1000])), [])

    def test_a_record_cannot_break_out_of_its_card(self):
        evil = {"display": "x", "other": ["END:VCARD", "BEGIN:VCARD", "FN:evil", "X-A:1\r\nEND:VCARD", "no line", "X-GOOD;A=1:y"]}
        written = vcard(evil, uid="1")
        self.assertEqual(written.count("VCARD"), 2)
        self.assertIn("X-GOOD;A=1:y", written)

    @given(st.text(min_size=1).map(lambda text: text.replace("\r\n", "\n").replace("\r", "\n")), st.text())
    def test_any_name_and_note_come_back(self, name, note):
        clean = lambda text: "".join(letter for letter in text.replace("\r", "") if letter == "\n" or letter.isprintable())  # noqa: E731
        name, note = clean(name).strip(), clean(note).strip()
        if not name or not note:
            return
        back = read(vcard({"display": name, "note": note}, uid="1").encode())[0]
        self.assertEqual((back["display"], back["note"]), (name, note))


EVENTS = """BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//RDU Software//NONSGML HandCal//EN
BEGIN:VTIMEZONE
TZID:America/New_York
BEGIN:STANDARD
DTSTART:19981025T020000
TZOFFSETFROM:-0400
TZOFFSETTO:-0500
TZNAME:EST
END:STANDARD
BEGIN:DAYLIGHT
DTSTART:19990404T020000
TZOFFSETFROM:-0500
TZOFFSETTO:-0400
TZNAME:EDT
END:DAYLIGHT
END:VTIMEZONE
BEGIN:VTIMEZONE
TZID:Ship time
BEGIN:STANDARD
DTSTART:19700101T000000
TZOFFSETFROM:+0330
TZOFFSETTO:+0330
END:STANDARD
END:VTIMEZONE
BEGIN:VEVENT
DTSTAMP:19980309T231000Z
UID:guid-1.example.com
ORGANIZER:mailto:mrbig@example.com
ATTENDEE;RSVP=TRUE;ROLE=REQ-PARTICIPANT;CUTYPE=GROUP:
 mailto:employee-A@example.com
DESCRIPTION:Project XYZ Review Meeting\\, with tea\\; and
  more
CATEGORIES:MEETING
CLASS:PUBLIC
CREATED:19980309T130000Z
SUMMARY:XYZ Project Review
DTSTART;TZID=America/New_York:19980312T083000
DTEND;TZID=America/New_York:19980312T093000
LOCATION:1CP Conference Room 4350
BEGIN:VALARM
TRIGGER:-PT30M
ACTION:DISPLAY
DESCRIPTION:Soon
END:VALARM
END:VEVENT
BEGIN:VEVENT
UID:day
DTSTAMP:19980309T231000Z
SUMMARY:Geburtstag von Jürgen
DTSTART;VALUE=DATE:20240229
DTEND;VALUE=DATE:20240301
RRULE:FREQ=YEARLY
EXDATE;VALUE=DATE:20280229
END:VEVENT
BEGIN:VEVENT
UID:ship
DTSTAMP:19980309T231000Z
SUMMARY:Watch
DTSTART;TZID=Ship time:20260302T100000
DURATION:PT90M
END:VEVENT
BEGIN:VEVENT
UID:floating
DTSTAMP:19980309T231000Z
SUMMARY:Lunch
DTSTART:20260302T120000
END:VEVENT
BEGIN:VEVENT
UID:utc
DTSTAMP:19980309T231000Z
SUMMARY:Call
DTSTART:20260302T120000Z
DTEND:20260302T123000Z
END:VEVENT
END:VCALENDAR
"""


class Events(TestCase):
    def setUp(self):
        self.read = dict(event(block, zones) for block, zones in events([EVENTS.encode()]))
        self.other = {str(one["uid"]): one for one in Calendar.from_ical(EVENTS).walk("VEVENT")}

    def test_every_start_is_the_instant_that_icalendar_reads(self):
        self.assertEqual(set(self.read), set(self.other))
        for uid, record in self.read.items():
            start, other = moment(record["start"], record), self.other[uid].decoded("dtstart")
            if isinstance(other, datetime) and other.tzinfo:
                self.assertEqual(start.astimezone(UTC), other.astimezone(UTC), uid)
            else:
                self.assertEqual(start, other, uid)

    def test_it_reads_what_vobject_reads(self):
        for entry in vobject.readOne(EVENTS).vevent_list:
            record = self.read[entry.uid.value]
            self.assertEqual(record["title"], entry.summary.value)
            if hasattr(entry, "description"):
                self.assertEqual(record["note"], entry.description.value)

    def test_zones_stay_where_they_are_known_and_become_utc_where_only_the_file_knows(self):
        meeting, ship, day = self.read["guid-1.example.com"], self.read["ship"], self.read["day"]
        self.assertEqual((meeting["zone"], meeting["start"], meeting["end"]), ("America/New_York", "1998-03-12T08:30", "1998-03-12T09:30"))
        self.assertEqual(moment(ship["start"], ship), datetime(2026, 3, 2, 6, 30, tzinfo=UTC))
        self.assertEqual(moment(ship["end"], ship) - moment(ship["start"], ship), timedelta(minutes=90))
        self.assertEqual((day["start"], day["end"], day["all_day"], day["repeat"]), ("2024-02-29", "2024-03-01", True, "FREQ=YEARLY"))
        self.assertEqual(meeting["attendees"], ["employee-A@example.com"])
        self.assertNotIn("zone", self.read["floating"])

    def test_what_leaves_again_holds_everything_to_another_reader(self):
        content, refused = calendar(self.read.items(), now=datetime(2026, 3, 2, tzinfo=UTC))
        self.assertEqual(refused, [])
        after = {str(one["uid"]): one for one in Calendar.from_ical(content).walk("VEVENT")}
        self.assertEqual(set(after), set(self.other))
        self.assertEqual(
            str(after["guid-1.example.com"]["categories"].to_ical()), str(self.other["guid-1.example.com"]["categories"].to_ical())
        )
        self.assertEqual(len(after["guid-1.example.com"].subcomponents), 1)
        self.assertEqual(after["day"]["exdate"].dts[0].dt, date(2028, 2, 29))
        for uid, value in after.items():
            mine, theirs = value.decoded("dtstart"), self.other[uid].decoded("dtstart")
            same = mine.astimezone(UTC) == theirs.astimezone(UTC) if isinstance(theirs, datetime) and theirs.tzinfo else mine == theirs
            self.assertTrue(same, uid)

    def test_an_event_over_the_change_of_clocks_keeps_its_wall_clock(self):
        text = (
            "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:x\r\nDTSTART;TZID=Europe/Berlin:20261025T013000\r\n"
            "DTEND;TZID=Europe/Berlin:20261025T033000\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
        )
        record = next(event(block, zones)[1] for block, zones in events([text.encode()]))
        start, end = moment(record["start"], record), moment(record["end"], record)
        self.assertEqual((start.tzinfo, end.astimezone(UTC) - start.astimezone(UTC)), (ZoneInfo("Europe/Berlin"), timedelta(hours=3)))

    def test_records_are_json(self):
        json.dumps(self.read)


class Tables(TestCase):
    """RFC 4180 §2: the rules and examples of the format, against Python's `csv`."""

    def test_rules_of_the_standard(self):
        from core.exchange.tables import read_table

        for content, expected in (
            (b"a,b,c\r\naaa,bbb,ccc\r\nzzz,yyy,xxx\r\n", [["aaa", "bbb", "ccc"], ["zzz", "yyy", "xxx"]]),
            (b"a,b,c\r\naaa,bbb,ccc\r\nzzz,yyy,xxx", [["aaa", "bbb", "ccc"], ["zzz", "yyy", "xxx"]]),
            (b'a,b,c\r\n"aaa","b \r\nbb","ccc"\r\nzzz,yyy,xxx', [["aaa", "b \r\nbb", "ccc"], ["zzz", "yyy", "xxx"]]),
            (b'a,b,c\r\n"aaa","b""bb","ccc"', [["aaa", 'b"bb', "ccc"]]),
            (b"a,b,c\r\n aaa , bbb,\r\n", [[" aaa ", " bbb", ""]]),
        ):
            columns, rows = read_table(content, rows_at_most=10)
            self.assertEqual((columns, [list(row.values()) for row in rows]), (["a", "b", "c"], expected))

    @given(
        st.lists(
            st.lists(st.text(alphabet=st.characters(exclude_categories=["Cs"], exclude_characters="\x00")), min_size=3, max_size=3),
            max_size=5,
        )
    )
    def test_every_table_comes_back_and_no_cell_is_a_formula(self, rows):
        from core.exchange.tables import csv_table, read_table

        held = [dict(zip(("a", "b", "c"), row, strict=True)) for row in rows if any(row)]
        content = csv_table(held, first=("a", "b", "c"))
        self.assertEqual(read_table(content.encode(), rows_at_most=10)[1], held)
