"""JSON items read with suspicion: contacts, events, conversations and flat records.

A device's record may lack anything and contain anything. Readers return what is usable as text and
leave the rest; they raise `UnreadableRecord` only when the bytes are no JSON object at all.
"""

import json
from typing import Any

from core.content.errors import LinkError

MAX_RECORD_BYTES = 8 * 1024 * 1024


class UnreadableRecord(LinkError):
    """The bytes of an item are not the JSON object that its kind promises."""

    code = "content.unreadable_record"
    remedy = "The item is kept as it came; export it as a file to look at it."


def record(content: bytes) -> dict[str, Any]:
    """The JSON object in `content`. Raises UnreadableRecord."""
    if len(content) > MAX_RECORD_BYTES:
        raise UnreadableRecord("The record is larger than 8 MiB.")
    try:
        record = json.loads(content)
    except (ValueError, RecursionError):
        raise UnreadableRecord("The record is no JSON.") from None
    if not isinstance(record, dict):
        raise UnreadableRecord("The record is no JSON object.")
    return record


def text(value: object) -> str:
    """`value` when it is text or a number, else nothing."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return str(value) if isinstance(value, str | int | float) else ""


def texts(value: object) -> list[str]:
    """The texts in a list, or the one text."""
    if isinstance(value, list):
        return [text(entry) for entry in value if text(entry)]
    return [text(value)] if text(value) else []


def rows(value: object) -> list[dict[str, Any]]:
    """The objects in a list; everything else is left out."""
    return [entry for entry in value if isinstance(entry, dict)] if isinstance(value, list) else []
