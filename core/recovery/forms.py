"""Which open form a restored item has, told from its kind and its first bytes: what a drill can try to open.

Knows signatures only; `Scratch.opens` opens. Signatures: PNG (W3C PNG, §5.2), JPEG (ITU-T T.81, SOI), GIF (GIF89a), WebP (RFC 9649),
SQLite 3 (its published file format, §1.3.1), ZIP (APPNOTE, local file header), iCalendar (RFC 5545, §3.4), vCard (RFC 6350, §6.1.1);
each of them from memory, and each tried on what libraries write.
"""

from enum import StrEnum

from core.content.digests import is_record

HEAD_BYTES = 64
_BOM = b"\xef\xbb\xbf"


class Form(StrEnum):
    PICTURE = "picture"
    DATABASE = "database"
    CALENDAR = "calendar"
    CARD = "card"
    ARCHIVE = "archive"
    RECORD = "record"
    """An item that its device tells as JSON."""


FORM_WORDS = {
    Form.PICTURE: ("picture", "pictures"),
    Form.DATABASE: ("database", "databases"),
    Form.CALENDAR: ("calendar", "calendars"),
    Form.CARD: ("card file", "card files"),
    Form.ARCHIVE: ("archive", "archives"),
    Form.RECORD: ("record", "records"),
}

_BEGINS = (
    (b"\x89PNG\r\n\x1a\n", Form.PICTURE),
    (b"\xff\xd8\xff", Form.PICTURE),
    (b"GIF87a", Form.PICTURE),
    (b"GIF89a", Form.PICTURE),
    (b"SQLite format 3\x00", Form.DATABASE),
    (b"PK\x03\x04", Form.ARCHIVE),
)


def form_of(kind: str, head: bytes) -> Form | None:
    """`head`: the first `HEAD_BYTES` of the item, or all of a shorter one. None: nothing here knows how to open it."""
    if is_record(kind):
        return Form.RECORD
    if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
        return Form.PICTURE
    for begins, form in _BEGINS:
        if head.startswith(begins):
            return form
    text = head.removeprefix(_BOM).upper()
    if text.startswith(b"BEGIN:VCALENDAR"):
        return Form.CALENDAR
    return Form.CARD if text.startswith(b"BEGIN:VCARD") else None
