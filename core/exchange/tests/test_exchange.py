"""Open formats, read back by independent libraries: vobject, dateutil, zipfile, csv."""

import csv
import io
import json
import random
import stat
import struct
import subprocess
import tempfile
import zipfile
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase

import vobject

from core.content.items import Item
from core.exchange.archive import Archive
from core.exchange.calendar import calendar
from core.exchange.filenames import UniqueNames, safe_path
from core.exchange.tables import csv_table, unguarded
from core.exchange.vcard import CardForm, folded, vcard
from core.exchange.zipped import Zipped
from core.vault.errors import Damaged

NOW = datetime(2026, 3, 2, 8, tzinfo=UTC)
AWKWARD = 'Ångström; "Pike, & Söhne" \\ line\nnext ' + "über " * 30


class ContactsBecomeVcard4(TestCase):
    def test_vobject_reads_back_what_was_written(self):
        contact = {
            "name": {"given": "Zoë", "family": "d'Aubigné; von"},
            "organisation": "Saltmarsh, Pike",
            "phones": [{"label": "cell", "number": "+49 30 5550 117"}, {"label": "satellite", "number": "1"}],
            "emails": [{"label": "work", "address": "zoe@saltmarsh.example"}],
            "address": {"street": "Quay 4", "town": "Tidewick", "postcode": "1234"},
            "birthday": "1980-02-29",
            "note": AWKWARD,
        }
        card = vobject.readOne(vcard(contact, uid="c1"))
        self.assertEqual(card.version.value, "4.0")
        self.assertEqual((card.n.value.given, card.n.value.family), ("Zoë", "d'Aubigné; von"))
        self.assertEqual(card.note.value, AWKWARD)
        self.assertEqual([phone.value for phone in card.tel_list], ["+49 30 5550 117", "1"])
        self.assertEqual(card.tel.params["TYPE"], ["cell"])
        self.assertEqual((card.adr.value.city, card.bday.value), ("Tidewick", "19800229"))

    def test_a_row_is_as_full_as_it_can_be_and_breaks_no_letter(self):
        """RFC 6350 §3.2: at most 75 octets without the line break, folded with one space."""
        for letter in "aä東💾":
            line = "NOTE:" + letter * 200
            rows = folded(line).removesuffix("\r\n").split("\r\n")
            self.assertEqual("".join([rows[0], *(row[1:] for row in rows[1:])]), line)
            octets = len(letter.encode())
            for row in rows[:-1]:
                self.assertTrue(75 - octets < len(row.encode()) <= 75, (letter, len(row.encode())))
            self.assertTrue(all(row[0] == " " for row in rows[1:]))
        self.assertEqual([folded("N:" + "a" * count).count("\r\n") for count in (72, 73, 74)], [1, 1, 2])

    def test_no_row_is_longer_than_75_octets(self):
        # RFC 6350 §3.2
        text = folded("NOTE:" + "ü" * 200)
        self.assertTrue(all(len(row.encode()) <= 75 for row in text.split("\r\n")))
        self.assertEqual(text.replace("\r\n ", "").strip(), "NOTE:" + "ü" * 200)

    def test_a_card_cannot_be_broken_out_of(self):
        card = vcard({"display": "x\r\nEND:VCARD\r\nBEGIN:VCARD\nFN:evil", "phones": "no list", "birthday": "soon"}, uid="a\nb")
        self.assertEqual(len(list(vobject.readComponents(card))), 1)

    def test_nothing_usable_still_gives_a_card(self):
        self.assertEqual(vobject.readOne(vcard({}, uid="c")).fn.value, "(no name)")


class EventsBecomeICalendar(TestCase):
    def test_vobject_reads_times_in_their_zone_whole_days_and_repeats(self):
        events = [
            ("e1", {"title": "Tide, survey", "start": "2026-03-28T09:00", "end": "2026-03-28T11:00", "zone": "Europe/Berlin", "repeat": "FREQ=WEEKLY;COUNT=3"}),
            ("e2", {"title": "Closed", "start": "2026-12-24", "all_day": True}),
            ("e3", {"title": "Call", "start": "2026-03-01T10:00:00+02:00", "attendees": ["a@b.example"]}),
        ]  # fmt: skip
        content, refused = calendar(events, now=NOW)
        self.assertEqual(refused, [])
        by_key = {event.uid.value: event for event in vobject.readOne(content.decode()).vevent_list}
        self.assertEqual(by_key["e1"].dtstart.value.astimezone(UTC), datetime(2026, 3, 28, 8, tzinfo=UTC))
        self.assertEqual(by_key["e1"].summary.value, "Tide, survey")
        self.assertEqual(by_key["e2"].dtstart.value.isoformat(), "2026-12-24")
        self.assertEqual(by_key["e3"].dtstart.value.astimezone(UTC), datetime(2026, 3, 1, 8, tzinfo=UTC))
        # the weekly event crosses the change to summer time: same wall clock, one hour less in UTC
        occurrences = [instant.hour for instant in by_key["e1"].getrruleset(addRDate=True)]
        self.assertEqual(occurrences, [9, 9, 9])

    def test_what_cannot_be_understood_is_named_and_the_rest_is_written(self):
        events = [
            ("good", {"start": "2026-03-01T10:00"}),
            ("bad", {"start": "soon"}),
            ("worse", {"start": "2026-03-01T10:00", "zone": "Mars/Sea"}),
        ]
        content, refused = calendar(events, now=NOW)
        self.assertEqual(refused, ["bad", "worse"])
        self.assertEqual(content.count(b"BEGIN:VEVENT"), 1)


class TablesAreCsv(TestCase):
    def test_awkward_cells_come_back(self):
        cells = ['a "quoted" word', "comma, and\nline", AWKWARD]
        read = list(csv.DictReader(io.StringIO(csv_table([{"text": cell} for cell in cells]))))
        self.assertEqual([row["text"] for row in read], cells)

    def test_no_cell_is_a_formula(self):
        table = csv_table([{"a": '=HYPERLINK("http://x")', "b": "-5.5", "c": "@cmd", "d": "+1+1"}])
        row = next(csv.DictReader(io.StringIO(table)))
        self.assertEqual(row, {"a": '\'=HYPERLINK("http://x")', "b": "-5.5", "c": "'@cmd", "d": "'+1+1"})

    def test_nor_is_one_that_begins_with_a_tab_or_a_return_nor_the_name_of_a_column(self):
        """What a spreadsheet drops before it looks at the first character."""
        columns = ["\t=1", "=1+1", "@x", "plain"]
        rows = [dict(zip(columns, ("\t=1+1", "\r=1+1", "'=1", "+49 30"), strict=True))]
        head, cells = list(csv.reader(io.StringIO(csv_table(rows), newline="")))
        self.assertEqual(head, ["'\t=1", "'=1+1", "'@x", "plain"])
        self.assertEqual(cells, ["'\t=1+1", "'\r=1+1", "''=1", "'+49 30"])
        self.assertEqual([unguarded(cell) for cell in cells], list(rows[0].values()))


class ContactsInAnArchive(TestCase):
    CAME = "BEGIN:VCARD\nVERSION:3.0\nFN:Ada\nTEL;TYPE=CELL,pref:1\nEND:VCARD\n"

    def files(self, cards: CardForm) -> dict[str, bytes]:
        out = io.BytesIO()
        archive = Archive(Zipped(out), now=NOW, cards=cards)
        text = json.dumps({"display": "Ada", "card": self.CAME}).encode()
        one = Item(kind="contacts", id="c1", name="Ada", size_bytes=len(text), modified=NOW, tag="1")
        file = Item(
            kind="contacts", id="cards/old.vcf", name="cards/old.vcf", size_bytes=4, modified=NOW, tag="1", attributes={"mode": 0o600}
        )
        listed = [one, file]
        archive.add_kind("contacts", lambda: zip(listed, (lambda: iter([text]), lambda: iter([b"card"])), strict=True))
        self.assertEqual(archive.close().written, {"contacts": 2})
        with zipfile.ZipFile(out) as packed:
            return {name: packed.read(name) for name in packed.namelist()}

    def test_leave_in_the_form_that_was_chosen_and_files_of_them_as_they_are(self):
        for form, starts in ((CardForm.V4, b"BEGIN:VCARD\r\nVERSION:4.0"), (CardForm.V3, b"BEGIN:VCARD\r\nVERSION:3.0")):
            files = self.files(form)
            self.assertTrue(files["Contacts.vcf"].startswith(starts), files["Contacts.vcf"])
            self.assertEqual(files["Contacts/cards/old.vcf"], b"card")
            self.assertFalse([name for name in files if name.startswith("unreadable")])
        self.assertEqual(self.files(CardForm.AS_IT_CAME)["Contacts.vcf"], self.CAME.encode())


class NamesStayInsideTheArchive(TestCase):
    def test_traversal_absolute_reserved_and_overlong(self):
        cases = {
            "../../etc/passwd": "etc/passwd", "/abs/x": "abs/x", "..\\..\\win.ini": "_.._win.ini", "a/" * 60 + "b": "a/" * 60 + "b", "": "unnamed", "...": "unnamed",
            "C:\\x": "C__x", "con": "_con", "NUL.txt": "_NUL.txt", "a/./b": "a/b", '<img src="x">.png': "_img src=_x__.png",
        }  # fmt: skip
        for name, expected in cases.items():
            self.assertEqual(safe_path(name), expected)
        self.assertLessEqual(len(safe_path("ü" * 900 + ".jpg").encode()), 120)
        self.assertTrue(safe_path("ü" * 900 + ".jpg").endswith(".jpg"))

    def test_names_that_differ_only_in_case_are_numbered(self):
        names = UniqueNames()
        self.assertEqual([names.take("a/X.jpg"), names.take("a/x.jpg"), names.take("a/x.JPG")], ["a/X.jpg", "a/x (2).jpg", "a/x (3).JPG"])


class AnArchiveHoldsEverything(TestCase):
    def items(self, kind: str, contents: dict[str, bytes]):
        for name, content in contents.items():
            item = Item(kind=kind, id=name, name=name, size_bytes=len(content), modified=NOW, tag="1")
            yield item, lambda content=content: iter([content])

    def test_sizes_and_counts_by_zipfile(self):
        file = io.BytesIO()
        archive = Archive(Zipped(file), now=NOW)
        photos = {"DCIM/a.jpg": b"\xff\xd8" + bytes(5000), "../../a.jpg": b"second", "DCIM/A.jpg": b"third"}
        archive.add_kind("photos", lambda: self.items("photos", photos))
        archive.add_kind(
            "contacts", lambda: self.items("contacts", {"c1": b'{"display": "Ann"}', "c2": b'{"display": "Bo"}', "bad": b"\xff"})
        )
        archive.add_kind("calls", lambda: self.items("calls", {"k": b'{"number": "1", "seconds": 5}'}))
        talk = json.dumps({"messages": [{"from": "Ann", "at": "2026-01-01", "text": "=1"}]}).encode()
        archive.add_kind("messages", lambda: self.items("messages", {"Ann": talk}))
        report = archive.close()
        self.assertEqual(report.written, {"photos": 3, "contacts": 3, "calls": 1, "messages": 1})
        with zipfile.ZipFile(file) as packed:
            self.assertIsNone(packed.testzip())
            sizes = {info.filename: info.file_size for info in packed.infolist()}
            self.assertEqual(sizes["Photos/DCIM/a.jpg"], 5002)
            self.assertEqual(
                {name for name in sizes if name.startswith("Photos")}, {"Photos/DCIM/a.jpg", "Photos/a.jpg", "Photos/DCIM/A (2).jpg"}
            )
            self.assertEqual(len(list(vobject.readComponents(packed.read("Contacts.vcf").decode()))), 2)
            self.assertEqual(packed.read("unreadable/Contacts/bad"), b"\xff")
            self.assertEqual(len(json.loads(packed.read("contents.json"))), 8)
            self.assertEqual(next(csv.DictReader(io.StringIO(packed.read("Messages.csv").decode())))["text"], "'=1")

    def test_a_damaged_item_is_named_and_the_others_leave(self):
        def broken():
            raise Damaged("gone")
            yield b""

        file = io.BytesIO()
        archive = Archive(Zipped(file), now=NOW)
        item = Item(kind="photos", id="x", name="x.jpg", size_bytes=1, modified=NOW, tag="1")
        archive.add_kind("photos", lambda: [(item, broken), *self.items("photos", {"y.jpg": b"y"})])
        report = archive.close()
        self.assertEqual((report.damaged, report.written), ([("photos", "x.jpg")], {"photos": 1}))


class FilesInAnArchive(TestCase):
    def entry(self, name: str, content: bytes, *, breaks: bool = False, **attributes: int | str):
        item = Item(
            kind="documents", id=name, name=name, size_bytes=len(content), modified=datetime(2019, 3, 31, 1, 59, 58, tzinfo=UTC), tag="t",
            attributes={"mode": 0o640} | attributes,
        )  # fmt: skip

        def pieces():
            yield content
            if breaks:
                raise Damaged("The store cannot give the rest.")

        return item, pieces

    def made(self, *entries, folders=()):
        file = io.BytesIO()
        archive = Archive(Zipped(file), now=datetime(2026, 1, 1, tzinfo=UTC))
        archive.add_kind("documents", lambda: entries)
        archive.add_folders(folders)
        return archive.close(), file

    def test_a_damaged_one_leaves_no_half_file_and_the_archive_whole(self):
        half = random.Random(1).randbytes(1_000_000)
        for entries in ((("a", False), ("half", True), ("b", False)), (("a", False), ("half", True))):
            three = [self.entry(name, half if breaks else b"whole", breaks=breaks) for name, breaks in entries]
            report, file = self.made(*three)
            self.assertEqual(report.damaged, [("documents", "half")])
            self.assertLess(len(file.getvalue()), 10_000)
            with zipfile.ZipFile(file) as archive:
                self.assertIsNone(archive.testzip())
                whole = [f"Documents/{name}" for name, breaks in entries if not breaks]
                self.assertEqual([name for name in archive.namelist() if name != "contents.json"], whole)

    def test_depth_modes_times_links_and_empty_folders_are_kept_for_whoever_unpacks(self):
        deep = "/".join(f"d{n:02}" for n in range(60)) + "/bottom.txt"
        folder = Item(
            kind="folders", id="empty", name="empty", size_bytes=0, modified=datetime(2019, 1, 1, tzinfo=UTC), tag="folder",
            attributes={"mode": 0o750},
        )  # fmt: skip
        entries = [self.entry(deep, b"deep"), self.entry(".profile", b"dot"), self.entry("to", b"", link=".profile")]
        _, file = self.made(*entries, folders=[folder])
        with tempfile.TemporaryDirectory() as into:
            (Path(into) / "a.zip").write_bytes(file.getvalue())
            unpacked = subprocess.run(["python3", "-m", "zipfile", "-l", f"{into}/a.zip"], capture_output=True, text=True, check=True)
            self.assertIn(f"Documents/{deep}", unpacked.stdout)
        with zipfile.ZipFile(file) as archive:
            by_key = {info.filename: info for info in archive.infolist()}
            self.assertEqual(
                {name for name in by_key if name != "contents.json"}, {f"Documents/{name}" for name in (deep, ".profile", "to", "empty/")}
            )
            self.assertEqual(stat.S_IMODE(by_key["Documents/.profile"].external_attr >> 16), 0o640)
            self.assertTrue(stat.S_ISLNK(by_key["Documents/to"].external_attr >> 16))
            self.assertEqual(archive.read("Documents/to"), b".profile")
            self.assertEqual(struct.unpack("<HHBi", by_key["Documents/.profile"].extra), (0x5455, 5, 1, 1553997598))
