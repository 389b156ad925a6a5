"""Content lines, cards and events that are odd in one way each, and all that is read of them: recorded, and read beside RFC 6350,
RFC 2426 and RFC 5545. What has no field is kept as it stood."""

from typing import Any
from unittest import TestCase

from core.content.records import UnreadableRecord
from core.exchange.contentlines import lines_of_one, parsed
from core.exchange.read_calendar import event, events
from core.exchange.read_vcard import cards, contact

LINES: dict[str, Any] = {
    "TEL;CELL;VOICE:1": ("", "TEL", {"TYPE": ["CELL", "VOICE"]}, "1", "TEL"),
    "item1.TEL;TYPE=work,home;PREF=1:5": ("item1", "TEL", {"TYPE": ["work", "home"], "PREF": ["1"]}, "5", "TEL"),
    'N;SORT-AS="a;b,c:d":x:y': ("", "N", {"SORT-AS": ["a;b,c:d"]}, "x:y", "N"),
    'ADR;LABEL="1 Quay^nTide":;;': ("", "ADR", {"LABEL": ["1 Quay\nTide"]}, ";;", "ADR"),
    'X;A="1;B=2":v': ("", "X", {"A": ["1;B=2"]}, "v", "X"),
    "NOTE:": ("", "NOTE", {}, "", "NOTE"),
    ":x": None,
    "no": None,
    "FN;X=a\\,b:c": ("", "FN", {"X": ["a,b"]}, "c", "FN"),
    "TEL;TYPE=a;TYPE=b:1": ("", "TEL", {"TYPE": ["a", "b"]}, "1", "TEL"),
    'X;A="open:v': None,
    "a.b.C:1": ("a.b", "C", {}, "1", "C"),
    "TEL;type=Cell:1": ("", "TEL", {"TYPE": ["Cell"]}, "1", "TEL"),
    "1:2": ("", "1", {}, "2", "1"),
    "Ä:1": ("", "Ä", {}, "1", "Ä"),
    "X;A=ä:1": ("", "X", {"A": ["ä"]}, "1", "X"),
    "X;A=1;CELL:2": ("", "X", {"A": ["1"], "TYPE": ["CELL"]}, "2", "X"),
    'X;CELL;A="q;r":2': ("", "X", {"A": ["q;r"], "TYPE": ["CELL"]}, "2", "X"),
    "X;=:1": None,
    "X;A=:1": ("", "X", {"A": [""]}, "1", "X"),
}
"""(group, name, parameters, value, name as it is spelled); None for what is no content line."""
LONE: dict[bytes, list[str] | None] = {
    b"BEGIN:VCARD\r\nFN:A\r\n\r\nNOTE:x\r\n y\r\nEND:VCARD\r\n": ["FN:A", "NOTE:xy"],
    b"begin:vcard\nFN:A\nend:vcard": ["FN:A"],
    b"\nBEGIN:VCARD\rFN:A\rEND:VCARD\r": ["FN:A"],
    b"BEGIN:VCARD\nBEGIN:VALARM\nEND:VCARD": None,
    b"BEGIN:VCARD\nNOTE:a=\nb\nEND:VCARD": None,
    b"BEGIN:VCARD\nBEE:1\nEND:VCARD": ["BEE:1"],
    b"BEGIN:VEVENT\nEND:VEVENT": None,
    b"x\nBEGIN:VCARD\nEND:VCARD": None,
    b"BEGIN:VCARD\nEND:VCARD\nx": None,
    b"BEGIN:VCARD\nEND:VCARD\nBEGIN:VCARD\nEND:VCARD": None,
}
CARDS: tuple[tuple[list[str], tuple[str, dict[str, Any]]], ...] = (
    (["FN:A", "FN:B"], ("", {"display": "A", "other": ["FN:B"]})),
    (
        ["N:Aub;Zoe;M;Dr;Jr;x", "N:y;;;;"],
        ("", {"name": {"family": "Aub", "given": "Zoe", "additional": "M", "prefix": "Dr", "suffix": "Jr"}, "other": ["N:y;;;;"]}),
    ),
    (["N:Aub", "ORG:Salt;;Deck", "ORG:B"], ("", {"name": {"family": "Aub"}, "organisation": "Salt, Deck", "other": ["ORG:B"]})),
    (["ORG:;"], ("", {})),
    (
        ["TEL;TYPE=HOME,fax:tel:1", "TEL:2", "TEL;FAX:3", "TEL;TYPE=odd:4"],
        (
            "",
            {
                "phones": [
                    {"label": "home", "number": "1"},
                    {"label": "", "number": "2"},
                    {"label": "fax", "number": "3"},
                    {"label": "", "number": "4"},
                ]
            },
        ),
    ),
    (["EMAIL;TYPE=internet,work:a@b.example"], ("", {"emails": [{"label": "work", "address": "a@b.example"}]})),
    (
        ["ADR;TYPE=home:;;1 Quay;Tide;R;12;Land"],
        ("", {"address": {"street": "1 Quay", "town": "Tide", "region": "R", "postcode": "12", "country": "Land"}}),
    ),
    (["ADR:box;;1;2", "ADR:;ext;1"], ("", {"other": ["ADR:box;;1;2", "ADR:;ext;1"]})),
    (["ADR:;;;;;;"], ("", {})),
    (["ADR:;;A;;;;", "ADR:;;B;;;;"], ("", {"address": {"street": "A"}, "other": ["ADR:;;B;;;;"]})),
    (["BDAY:1980-02-29", "BDAY:1981-01-01"], ("", {"birthday": "1980-02-29", "other": ["BDAY:1981-01-01"]})),
    (["BDAY:19800229T10"], ("", {"birthday": "1980-02-29"})),
    (["BDAY:--0229"], ("", {"other": ["BDAY:--0229"]})),
    (["NOTE:a\\nb\\, c\\;", "NOTE:d"], ("", {"note": "a\nb, c;", "other": ["NOTE:d"]})),
    (["UID:1", "UID:2"], ("1", {"other": ["UID:2"]})),
    (["VERSION:3.0", "PRODID:x", "REV:1", "BEGIN:X", "y", "END:X"], ("", {"other": ["y"]})),
    (["X-Q;A=b:1", "nonsense"], ("", {"other": ["X-Q;A=b:1", "nonsense"]})),
    (["N:a\\;b;c\\\\;d"], ("", {"name": {"family": "a;b", "given": "c\\", "additional": "d"}})),
    (["NOTE:", "FN:"], ("", {})),
    (["TEL;TYPE= Cell :5"], ("", {"phones": [{"label": "cell", "number": "5"}]})),
)
ZONE = [
    "BEGIN:VTIMEZONE",
    "TZID:Quayside",
    "BEGIN:STANDARD",
    "DTSTART:19700101T000000",
    "TZOFFSETFROM:+0200",
    "TZOFFSETTO:+0200",
    "END:STANDARD",
    "END:VTIMEZONE",
]
EVENTS: tuple[tuple[list[str], tuple[str, dict[str, Any]] | str], ...] = (
    (
        ["UID:1", "SUMMARY:Tide", "DTSTART:20260302T080000Z", "DTEND:20260302T093015Z"],
        ("1", {"title": "Tide", "start": "2026-03-02T08:00:00+00:00", "end": "2026-03-02T09:30:15+00:00"}),
    ),
    (
        ["DTSTART;TZID=Europe/Berlin:20260302T080000", "DTEND;TZID=Europe/Berlin:20260302T090000"],
        ("", {"start": "2026-03-02T08:00", "end": "2026-03-02T09:00", "zone": "Europe/Berlin"}),
    ),
    (
        ["DTSTART;TZID=Europe/Berlin:20260302T080000", "DTEND:20260302T090000Z"],
        ("", {"start": "2026-03-02T08:00", "end": "2026-03-02T10:00", "zone": "Europe/Berlin"}),
    ),
    (["DTSTART:20260302T080000", "DTEND:20260302T090001"], ("", {"start": "2026-03-02T08:00", "end": "2026-03-02T09:00:01"})),
    (["DTSTART;VALUE=DATE:20260302"], ("", {"start": "2026-03-02", "all_day": True})),
    (["DTSTART;VALUE=DATE:20260302", "DTEND;VALUE=DATE:20260304"], ("", {"start": "2026-03-02", "all_day": True, "end": "2026-03-04"})),
    (["DTSTART;VALUE=DATE:20260302", "DTEND:20260304T100000Z"], ("", {"start": "2026-03-02", "all_day": True, "end": "2026-03-04"})),
    (["DTSTART:20260302T080000Z", "DURATION:PT90M"], ("", {"start": "2026-03-02T08:00:00+00:00", "end": "2026-03-02T09:30:00+00:00"})),
    (["DTSTART:20260302T080000Z", "DURATION:P1D"], ("", {"start": "2026-03-02T08:00:00+00:00", "end": "2026-03-03T08:00:00+00:00"})),
    (["DTSTART;VALUE=DATE:20260302", "DURATION:P2D"], ("", {"start": "2026-03-02", "all_day": True, "end": "2026-03-04"})),
    (
        ["DTSTART:20260302T080000Z", "DTEND;VALUE=DATE:20260303"],
        ("", {"start": "2026-03-02T08:00:00+00:00", "other": ["DTEND;VALUE=DATE:20260303"]}),
    ),
    (["DTSTART:20260302T080000Z", "DTEND:soon"], ("", {"start": "2026-03-02T08:00:00+00:00", "other": ["DTEND:soon"]})),
    (["SUMMARY:x"], "unreadable"),
    (["DTSTART:soon"], "unreadable"),
    (["DTSTART;TZID=Nowhere:20260302T080000"], ("", {"start": "2026-03-02T08:00", "other": ["X-UNKNOWN-TZID:Nowhere"]})),
    (
        ["DTSTART;TZID=Quayside:20260302T080000", "DTEND;TZID=Quayside:20260302T083000"],
        ("", {"start": "2026-03-02T06:00:00+00:00", "end": "2026-03-02T06:30:00+00:00"}),
    ),
    (
        [
            "DTSTART:20260302T080000Z",
            "LOCATION:Quay\\, 1",
            "DESCRIPTION:a\\nb",
            "RRULE:FREQ=DAILY;COUNT=3",
            "ATTENDEE:mailto:a@b.example",
            "ATTENDEE;ROLE=CHAIR:MAILTO:c@d.example",
            "CATEGORIES:x,y",
            "STATUS:CONFIRMED",
            "DTSTAMP:20260101T000000Z",
        ],
        (
            "",
            {
                "start": "2026-03-02T08:00:00+00:00",
                "place": "Quay, 1",
                "note": "a\nb",
                "repeat": "FREQ=DAILY;COUNT=3",
                "attendees": ["a@b.example", "c@d.example"],
                "other": ["ATTENDEE;ROLE=CHAIR:MAILTO:c@d.example", "CATEGORIES:x,y", "STATUS:CONFIRMED"],
            },
        ),
    ),
    (
        [
            "DTSTART:20260302T080000Z",
            "BEGIN:VALARM",
            "ATTENDEE:mailto:no@b.example",
            "TRIGGER:-PT5M",
            "BEGIN:X",
            "END:X",
            "RRULE:FREQ=DAILY",
            "END:VALARM",
            "ATTENDEE:mailto:yes@b.example",
        ],
        (
            "",
            {
                "start": "2026-03-02T08:00:00+00:00",
                "attendees": ["yes@b.example"],
                "other": [
                    "BEGIN:VALARM",
                    "ATTENDEE:mailto:no@b.example",
                    "TRIGGER:-PT5M",
                    "BEGIN:X",
                    "END:X",
                    "RRULE:FREQ=DAILY",
                    "END:VALARM",
                ],
            },
        ),
    ),
    (["DTSTART:20260302T080000Z", "DURATION:soon"], ("", {"start": "2026-03-02T08:00:00+00:00", "other": ["DURATION:soon"]})),
    (["DTSTART:99991231T235959Z", "DURATION:P9D"], ("", {"start": "9999-12-31T23:59:59+00:00", "other": ["DURATION:P9D"]})),
)


def card(*lines: str) -> tuple[str, dict[str, Any]]:
    (block,) = cards(["\r\n".join(["BEGIN:VCARD", *lines, "END:VCARD", ""]).encode()])
    return contact(block)


def calendar_event(*lines: str) -> tuple[str, dict[str, Any]] | str:
    whole = ["BEGIN:VCALENDAR", *ZONE, "BEGIN:VEVENT", *lines, "END:VEVENT", "END:VCALENDAR", ""]
    ((block, zones),) = list(events(["\r\n".join(whole).encode()]))
    try:
        return event(block, zones)
    except UnreadableRecord:
        return "unreadable"


class Reading(TestCase):
    maxDiff = None

    def test_one_line(self):
        for text, parts in LINES.items():
            line = parsed(text)
            shown = (
                None if line is None else (line.group, line.name, {k: list(v) for k, v in line.params.items()}, line.value, line.spelled)
            )
            self.assertEqual(shown, parts, text)

    def test_one_card_that_nothing_is_odd_about_is_read_quickly(self):
        for block, lines in LONE.items():
            self.assertEqual(lines_of_one(block, "VCARD"), lines, block)

    def test_a_card(self):
        for lines, read in CARDS:
            self.assertEqual(card(*lines), read, lines)

    def test_an_event(self):
        for lines, read in EVENTS:
            self.assertEqual(calendar_event(*lines), read, lines)
