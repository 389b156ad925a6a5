"""Drills on content that others wrote and that was damaged on purpose. Judges: Pillow, SQLite, zipfile, icalendar, and vobject for cards."""

import io
import random
import sqlite3
import tempfile
import zipfile
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase

import icalendar
import vobject
from PIL import Image

from adapters.destinations.scratch import ScratchFolder
from core.content.items import Item
from core.recovery.drill import Bounds, DrillReport, drill
from core.recovery.forms import Form
from core.vault import blobs as names
from core.vault.errors import Stopped, StoreFull
from core.vault.tests.bench_of_one import Bench, MemoryDevice, phone


def picture(form: str) -> bytes:
    out = io.BytesIO()
    noise = Image.frombytes("RGB", (96, 64), random.Random(form).randbytes(96 * 64 * 3))
    noise.save(out, form)
    return out.getvalue()


def database(*, wal: bool = False) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        base = sqlite3.connect(f"{folder}/a.sqlite")
        base.execute(f"PRAGMA journal_mode={'WAL' if wal else 'DELETE'}")
        base.execute("CREATE TABLE tides (day TEXT PRIMARY KEY, metres REAL)")
        base.executemany("INSERT INTO tides VALUES (?, ?)", [(f"{n:05}", n / 7) for n in range(4000)])
        base.commit()
        base.close()
        return Path(f"{folder}/a.sqlite").read_bytes()


def archive() -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        made.writestr("chart.txt", "soundings in metres\n" * 5000)
    return out.getvalue()


def calendar() -> bytes:
    """As the samples of the installed package have it."""
    return next(iter(sorted(Path(icalendar.__file__).parent.glob("tests/calendars/*.ics")))).read_bytes()


def cards() -> bytes:
    made = vobject.vCard()
    made.add("n").value = vobject.vcard.Name(family="Quill", given="Ansa")
    made.add("fn").value = "Ansa Quill"
    return made.serialize().encode()


SOUND = {
    ("photos", "a.png"): picture("PNG"),
    ("photos", "b.jpg"): picture("JPEG"),
    ("photos", "c.webp"): picture("WEBP"),
    ("photos", "d.gif"): picture("GIF"),
    ("app_data", "tides.sqlite"): database(),
    ("app_data", "beside.sqlite"): database(wal=True),
    ("documents", "charts.zip"): archive(),
    ("documents", "kept.vcf"): cards(),
    ("documents", "plain.txt"): b"nobody knows how to open this",
    ("contacts", "c1"): b'{"name": "Ansa Quill"}',
    ("calendar", "e1"): b'{"title": "Low water", "start": "2026-03-02T06:00:00+00:00"}',
}


def damaged(content: bytes, form: str) -> bytes:
    """As a device may have it: what opens it has to notice."""
    if form == "cut":
        return content[: len(content) * 2 // 3]
    at = len(content) // 2
    return content[:at] + bytes(64) + content[at + 64 :]


class Drills(TestCase):
    def setUp(self) -> None:
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.above = Path(place.name)
        self.scratch = ScratchFolder(self.above / "drill")
        self.bench = Bench()
        self.draw = random.Random(3).random

    def drilled(self, content: dict[tuple[str, str], bytes], **bounds: object) -> DrillReport:
        manifest = self.bench.capture(MemoryDevice(content)).manifest
        return self.again(manifest, **bounds)

    def again(self, manifest: object, **bounds: object) -> DrillReport:
        vault = self.bench.again()
        vault.refresh()
        return drill(vault, manifest, self.scratch, bounds=Bounds(**bounds), draw=self.draw)  # type: ignore[arg-type]

    def test_everything_sound_comes_back_right_and_opens(self):
        report = self.drilled(SOUND | {("documents", "of_a_library.ics"): calendar()} | phone())
        self.assertEqual(
            (report.right, report.whole, report.items, report.unopened.named), (True, True, report.of_items, [self.notes(report)])
        )
        self.assertEqual(report.size_bytes, report.of_bytes)
        fields = {Form.PICTURE: 4, Form.DATABASE: 2, Form.ARCHIVE: 1, Form.CARD: 1, Form.CALENDAR: 1, Form.RECORD: 152}
        self.assertEqual(dict(report.opened), fields)
        self.assertEqual(list(self.above.iterdir()), [], "Nothing stays behind.")

    def notes(self, report: DrillReport) -> object:
        """What calls itself a database and is none was so on the phone."""
        unopened = report.unopened.named[0]
        self.assertIn("SQLite says", unopened.says)
        self.assertEqual(unopened.name, "notes.sqlite")
        return unopened

    def test_what_was_broken_on_the_device_is_told_as_that_and_is_no_fault_of_the_backup(self):
        for (kind, name), content in SOUND.items():
            if kind not in ("photos", "app_data", "documents") or name in ("plain.txt", "beside.sqlite"):
                continue
            report = self.drilled({(kind, name): damaged(content, "cut")})
            self.assertTrue(report.right, f"{name}: the bytes are as they came")
            self.assertEqual([one.name for one in report.unopened.named], [name], f"{name} does not open: {report.opened}")
        overwritten = self.drilled({("app_data", "tides.sqlite"): damaged(SOUND["app_data", "tides.sqlite"], "zeros")})
        self.assertEqual((overwritten.right, overwritten.unopened.count), (True, 1))

    def test_whatever_a_library_has_as_samples_comes_back_right_and_one_that_was_cut_is_told(self):
        """Calendars as the icalendar package brings them along, odd ones among them: none of them is damage."""
        samples = {("documents", path.name): path.read_bytes() for path in Path(icalendar.__file__).parent.rglob("*.ics")}
        self.assertGreater(len(samples), 50)
        report = self.drilled(samples)
        self.assertEqual((report.right, report.whole), (True, True))
        self.assertGreater(report.opened[Form.CALENDAR], 50)
        cut = self.drilled({("documents", "cut.ics"): damaged(calendar(), "cut")})
        self.assertEqual((cut.right, [one.name for one in cut.unopened.named]), (True, ["cut.ics"]))

    def test_damage_in_the_store_is_lost_by_name_and_the_rest_is_right(self):
        manifest = self.bench.capture(MemoryDevice(SOUND | phone())).manifest
        for name, _ in list(self.bench.blobs.list(names.PACKS)):
            content = bytearray(self.bench.blobs.read(name))
            content[len(content) // 3] ^= 0x40
            self.bench.blobs.delete(name)
            self.bench.blobs.create(name, bytes(content))
        report = self.again(manifest)
        self.assertFalse(report.right)
        self.assertGreater(report.lost.count, 0)
        self.assertGreater(report.items, 0)
        self.assertEqual(report.items + report.lost.count, report.of_items)

    def test_a_scratch_place_that_gives_back_other_bytes_is_found_out(self):
        class Lying(ScratchFolder):
            def read(self, path):  # type: ignore[no-untyped-def]
                yield from (bytes([piece[0] ^ 1]) + piece[1:] for piece in super().read(path))

        self.scratch = Lying(self.above / "drill")
        report = self.drilled({("photos", "a.png"): SOUND["photos", "a.png"]})
        self.assertEqual((report.right, report.items, report.differing.count), (False, 0, 1))
        self.assertEqual(report.differing.named[0].says, "Its bytes are not those that left the store.")

    def test_what_arrives_shorter_is_told_with_both_lengths(self):
        class Short(ScratchFolder):
            def read(self, path):  # type: ignore[no-untyped-def]
                yield from (piece[:-1] for piece in super().read(path))

        self.scratch = Short(self.above / "drill")
        report = self.drilled({("documents", "twelve.txt"): b"twelve bytes"})
        self.assertEqual([one.says for one in report.differing.named], ["It has 11 bytes, and should have 12."])

    def test_chunks_that_open_to_other_content_than_they_are_named_after_are_found_out(self):
        """What leaves the vault arrives: only ids computed from what arrived tell."""
        film = random.Random(9).randbytes(3_000_000)
        manifest = self.bench.capture(MemoryDevice({("videos", "tide.mp4"): film})).manifest
        vault = self.bench.again()
        vault.refresh()
        of_film = {span.chunk for stored in vault.items(manifest, "videos") for span in stored.spans}
        self.assertGreater(len(of_film), 2)
        honest = vault.open_chunk

        def other(chunk: bytes, sealed: bytes | memoryview) -> bytes:
            return bytes(reversed(honest(chunk, sealed))) if chunk in of_film else honest(chunk, sealed)

        vault.open_chunk = other  # type: ignore[method-assign]
        report = drill(vault, manifest, self.scratch, draw=self.draw)
        self.assertEqual([one.says for one in report.differing.named], ["Its bytes are not those that its chunks are named after."])

    def test_within_its_bytes_something_of_every_kind_is_drawn(self):
        content = SOUND | {("videos", f"film {n}"): random.Random(n).randbytes(200_000) for n in range(20)}
        report = self.drilled(content, most_bytes=600_000)
        self.assertTrue(report.right)
        self.assertFalse(report.whole)
        self.assertLess(report.size_bytes, 900_000)
        self.assertGreater(report.items, 5)

    def test_when_its_time_is_over_what_is_left_is_told(self):
        report = self.drilled(phone(), is_over=lambda: True)
        self.assertEqual((report.items, report.out_of_time, report.whole), (0, True, False))

    def test_nothing_stays_behind_when_it_ends_midway(self):
        def stop(done_bytes: int, total_bytes: int) -> None:
            raise Stopped("Enough.")

        manifest = self.bench.capture(MemoryDevice(phone())).manifest
        vault = self.bench.again()
        vault.refresh()
        with self.assertRaises(Stopped):
            drill(vault, manifest, self.scratch, draw=self.draw, on_progress=stop)
        self.assertEqual(list(self.above.iterdir()), [])

    def test_a_corner_is_written_over_and_holds_nothing_of_before(self):
        corner = ScratchFolder(self.above / "corner")
        self.addCleanup(corner.clear)
        made = Item(kind="documents", id="x", name="x", size_bytes=3, modified=datetime(2026, 1, 1, tzinfo=UTC), tag="t")
        sizes = []
        for first, second in ((b"SQLite format 3\0one", b"photo one"), (b"SQLite format 3\0two", b"photo two")):
            corner.file("000000", made, [first])
            corner.file("000001", made, [second[:3], second[3:]])
            self.assertEqual((b"".join(corner.read("000000")), b"".join(corner.read("000001"))), (first, second))
            sizes.append(sum(path.stat().st_size for path in (self.above / "corner").iterdir()))
            corner.again()
            self.assertEqual(b"".join(corner.read("000000")) + b"".join(corner.read("000001")), b"")
        self.assertEqual(sizes[0], sizes[1], "it does not grow")

    def test_one_piece_is_proven_while_the_next_is_restored_and_none_is_missed(self):
        """More bytes than two pieces: every corner is filled and emptied more than once, and nobody else may look into it."""
        seen = list[tuple[str, int]]()

        class Watching(ScratchFolder):
            def again(self) -> None:
                seen.append((self._root.name, self._root.parent.stat().st_mode & 0o777))
                super().again()

        self.scratch = Watching(self.above / "drill")
        films = {("videos", f"film {n}"): random.Random(n).randbytes(24_000_000) for n in range(9)}
        report = self.drilled(films)
        self.assertEqual((report.whole, report.items, report.size_bytes), (True, 9, 9 * 24_000_000))
        corners = [one for one in seen if one[0] in "01"]
        self.assertEqual(corners, [("0", 0o700), ("1", 0o700), ("0", 0o700)])
        self.assertEqual(list(self.above.iterdir()), [])

    def test_a_place_that_cannot_be_made_is_told(self):
        (self.above / "drill").mkdir()
        (self.above / "taken").write_text("in the way")
        self.scratch = ScratchFolder(self.above / "taken" / "drill")
        with self.assertRaises(Exception) as raised:
            self.drilled(phone())
        self.assertNotIsInstance(raised.exception, StoreFull)
        self.assertIn("scratch folder", str(raised.exception))
