"""Open restored files the way others would: hostile content, read only, within limits. Nothing is run and nothing is written.

The judges are not ours: Pillow decodes pictures, SQLite checks its own files, `zipfile` every checksum of an archive, `icalendar`
parses calendars. Cards and records are read by the readers that exports use.
"""

import sqlite3
import time
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote

from icalendar import Calendar
from PIL import Image

from core.content.items import Item
from core.content.records import UnreadableRecord, record
from core.exchange.read_vcard import cards, contact
from core.recovery.forms import Form
from core.recovery.placing import converted

MOST_PIXELS = 120_000_000
MOST_TEXT_BYTES = 64 << 20
MOST_UNPACKED_BYTES = 1 << 30
MOST_SECONDS = 20.0
_WAL = 2
"""Write version in the header of a database whose newest pages may lie in a file beside it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Opened:
    opened: bool
    says: str = ""


SOUND, UNTOLD = Opened(opened=True), Opened(opened=False)


def opened(path: Path, form: Form, item: Item) -> Opened:
    """Raises OSError when the file cannot be read at all."""
    return _HOW[form](path, item)


def _picture(path: Path, item: Item) -> Opened:
    try:
        with Image.open(path) as image:
            if image.width * image.height > MOST_PIXELS:
                return UNTOLD
            image.load()
    except (ValueError, SyntaxError, EOFError, IndexError, Image.DecompressionBombError) as error:
        return Opened(opened=False, says=f"It does not decode: {_words(error)}")
    except OSError as error:
        if error.errno is not None:
            raise
        return Opened(opened=False, says=f"It does not decode: {_words(error)}")
    return SOUND


def _database(path: Path, item: Item) -> Opened:
    with path.open("rb") as file:
        leans = file.read(20)[18:19] == bytes([_WAL])
    until = time.monotonic() + MOST_SECONDS
    base = sqlite3.connect(f"file:{quote(str(path))}?mode=ro&immutable=1", uri=True)
    try:
        base.set_progress_handler(lambda: int(time.monotonic() > until), 100_000)
        base.execute("PRAGMA trusted_schema=OFF")
        found = [row[0] for row in base.execute("PRAGMA integrity_check(3)")]
    except sqlite3.OperationalError as error:
        if time.monotonic() > until:
            return UNTOLD
        found = [str(error)]
    except sqlite3.DatabaseError as error:
        found = [str(error)]
    finally:
        base.close()
    if found == ["ok"]:
        return SOUND
    return UNTOLD if leans else Opened(opened=False, says=f"SQLite says: {'; '.join(found)[:200]}")


def _archive(path: Path, item: Item) -> Opened:
    try:
        with zipfile.ZipFile(path) as archive:
            entries = archive.infolist()
            if sum(entry.file_size for entry in entries) > MOST_UNPACKED_BYTES or any(entry.flag_bits & 1 for entry in entries):
                return UNTOLD
            bad = archive.testzip()
    except NotImplementedError:  # packed in a way that this library does not know
        return UNTOLD
    except (zipfile.BadZipFile, zlib.error, ValueError, EOFError, RuntimeError) as error:
        return Opened(opened=False, says=f"It does not unpack: {_words(error)}")
    return SOUND if bad is None else Opened(opened=False, says="It does not unpack: a checksum in it is wrong.")


def _calendar(path: Path, item: Item) -> Opened:
    if path.stat().st_size > MOST_TEXT_BYTES:
        return UNTOLD
    return _parsed_calendar(path.read_bytes())


def _parsed_calendar(content: bytes) -> Opened:
    if b"END:VCALENDAR" not in content.upper():
        return Opened(opened=False, says="The calendar breaks off before its end.")
    try:
        Calendar.from_ical(content, multiple=True)
    except (ValueError, KeyError, IndexError, TypeError, AttributeError) as error:
        return Opened(opened=False, says=f"It does not parse as a calendar: {_words(error)}")
    return SOUND


def _card(path: Path, item: Item) -> Opened:
    if path.stat().st_size > MOST_TEXT_BYTES:
        return UNTOLD
    content = path.read_bytes()
    begun, ended = content.upper().count(b"BEGIN:VCARD"), content.upper().count(b"END:VCARD")
    if ended < begun:
        return Opened(opened=False, says="A card breaks off before its end.")
    try:
        found = [contact(block) for block in cards(iter((content,)))]
    except (ValueError, UnreadableRecord) as error:
        return Opened(opened=False, says=f"It does not parse as cards: {_words(error)}")
    return SOUND if found else Opened(opened=False, says="No card in it can be read.")


def _record(path: Path, item: Item) -> Opened:
    if path.stat().st_size > MOST_TEXT_BYTES:
        return UNTOLD
    content = path.read_bytes()
    try:
        record(content)
    except UnreadableRecord as error:
        return Opened(opened=False, says=error.message)
    told = converted(item, content)
    return _parsed_calendar(told) if told[:15] == b"BEGIN:VCALENDAR" else SOUND


_HOW: dict[Form, Callable[[Path, Item], Opened]] = {
    Form.PICTURE: _picture,
    Form.DATABASE: _database,
    Form.ARCHIVE: _archive,
    Form.CALENDAR: _calendar,
    Form.CARD: _card,
    Form.RECORD: _record,
}


def _words(error: Exception) -> str:
    return (str(error) or type(error).__name__)[:200]
