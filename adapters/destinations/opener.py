"""Open restored files the way others would: hostile content, read only, within limits. Nothing is run and nothing is written.

The judges are not ours: Pillow decodes pictures, SQLite walks every page and row of its own files (not whether an index agrees with its
table: an index can be made again), `zipfile` every checksum of an archive, `icalendar`
parses calendars. Cards and records are read by the readers that exports use.
"""

import io
import sqlite3
import time
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from lzma import LZMAError
from pathlib import Path
from urllib.parse import quote

from icalendar import Calendar
from PIL import Image, UnidentifiedImageError

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


Source = Path | bytes
"""A file, or all of a small one."""


def opened(source: Source, form: Form, item: Item) -> Opened:
    """A database has to be a file. Raises OSError when it cannot be read at all."""
    return _HOW[form](source, item)


def _file(source: Source) -> Path | io.BytesIO:
    return io.BytesIO(source) if isinstance(source, bytes) else source


def _text(source: Source) -> bytes | None:
    """None for what is too large to be read as text."""
    if isinstance(source, bytes):
        return source
    return source.read_bytes() if source.stat().st_size <= MOST_TEXT_BYTES else None


def _picture(source: Source, item: Item) -> Opened:
    try:
        with Image.open(_file(source)) as image:
            if image.width * image.height > MOST_PIXELS:
                return UNTOLD
            image.load()
    except UnidentifiedImageError:  # its own words name the place where the content lies meanwhile
        return Opened(opened=False, says="It does not decode: it is a picture of no known form.")
    except (ValueError, SyntaxError, EOFError, IndexError, Image.DecompressionBombError) as error:
        return Opened(opened=False, says=f"It does not decode: {_words(error)}")
    except OSError as error:
        if error.errno is not None:
            raise
        return Opened(opened=False, says=f"It does not decode: {_words(error)}")
    return SOUND


def _database(path: Source, item: Item) -> Opened:
    assert isinstance(path, Path)
    with path.open("rb") as file:
        leans = file.read(20)[18:19] == bytes([_WAL])
    until = time.monotonic() + MOST_SECONDS
    base = sqlite3.connect(f"file:{quote(str(path))}?mode=ro&immutable=1", uri=True)
    try:
        base.set_progress_handler(lambda: int(time.monotonic() > until), 100_000)
        base.execute("PRAGMA trusted_schema=OFF")
        faults = [row[0] for row in base.execute("PRAGMA quick_check(3)")]
    except sqlite3.OperationalError as error:
        if time.monotonic() > until:
            return UNTOLD
        faults = [str(error)]
    except sqlite3.DatabaseError as error:
        faults = [str(error)]
    finally:
        base.close()
    if faults == ["ok"]:
        return SOUND
    return UNTOLD if leans else Opened(opened=False, says=f"SQLite says: {'; '.join(faults)[:200]}")


def _archive(source: Source, item: Item) -> Opened:
    try:
        with zipfile.ZipFile(_file(source)) as archive:
            entries = archive.infolist()
            if sum(entry.file_size for entry in entries) > MOST_UNPACKED_BYTES or any(entry.flag_bits & 1 for entry in entries):
                return UNTOLD
            bad = archive.testzip()
    except NotImplementedError:  # packed in a way that this library does not know
        return UNTOLD
    except (zipfile.BadZipFile, zlib.error, LZMAError, ValueError, EOFError, RuntimeError) as error:
        return Opened(opened=False, says=f"It does not unpack: {_words(error)}")
    except OSError as error:  # without a number it is bz2's word for broken content
        if error.errno is not None:
            raise
        return Opened(opened=False, says=f"It does not unpack: {_words(error)}")
    return SOUND if bad is None else Opened(opened=False, says="It does not unpack: a checksum in it is wrong.")


def _calendar(source: Source, item: Item) -> Opened:
    content = _text(source)
    return UNTOLD if content is None else _parsed_calendar(content)


def _parsed_calendar(content: bytes) -> Opened:
    if b"END:VCALENDAR" not in content.upper():
        return Opened(opened=False, says="The calendar breaks off before its end.")
    try:
        Calendar.from_ical(content, multiple=True)
    except (ValueError, KeyError, IndexError, TypeError, AttributeError) as error:
        return Opened(opened=False, says=f"It does not parse as a calendar: {_words(error)}")
    return SOUND


def _card(source: Source, item: Item) -> Opened:
    content = _text(source)
    if content is None:
        return UNTOLD
    begun, ended = content.upper().count(b"BEGIN:VCARD"), content.upper().count(b"END:VCARD")
    if ended < begun:
        return Opened(opened=False, says="A card breaks off before its end.")
    try:
        people = [contact(block) for block in cards(iter((content,)))]
    except (ValueError, UnreadableRecord) as error:
        return Opened(opened=False, says=f"It does not parse as cards: {_words(error)}")
    return SOUND if people else Opened(opened=False, says="No card in it can be read.")


def _record(source: Source, item: Item) -> Opened:
    content = _text(source)
    if content is None:
        return UNTOLD
    try:
        record(content)
    except UnreadableRecord as error:
        return Opened(opened=False, says=error.message)
    text = converted(item, content)
    return _parsed_calendar(text) if text[:15] == b"BEGIN:VCALENDAR" else SOUND


_HOW: dict[Form, Callable[[Source, Item], Opened]] = {
    Form.PICTURE: _picture,
    Form.DATABASE: _database,
    Form.ARCHIVE: _archive,
    Form.CALENDAR: _calendar,
    Form.CARD: _card,
    Form.RECORD: _record,
}


def _words(error: Exception) -> str:
    return (str(error) or type(error).__name__)[:200]
