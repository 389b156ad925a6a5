"""Small pictures of pictures that came from devices: hostile input, decoded with limits."""

import io

from PIL import Image

MAX_PICTURE_BYTES = 60 * 1024 * 1024
MAX_PIXELS = 120_000_000
EDGE_PIXELS = 320
_MAGIC = ((b"\xff\xd8\xff", "image/jpeg"), (b"\x89PNG\r\n\x1a\n", "image/png"), (b"GIF8", "image/gif"))


class NoPicture(Exception):
    """These bytes cannot be shown as a picture."""


def picture_type(head: bytes) -> str | None:
    """The media type of a picture that a browser may show, from its first bytes; None for anything else."""
    if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
        return "image/webp"
    return next((kind for magic, kind in _MAGIC if head.startswith(magic)), None)


def thumbnail(content: bytes) -> bytes:
    """A JPEG of at most 320 pixels a side. Raises NoPicture."""
    if picture_type(content[:16]) is None:
        raise NoPicture
    try:
        with Image.open(io.BytesIO(content)) as image:
            if image.width * image.height > MAX_PIXELS:
                raise NoPicture
            image.draft("RGB", (EDGE_PIXELS, EDGE_PIXELS))
            image.thumbnail((EDGE_PIXELS, EDGE_PIXELS))
            out = io.BytesIO()
            image.convert("RGB").save(out, "JPEG", quality=80)
            return out.getvalue()
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise NoPicture from None
