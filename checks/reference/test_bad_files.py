"""Cards and calendars that are broken, huge or old: a clear word, nothing lost that was understood, and what was not is kept as it is."""

import base64
import io
import os
import tempfile
import zipfile
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase

import icalendar
import vobject

from adapters.links.gathered import GatheredLink
from core.content.items import Item
from core.content.records import record
from core.exchange.archive import Archive
from core.exchange.vcard import CardForm
from core.exchange.zipped import Zipped

NOW = datetime(2026, 3, 2, tzinfo=UTC)


class Broken(TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory(prefix="attic-bad-")))

    def brought(self, name: str, content: bytes) -> GatheredLink:
        (self.folder / name).write_bytes(content)
        link = GatheredLink(self.folder / name, zone=UTC)
        self.addCleanup(link.close)
        return link

    def records(self, link: GatheredLink, kind: str) -> list[dict]:
        return [record(b"".join(link.read(item))) for item in link.inventory(kind)]

    def out(self, link: GatheredLink, kind: str, form: CardForm = CardForm.V4) -> zipfile.ZipFile:
        file = io.BytesIO()
        archive = Archive(Zipped(file), now=NOW, cards=form)

        def opening():
            for item in link.inventory(kind):
                yield item, lambda item=item: link.read(item)

        archive.add_kind(kind, opening)
        self.assertEqual(archive.close().damaged, [])
        return zipfile.ZipFile(file)

    def kept_whole(self, link: GatheredLink, content: bytes) -> None:
        (item,) = link.inventory("documents")
        self.assertEqual(b"".join(link.read(item)), content)


def card(*lines: str, end: str = "\r\n") -> str:
    return end.join(["BEGIN:VCARD", "VERSION:3.0", "FN:Ada Holm", *lines, "END:VCARD", ""])


class Cards(Broken):
    def test_one_of_ten_megabytes_is_named_and_its_file_kept(self):
        huge = card("PHOTO;ENCODING=b;TYPE=JPEG:" + base64.b64encode(os.urandom(7_500_000)).decode()) + card("TEL:117")
        self.assertGreater(len(huge), 10_000_000)
        link = self.brought("who.vcf", huge.encode())
        self.assertEqual([item.name for item in link.inventory("contacts")], ["Ada Holm"])
        self.assertEqual([(one.name, one.why) for one in link.left_aside()], [("card 1 of who.vcf", "it is larger than 8 MiB; the file is kept whole among documents")])  # fmt: skip
        self.kept_whole(link, huge.encode())

    def test_one_of_four_megabytes_comes_and_leaves_with_its_picture(self):
        picture = os.urandom(3_000_000)
        link = self.brought("who.vcf", card("PHOTO;ENCODING=b;TYPE=JPEG:" + base64.b64encode(picture).decode()).encode())
        for form, head in ((CardForm.V4, "image/jpeg;base64,"), (CardForm.V3, "")):
            unfolded = self.out(link, "contacts", form).read("Contacts.vcf").decode().replace("\r\n ", "")
            (line,) = [line for line in unfolded.split("\r\n") if line.startswith("PHOTO")]
            self.assertEqual(base64.b64decode(line.rpartition(":")[2].removeprefix(head)), picture)

    def test_ten_thousand_properties_are_all_there(self):
        link = self.brought(
            "who.vcf", card(*[f"X-P{n};A=b:{n}" for n in range(5000)], *[f"TEL;TYPE=home:+{n}" for n in range(5000)]).encode()
        )
        for form in CardForm:
            read = vobject.readOne(self.out(link, "contacts", form).read("Contacts.vcf").decode())
            names = {child.name.upper() for child in read.getChildren()}
            self.assertEqual((len(read.tel_list), len([name for name in names if name.startswith("X-P")])), (5000, 5000))

    def test_any_line_ends_marks_and_utf_16(self):
        text = card("NOTE:Größe 東京 🦀", "TEL:117")
        for content in (
            text.encode(), text.replace("\r\n", "\n").encode(), text.replace("\r\n", "\r").encode(), b"\xef\xbb\xbf" + text.encode(),
            text.encode("utf-16"), b"\xfe\xff" + text.encode("utf-16-be"), b"\xff\xfe" + text.encode("utf-16-le"),
        ):  # fmt: skip
            link = self.brought("who.vcf", content)
            (record,) = self.records(link, "contacts")
            self.assertEqual((record["display"], record["note"], record["phones"][0]["number"]), ("Ada Holm", "Größe 東京 🦀", "117"))
            self.assertEqual(list(link.left_aside()), [])
            self.assertIn("東京", vobject.readOne(self.out(link, "contacts").read("Contacts.vcf").decode()).note.value)

    def test_quoted_printable_that_is_cut_swallows_nothing_behind_it(self):
        link = self.brought("who.vcf", card("NOTE;ENCODING=QUOTED-PRINTABLE:abc=C3=", "TEL:117").encode())
        (record,) = self.records(link, "contacts")
        self.assertEqual((record["note"][:3], record["phones"][0]["number"]), ("abc", "117"))
        link = self.brought("b.vcf", card("NOTE;ENCODING=QUOTED-PRINTABLE:one =", "two=C3=A4").encode())
        self.assertEqual(self.records(link, "contacts")[0]["note"], "one twoä", "one that goes on does")

    def test_one_that_does_not_end_is_named_and_its_file_kept(self):
        content = (card("TEL:1") + card("TEL:2").replace("END:VCARD", "")).encode()
        link = self.brought("who.vcf", content)
        self.assertEqual([one.why for one in link.left_aside()], ["it does not end; the file is kept whole among documents"])
        self.assertEqual(len(link.inventory("contacts")), 1)
        self.kept_whole(link, content)


def calendar(*events: tuple[str, ...]) -> bytes:
    lines = ["BEGIN:VCALENDAR", "VERSION:2.0"]
    for number, event in enumerate(events):
        lines += ["BEGIN:VEVENT", f"UID:e{number}", *event, "END:VEVENT"]
    return "\r\n".join([*lines, "END:VCALENDAR", ""]).encode()


class Calendars(Broken):
    def written(self, *events: tuple[str, ...]) -> tuple[GatheredLink, list[icalendar.Event]]:
        link = self.brought("c.ics", calendar(*events))
        read = icalendar.Calendar.from_ical(self.out(link, "calendar").read("Calendar.ics"))
        return link, list(read.walk("VEVENT"))

    def test_an_event_without_end_and_one_of_ten_thousand_occurrences(self):
        days = ",".join(f"{year}{month:02}01T000000Z" for year in range(1000, 1834) for month in range(1, 13))
        _, (open_ended, many) = self.written(
            ("DTSTART:20260302T100000Z",), ("DTSTART:20260302T100000Z", "RRULE:FREQ=DAILY;COUNT=10000", f"RDATE:{days}")
        )
        self.assertNotIn("DTEND", open_ended)
        self.assertEqual((many["RRULE"]["COUNT"], len(many["RDATE"].dts)), ([10000], 10_008))

    def test_the_year_1_and_the_end_of_all_calendars(self):
        _, events = self.written(
            ("DTSTART:00010101T000000Z",), ("DTSTART;VALUE=DATE:00010101",), ("DTSTART;TZID=Europe/Berlin:99991231T235900", "DURATION:P5D")
        )
        self.assertEqual([event.decoded("dtstart").year for event in events], [1, 1, 9999])
        self.assertEqual(str(events[2]["DURATION"].to_ical().decode()), "P5D", "what cannot be counted stays as it stood")

    def test_a_zone_that_does_not_exist_is_kept_by_its_name(self):
        _, (event,) = self.written(("DTSTART;TZID=Mare/Tranquil:20260302T100000",))
        self.assertEqual((event.decoded("dtstart").isoformat(), event["X-UNKNOWN-TZID"]), ("2026-03-02T10:00:00", "Mare/Tranquil"))

    def test_one_that_is_not_understood_is_named_its_file_kept_and_the_others_come(self):
        content = calendar(("DTSTART:20260302T100000Z",), ("SUMMARY:no start",), ("DTSTART:yesterday",))
        link = self.brought("c.ics", content)
        self.assertEqual(len(link.inventory("calendar")), 1)
        self.assertEqual([one.name for one in link.left_aside()], ["event 2 of c.ics", "event 3 of c.ics"])
        self.kept_whole(link, content)


class Names(TestCase):
    def test_two_items_of_one_name_and_an_archive_of_a_hundred_thousand(self):
        file = io.BytesIO()
        archive = Archive(Zipped(file), now=NOW)

        def opening():
            for number in range(100_000):
                item = Item(kind="documents", id=f"{number}", name=f"{number // 2}.txt", size_bytes=1, modified=NOW, tag="t")
                yield item, lambda number=number: iter((b"%d" % number,))

        archive.add_kind("documents", opening)
        self.assertEqual(archive.close().written, {"documents": 100_000})
        with zipfile.ZipFile(file) as packed:
            self.assertEqual(len(packed.namelist()), 100_001)
            self.assertEqual((packed.read("Documents/7.txt"), packed.read("Documents/7 (2).txt")), (b"14", b"15"))
