"""What is shown of an item, how its form is told, and the bounds of what counts as the same device: one table each."""

import json
from datetime import UTC, datetime, timedelta
from typing import Any
from unittest import TestCase

from core.content.items import Item
from core.recovery.forms import Form, form_of
from core.recovery.identity import tiers
from core.recovery.inside import TextLine, line, matches
from core.recovery.matching import Found, KnownItems, proposals

AT = datetime(2026, 3, 2, 8, tzinfo=UTC)


def item(kind: str, name: str = "the name", **attributes: int | str) -> Item:
    return Item(kind=kind, id="i1", name=name, size_bytes=1, modified=AT, tag="t", attributes=attributes or None)


def shown(kind: str, content: Any, **attributes: int | str) -> TextLine:
    return line(item(kind, **attributes), content if isinstance(content, bytes | None) else json.dumps(content).encode())


CARDS = b"BEGIN:VCARD\r\nFN:%s\r\nEND:VCARD\r\n"
EVENT = b"BEGIN:VEVENT\r\nDTSTART:20260302T080000Z\r\nSUMMARY:%s\r\nEND:VEVENT\r\n"


class Inside(TestCase):
    def test_a_contact_an_event_a_conversation_and_a_record(self):
        cases: tuple[tuple[str, Any, TextLine], ...] = (
            ("contacts", {"display": "Zoe", "phones": [{"number": "1"}, {"number": "2"}], "emails": [{"address": "a@b.example"}], "organisation": "Salt",
                          "birthday": "1980-02-29", "note": "n"},
             TextLine(title="Zoe", detail="1 · a@b.example", fields={"Organisation": "Salt", "Phone": "1, 2", "Mail": "a@b.example", "Birthday": "1980-02-29", "Note": "n"})),
            ("contacts", {"emails": [{"address": "a"}, {"address": "b"}]}, TextLine(title="the name", detail="a", fields={"Mail": "a, b"})),
            ("calendar", {"title": "Tide", "start": "2026-03-02T08:00", "end": "2026-03-02T09:00", "zone": "Europe/Berlin", "place": "Quay", "repeat": "FREQ=DAILY",
                          "attendees": ["a", "b"], "note": "n"},
             TextLine(title="Tide", detail="2026-03-02 08:00 · Quay", fields={"Start": "2026-03-02 08:00", "End": "2026-03-02 09:00", "Zone": "Europe/Berlin",
                                                                              "Place": "Quay", "Repeats": "FREQ=DAILY", "With": "a, b", "Note": "n"})),
            ("calendar", {"start": "soon"}, TextLine(title="the name", detail="")),
            ("messages", {"with": ["Ines", "Piet"], "messages": [{"from": "Ines", "at": "1", "text": "hello", "attachments": ["a.jpg", "b.jpg"]}]},
             TextLine(title="Ines, Piet", detail="1 message · hello", talk=({"from": "Ines", "at": "1", "text": "hello", "attachments": "a.jpg, b.jpg"},))),
            ("messages", {"messages": []}, TextLine(title="the name", detail="0 messages · ")),
            ("logins", {"site": "office.example", "user": "zoe", "password": "p", "secret": "s", "none": ""},
             TextLine(title="the name", detail="site office.example · user zoe · password ••••••",
                      fields={"site": "office.example", "user": "zoe", "password": "••••••", "secret": "••••••"})),
            ("notes", b"no record", TextLine(title="the name", detail="cannot be read as its kind promises")),
            ("notes", None, TextLine(title="the name", detail="")),
            ("photos", b"{}", TextLine(title="the name", detail="")),
            ("documents", b"{}", TextLine(title="the name", detail="")),
        )  # fmt: skip
        for kind, content, wanted in cases:
            with self.subTest(kind=kind, content=str(content)[:60]):
                self.assertEqual(shown(kind, content), wanted)
        self.assertEqual(len(shown("notes", {"a": "x" * 300}).detail), 160)
        self.assertEqual(len(shown("messages", {"messages": [{"text": "x" * 300}]}).detail), 160)

    def test_a_file_of_cards_or_events_is_told_by_who_is_in_it(self):
        for kind, content, detail in (
            ("contacts", CARDS % b"Zoe", "1 contact: Zoe"), ("contacts", CARDS % b"Zoe" + CARDS % b"", "2 contacts: Zoe, (no name)"),
            ("contacts", CARDS % b"Zoe" + b"BEGIN:VCARD\r\nFN:Half", "1 contact: Zoe"),
            ("contacts", b"".join(CARDS % str(n).encode() for n in range(12)), f"12 contacts: {', '.join(map(str, range(12)))}"),
            ("contacts", b"".join(CARDS % str(n).encode() for n in range(13)), f"13 contacts: {', '.join(map(str, range(12)))} …"),
            ("calendar", EVENT % b"Tide", "1 event: Tide"), ("calendar", EVENT % b"", "1 event: (no title)"),
            ("calendar", b"BEGIN:VEVENT\r\nSUMMARY:x\r\nEND:VEVENT\r\n", "1 event: (cannot be read)"),
            ("calendar", EVENT % b"Tide" + b"BEGIN:VEVENT\r\nSUMMARY:half", "1 event: Tide"),
            ("notes", CARDS % b"Zoe", ""), ("contacts", b"nothing", ""),
        ):  # fmt: skip
            self.assertEqual(shown(kind, content, mode=0o644), TextLine(title="the name", detail=detail))

    def test_every_word_stands_somewhere(self):
        talk = TextLine(title="Zoe", detail="d", fields={"Note": "Quay"}, talk=({"from": "Ines", "text": "high TIDE"},))
        for words, found in ((["zoe", "quay", "ines", "tide", "d", "photo"], True), (["zoe", "note"], False), ([], True)):
            self.assertEqual(matches(talk, item("photos", "Photo 1"), words), found, words)


class Forms(TestCase):
    def test_by_the_first_bytes_alone(self):
        for head, form in (
            (b"\x89PNG\r\n\x1a\n..", Form.PICTURE), (b"\xff\xd8\xff\xe0", Form.PICTURE), (b"GIF87a", Form.PICTURE), (b"GIF89a;", Form.PICTURE),
            (b"RIFF....WEBPVP8 ", Form.PICTURE), (b"RIFF....WAVE", None), (b"RIFX....WEBP", None), (b"GIF88a", None), (b"\x89PNG", None),
            (b"SQLite format 3\x00", Form.DATABASE), (b"SQLite format 2\x00", None), (b"PK\x03\x04", Form.ARCHIVE), (b"PK\x05\x06", None),
            (b"\xef\xbb\xbfbegin:vcalendar\r\n", Form.CALENDAR), (b"BEGIN:VCALENDAR", Form.CALENDAR), (b"Begin:VCard", Form.CARD), (b"BEGIN:VEVENT", None),
            (b"", None), (b"%PDF", None),
        ):  # fmt: skip
            self.assertEqual(form_of("documents", head), form, head)
        self.assertEqual((form_of("contacts", b""), form_of("notes", b"GIF89a")), (Form.RECORD, Form.RECORD))


class TheSameOne(TestCase):
    def keys(self, code: str, record: dict[str, Any]) -> list[Any]:
        return [tier.key(item(code), record) for tier in tiers(code)]

    def test_each_kind_is_known_again_by_what_a_person_would_know_it_by(self):
        phones = {"phones": [{"number": "5 5"}, {"number": "1"}]}
        for code, record, keys in (
            ("contacts", {"uid": "u"} | phones, [("u",), ("the name", "1", "55"), ("the name",)]), ("contacts", {}, [None, None, ("the name",)]),
            ("calendar", {"uid": "u", "title": "t", "start": "s"}, [("u",), ("t", "s")]), ("calendar", {"title": "t"}, [None, None]),
            ("messages", {"with": ["b", "a"]}, [("a", "b")]), ("messages", {}, [None]),
            ("logins", {"site": "s", "user": "u"}, [("s", "u"), ("the name",)]), ("logins", {"site": "s"}, [None, ("the name",)]), ("logins", {"user": "u"}, [None, ("the name",)]),
            ("calls", {}, []), ("health", {}, []), ("photos", {}, [("the name",)]), ("notes", {}, [("the name",)]),
        ):  # fmt: skip
            self.assertEqual(self.keys(code, record), keys, (code, record))
        alone = {code: [tier.alone for tier in tiers(code)] for code in ("contacts", "photos", "notes", "logins")}
        self.assertEqual(alone, {"contacts": [False, False, True], "photos": [False], "notes": [True], "logins": [False, True]})
        self.assertEqual([tier.reads for tier in tiers("contacts")], [True, True, False])

    def test_spans_that_touch_are_one_span(self):
        found = Found(key="d1", holder="Zoe", first=AT, last=AT + timedelta(days=30))
        for first, last, overlaps in (
            (30, 60, True),
            (31, 60, False),
            (-9, 0, True),
            (-9, -1, False),
            (None, 60, False),
            (30, None, False),
        ):
            span = {name: None if day is None else AT + timedelta(days=day) for name, day in (("first", first), ("last", last))}
            (one,) = proposals(found, [KnownItems(id="x", name="", holder="zoe", **span)])
            self.assertEqual(one.overlaps, overlaps, (first, last))
