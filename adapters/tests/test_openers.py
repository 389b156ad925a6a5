"""What opens a restored file, at its bounds: what is broken is told with its reason, and what cannot be judged is not called broken."""

import io
import sqlite3
import tempfile
import zipfile
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase, mock

from PIL import Image

from adapters.destinations import opener
from adapters.destinations.opener import SOUND, UNTOLD, Opened, opened
from core.content.items import Item
from core.recovery.forms import Form

CARD = b"BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Ansa Quill\r\nEND:VCARD\r\n"
CALENDAR = b"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y//EN\r\nEND:VCALENDAR\r\n"


def item(kind: str = "documents", name: str = "a") -> Item:
    return Item(kind=kind, id="1", name=name, size_bytes=1, modified=datetime(2026, 3, 2, tzinfo=UTC), tag="t")


def picture(width: int, height: int) -> bytes:
    out = io.BytesIO()
    Image.new("L", (width, height)).save(out, "PNG")
    return out.getvalue()


def packed(*, encrypted: bool = False, method: int = zipfile.ZIP_DEFLATED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as archive:
        archive.writestr("a.txt", b"soundings " * 100)
    content = bytearray(out.getvalue())
    if encrypted:
        content[6] |= 1
        content[content.index(b"PK\1\2") + 8] |= 1
    return bytes(content)


class Openers(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "a"

    def on_disk(self, content: bytes, form: Form) -> Opened:
        self.path.write_bytes(content)
        return opened(self.path, form, item())

    def both(self, content: bytes, form: Form, **of: str) -> Opened:
        """From a file and from memory it is the same."""
        self.path.write_bytes(content)
        judged = opened(self.path, form, item(**of))
        self.assertEqual(opened(content, form, item(**of)), judged)
        return judged

    def broken(self, content: bytes, form: Form, says: str, **of: str) -> None:
        judged = self.both(content, form, **of)
        self.assertFalse(judged.opened)
        self.assertIn(says, judged.says)

    def test_a_picture_of_more_points_than_anybody_decodes_is_not_judged(self) -> None:
        with mock.patch.object(opener, "MOST_PIXELS", 20 * 10):
            self.assertEqual(self.both(picture(20, 10), Form.PICTURE), SOUND)
            self.assertEqual(self.both(picture(20, 11), Form.PICTURE), UNTOLD)
        self.broken(b"no picture", Form.PICTURE, "does not decode: it is a picture of no known form.")
        self.broken(picture(20, 10)[:45], Form.PICTURE, "does not decode")

    def test_a_picture_that_is_not_there_or_cannot_be_read_is_trouble_of_the_place_and_not_of_the_picture(self) -> None:
        with self.assertRaises(FileNotFoundError):
            opened(self.path, Form.PICTURE, item())
        with mock.patch.object(opener.Image, "open", side_effect=OSError(5, "Input/output error")), self.assertRaises(OSError):
            opened(b"x", Form.PICTURE, item())
        for error in (ValueError("odd"), SyntaxError("odd"), EOFError("odd"), IndexError("odd"), Image.DecompressionBombError("odd")):
            with mock.patch.object(opener.Image, "open", side_effect=error):
                self.broken(b"x", Form.PICTURE, "It does not decode: odd")
        with mock.patch.object(opener.Image, "open", side_effect=EOFError()):
            self.broken(b"x", Form.PICTURE, "It does not decode: EOFError")

    def test_a_database_is_walked_whole(self) -> None:
        base = sqlite3.connect(self.path)
        base.execute("CREATE TABLE tides (day TEXT, metres REAL)")
        base.executemany("INSERT INTO tides VALUES (?, ?)", [(f"{n:05}", n / 7) for n in range(4000)])
        base.commit()
        base.close()
        content = self.path.read_bytes()
        self.assertEqual(self.on_disk(content, Form.DATABASE), SOUND)
        torn = content[:-4096] + bytes(range(256)) * 16
        self.assertIn("SQLite says", self.on_disk(torn, Form.DATABASE).says)
        beside = torn[:18] + b"\2\2" + torn[20:]
        self.assertEqual(self.on_disk(beside, Form.DATABASE), UNTOLD, "its newest pages may lie in another file")
        self.assertIn("SQLite says: file is not a database", self.on_disk(b"x" * 4096, Form.DATABASE).says)
        with mock.patch.object(opener, "MOST_SECONDS", -1):
            with mock.patch.object(opener.sqlite3, "connect", lambda *_, **__: Slow()):
                self.assertEqual(self.on_disk(content, Form.DATABASE), UNTOLD, "what takes too long is not judged")

    def test_an_archive_unpacks_with_every_checksum(self) -> None:
        self.assertEqual(self.both(packed(), Form.ARCHIVE), SOUND)
        self.assertEqual(self.both(packed(encrypted=True), Form.ARCHIVE), UNTOLD)
        stored = bytearray(packed(method=zipfile.ZIP_STORED))
        stored[40] ^= 1
        self.broken(bytes(stored), Form.ARCHIVE, "a checksum in it is wrong")
        self.broken(packed()[:-10], Form.ARCHIVE, "It does not unpack: File is not a zip file")
        for method in (zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA):
            content = bytearray(packed(method=method))
            self.assertEqual(self.both(bytes(content), Form.ARCHIVE), SOUND)
            content[44] ^= 255
            self.broken(bytes(content), Form.ARCHIVE, "It does not unpack")
        with self.assertRaises(FileNotFoundError):
            opened(self.path.with_name("gone"), Form.ARCHIVE, item())
        with mock.patch.object(opener, "MOST_UNPACKED_BYTES", 1000):
            self.assertEqual(self.both(packed(), Form.ARCHIVE), SOUND)
        with mock.patch.object(opener, "MOST_UNPACKED_BYTES", 999):
            self.assertEqual(self.both(packed(), Form.ARCHIVE), UNTOLD)
        unknown = bytearray(packed())
        unknown[8] = unknown[unknown.index(b"PK\1\2") + 10] = 96  # a method that no reader knows
        self.assertEqual(self.both(bytes(unknown), Form.ARCHIVE), UNTOLD)

    def test_a_calendar_has_an_end_and_parses(self) -> None:
        self.assertEqual(self.both(CALENDAR, Form.CALENDAR), SOUND)
        self.assertEqual(self.both(CALENDAR.lower(), Form.CALENDAR), SOUND)
        self.broken(CALENDAR[:-5], Form.CALENDAR, "breaks off before its end")
        self.broken(CALENDAR.replace(b"PRODID:-//x//y//EN", b"no colon"), Form.CALENDAR, "does not parse as a calendar")

    def test_a_card_has_an_end_and_a_person(self) -> None:
        self.assertEqual(self.both(CARD * 2, Form.CARD), SOUND)
        self.broken(CARD + CARD[:-13], Form.CARD, "A card breaks off before its end")
        self.broken(b"nobody", Form.CARD, "No card in it can be read")

    def test_a_record_of_ours_is_one_and_an_appointment_in_it_makes_a_calendar(self) -> None:
        self.assertEqual(self.both(b'{"name": "Ansa Quill"}', Form.RECORD, kind="contacts"), SOUND)
        self.broken(b'{"name": ', Form.RECORD, "", kind="contacts")
        self.assertTrue(opened(b"[]", Form.RECORD, item(kind="contacts")).says, "it says why")
        self.assertEqual(self.both(b'{"title": "Low water", "start": "2026-03-02T06:00:00+00:00"}', Form.RECORD, kind="calendar"), SOUND)

    def test_text_larger_than_anybody_reads_is_not_judged(self) -> None:
        for form, content in ((Form.CALENDAR, CALENDAR), (Form.CARD, CARD), (Form.RECORD, b"{}")):
            with mock.patch.object(opener, "MOST_TEXT_BYTES", len(content)):
                self.assertEqual(self.on_disk(content, form), SOUND)
            with mock.patch.object(opener, "MOST_TEXT_BYTES", len(content) - 1):
                self.assertEqual(self.on_disk(content, form), UNTOLD)


class Slow:
    """A database whose check is broken off by its own progress handler."""

    def set_progress_handler(self, handler: object, every: int) -> None:
        self.stops = handler

    def execute(self, what: str) -> list[tuple[str]]:
        if "quick_check" in what and self.stops():  # type: ignore[operator]
            raise sqlite3.OperationalError("interrupted")
        return [("ok",)]

    def close(self) -> None:
        """Nothing is open."""
