"""When a picture was taken, from its EXIF data (EXIF 2.32, tags 0x9003, 0x0132 and their offsets), read with Pillow.

Only the head of the file is looked at and no picture is ever decoded, so that neither a bomb nor a broken file
costs anything. What cannot be read has no date.
"""

import io
import struct
import warnings
from datetime import UTC, datetime, tzinfo

from PIL import Image, UnidentifiedImageError

HEAD_BYTES = 256 * 1024
_EXIF_IFD, _ORIGINAL, _CHANGED, _ORIGINAL_OFFSET, _CHANGED_OFFSET = 0x8769, 0x9003, 0x0132, 0x9011, 0x9010


def taken_at(head: bytes, *, zone: tzinfo) -> datetime | None:
    """Aware, UTC; wall-clock times without an offset are taken to be in `zone`."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # a picture that claims to be huge is not decoded here
            with Image.open(io.BytesIO(head)) as picture:
                exif = Image.Exif()  # what stands in the head; `getexif` would decode some pictures to look behind it
                exif.load(picture.info.get("exif") or b"")
                inner = exif.get_ifd(_EXIF_IFD)
    except (UnidentifiedImageError, Image.DecompressionBombError, OSError, ValueError, SyntaxError, KeyError, TypeError, struct.error):
        return None
    for value, offset in ((inner.get(_ORIGINAL), inner.get(_ORIGINAL_OFFSET)), (exif.get(_CHANGED), inner.get(_CHANGED_OFFSET))):
        if isinstance(value, str) and (taken_at := _instant(value, offset, zone)) is not None:
            return taken_at
    return None


def _instant(value: str, offset: object, zone: tzinfo) -> datetime | None:
    written = value.strip("\x00 ")
    try:
        if isinstance(offset, str) and offset.strip("\x00 "):
            return datetime.strptime(written + offset.strip("\x00 "), "%Y:%m:%d %H:%M:%S%z").astimezone(UTC)
        return datetime.strptime(written, "%Y:%m:%d %H:%M:%S").replace(tzinfo=zone).astimezone(UTC)
    except (ValueError, OverflowError):
        return None
