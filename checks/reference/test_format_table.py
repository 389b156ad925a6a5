"""What goes in and what comes out, property by property: the tables in `docs/formats.md` are what this test prints.

The lines that go in are those of RFC 6350, RFC 2426 and RFC 5545, with made-up values. Each line that is not dropped by design comes out in
every form, in one way or another, and is read by `vobject` or `icalendar`.
"""

import io
import json
import zipfile
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase

import icalendar
import vobject

from core.content.items import Item
from core.exchange.archive import Archive
from core.exchange.contentlines import blocks
from core.exchange.read_calendar import event, events
from core.exchange.read_vcard import cards, contact
from core.exchange.vcard import CardForm, card_bytes, keep_card
from core.exchange.zipped import Zipped

PAGE = Path(__file__).resolve().parents[2] / "docs" / "formats.md"
NOW = datetime(2026, 3, 2, tzinfo=UTC)
PIXEL = "R0lGODlhAQABAAAAACw="

CARD_LINES = (
    "FN:Ada Holm", "N:Holm;Ada;M.;Dr.;jr.", "N;SORT-AS=Holm:Holm;Ada;;;", "SORT-STRING:Holm", "NICKNAME:Fee,Fenn", "BDAY:1985-10-26", "ANNIVERSARY:20090808",
    "GENDER:F", "ADR;TYPE=home:;Flat 2;Deich 1;Ort;;25000;X", "ADR;LABEL=\"Deich 1\\nOrt\":;;Deich 1;Ort;;;", "LABEL;TYPE=home:Deich 1\\nOrt",
    "TEL;TYPE=CELL,VOICE,pref:+00 117", "TEL;CELL;VOICE:+00 118", "TEL;VALUE=uri;PREF=1;TYPE=\"voice,home\":tel:+00-119", "item1.TEL:+00 120",
    "item1.X-ABLabel:Ferienhaus", "EMAIL;TYPE=INTERNET,HOME:ada@office.example", "IMPP;PREF=1:xmpp:ada@office.example", "LANG;TYPE=work:de", "TZ:Europe/Berlin",
    "GEO:53.5;9.9", "GEO:geo:53.5,9.9", "TITLE:Surveyor", "TITLE;CHARSET=UTF-8;ENCODING=QUOTED-PRINTABLE:K=C3=A4pt=27n", "ROLE:Crew",
    "ORG:Saltmarsh\\, Pike;Survey;Boats", "MEMBER:urn:uuid:1", "RELATED;TYPE=friend:urn:uuid:2", "CATEGORIES:crew,boat", "NOTE:one\\ntwo\\, three",
    "PRODID:-//x//EN", "REV:2026-01-02T03:04:05Z", "UID:urn:uuid:7", "URL:https://quay.example/", "KIND:individual", "CLASS:PRIVATE", "MAILER:pigeon",
    f"PHOTO;ENCODING=b;TYPE=GIF:{PIXEL}", f"PHOTO;GIF;ENCODING=BASE64:{PIXEL}", f"PHOTO:data:image/gif;base64,{PIXEL}", "PHOTO;VALUE=uri:https://quay.example/a.gif",
    f"LOGO;ENCODING=b;TYPE=GIF:{PIXEL}", f"SOUND;ENCODING=b;TYPE=WAVE:{PIXEL}", f"KEY;ENCODING=b;TYPE=PGP:{PIXEL}", "FBURL:https://quay.example/f",
    "CALURI:https://quay.example/c", "X-ODD;X-P=\"a;b\":y", "X-Boat;ENCODING=QUOTED-PRINTABLE:Gr=C3=BCn",
)  # fmt: skip
ZONED = ("DTSTART;TZID=Europe/Berlin:20260302T100000",)
EVENT_LINES = (
    ("UID:e1",), ("SUMMARY:ebb\\, low",), ZONED, ("DTSTART:20260302T090000Z",), ("DTSTART;VALUE=DATE:20260302",),
    (*ZONED, "DTEND;TZID=Europe/Berlin:20260302T113000"), (*ZONED, "DURATION:PT90M"), ("LOCATION:quay",), ("DESCRIPTION:one\\ntwo",),
    (*ZONED, "RRULE:FREQ=WEEKLY;COUNT=5"), (*ZONED, "RDATE;TZID=Europe/Berlin:20260305T100000"), (*ZONED, "EXDATE;TZID=Europe/Berlin:20260309T100000"),
    ("UID:e1", *ZONED, "RECURRENCE-ID;TZID=Europe/Berlin:20260302T090000"), ("ATTENDEE;CN=Bo;PARTSTAT=ACCEPTED:mailto:b@office.example",),
    ("ATTENDEE:mailto:b@office.example",), ("ORGANIZER;CN=Ada:mailto:a@office.example",), ("STATUS:CANCELLED",), ("CATEGORIES:crew,boat",), ("CLASS:PRIVATE",),
    ("TRANSP:TRANSPARENT",), ("PRIORITY:1",), ("URL:https://quay.example/",), ("GEO:53.5;9.9",), ("SEQUENCE:3",), ("ATTACH:https://quay.example/plan.pdf",),
    (f"ATTACH;ENCODING=BASE64;VALUE=BINARY:{PIXEL}",), ("BEGIN:VALARM", "ACTION:AUDIO", "TRIGGER:-PT5M", "END:VALARM"), ("X-ODD;X-P=1:y",),
)  # fmt: skip


def cell(text: str) -> str:
    return f"`{text}`".replace("|", "\\|").replace(PIXEL, "…") if text else "–"


def extras(line: str) -> list[str]:
    """What every card has, unless this line is it."""
    name = line.replace(":", ";").split(";")[0]
    return [one for one in ("FN:x", "N:x;;;;", "UID:u") if one.split(":")[0] != name]


class CardTable(TestCase):
    def out(self, line: str, form: CardForm) -> str:
        """The lines of one property's card, without those that every card gets."""
        extra = extras(line)
        source = "\r\n".join(["BEGIN:VCARD", "VERSION:3.0", *extra, line, "END:VCARD", ""]).encode()
        (block,) = cards([source])
        _, record = contact(block)
        keep_card(record, bytes(block.raw))
        written = card_bytes(record, uid="u", form=form)
        vobject.readOne(written.decode())
        (read,) = blocks([written], names=frozenset({"VCARD"}))
        return "<br>".join(cell(one) for one in read.lines if one not in extra and not one.startswith("VERSION"))

    def table(self) -> str:
        rows = ["| goes in | 4.0 | 3.0 |", "|---|---|---|"]
        for line in CARD_LINES:
            four, three = self.out(line, CardForm.V4), self.out(line, CardForm.V3)
            self.assertTrue(four and three, f"{line} is lost")
            rows.append(f"| {cell(line)} | {four} | {three} |")
        return "\n".join(rows)

    def test_the_page_says_what_is_so(self):
        text, table = PAGE.read_text(), self.table()
        self.assertIn(table, text, f"\ndocs/formats.md should hold:\n\n{table}\n")

    def test_there_and_back_nothing_is_lost(self):
        """3.0 → 4.0 → 3.0 and the other way: what moved behind an X- comes back under its own name."""
        for line in CARD_LINES:
            name = line.replace(":", ";").split(";")[0].rpartition(".")[2].upper()
            for first, second in ((CardForm.V4, CardForm.V3), (CardForm.V3, CardForm.V4)):
                source = "\r\n".join(["BEGIN:VCARD", "VERSION:3.0", *extras(line), line, "END:VCARD", ""]).encode()
                once = self.through(source, first)
                self.assertEqual(self.names(self.through(self.through(once, second), first)), self.names(once), (line, name))

    def through(self, card: bytes, form: CardForm) -> bytes:
        (block,) = cards([card])
        _, record = contact(block)
        keep_card(record, bytes(block.raw))
        return card_bytes(record, uid="u", form=form)

    def names(self, card: bytes) -> list[str]:
        (read,) = blocks([card], names=frozenset({"VCARD"}))
        return sorted(line.replace(":", ";").split(";")[0] for line in read.lines)


class EventTable(TestCase):
    def out(self, lines: tuple[str, ...]) -> str:
        whole = [*lines] if any(line.startswith("DTSTART") for line in lines) else [*ZONED, *lines]
        source = "\r\n".join(["BEGIN:VCALENDAR", "BEGIN:VEVENT", *whole, "END:VEVENT", "END:VCALENDAR", ""]).encode()
        ((block, zones),) = events([source])
        uid, record = event(block, zones)
        file = io.BytesIO()
        archive = Archive(Zipped(file), now=NOW)
        content = json.dumps(record | ({"uid": uid} if uid else {})).encode()
        item = Item(kind="calendar", id="e1", name="e1", size_bytes=len(content), modified=NOW, tag="t")
        archive.add_kind("calendar", lambda: [(item, lambda: iter([content]))])
        archive.close()
        with zipfile.ZipFile(file) as packed:
            written = packed.read("Calendar.ics")
        icalendar.Calendar.from_ical(written)
        (read,) = blocks([written], names=frozenset({"VEVENT"}))
        common = {"DTSTAMP:20260302T000000Z", *(() if "UID:e1" in lines else ("UID:e1",)), *(() if lines[0] in ZONED else ZONED)}
        return "<br>".join(cell(one) for one in read.lines if one not in common)

    def test_the_page_says_what_is_so(self):
        rows = ["| goes in | comes out |", "|---|---|"]
        for lines in EVENT_LINES:
            out = self.out(lines)
            self.assertTrue(out, f"{lines} is lost")
            rows.append(f"| {'<br>'.join(map(cell, lines))} | {out} |")
        table = "\n".join(rows)
        self.assertIn(table, PAGE.read_text(), f"\ndocs/formats.md should hold:\n\n{table}\n")
