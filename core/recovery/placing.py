"""Where an item goes in a place that keeps files, and in which form.

A file has the path that it had, whatever its depth and its letters. Contacts, events, conversations and flat records become
open files with an ending, below a folder of their kind. What a place cannot hold under its own name gets another by the
rule of `core.exchange.filenames`, and the report says which.
"""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import PurePosixPath

from core.content.items import Item
from core.content.kinds import KindShape, kind
from core.content.paths import path_of
from core.content.records import UnreadableRecord, record
from core.exchange.calendar import calendar
from core.exchange.filenames import UniqueNames, plain_path, safe_part
from core.exchange.vcard import vcard
from core.vault.manifests import Stored

_ENDINGS = {KindShape.CONTACT: ".vcf", KindShape.EVENT: ".ics", KindShape.CONVERSATION: ".json", KindShape.RECORD: ".json"}


@dataclass(frozen=True, slots=True, kw_only=True)
class WantedPath:
    """One item as a file."""

    stored: Stored
    path: str
    """As it should be; text as an operating system takes it."""
    converts: bool
    """Whether the file is made from a record."""


def is_file(item: Item) -> bool:
    """Whether the item was a file where it came from, and its path is told by its id."""
    return bool(item.attributes) and "mode" in (item.attributes or {})


def wanted(items: Sequence[Stored], names: UniqueNames) -> list[WantedPath]:
    """`names` gives every path once, for the whole restore."""
    return [_wanted(stored, names) for stored in items]


def _wanted(stored: Stored, names: UniqueNames) -> WantedPath:
    item, of_kind = stored.item, kind(stored.item.kind)
    if is_file(item):
        return WantedPath(stored=stored, path=path_of(item), converts=False)
    if of_kind.shape in (KindShape.FILE, KindShape.PICTURE):
        return WantedPath(stored=stored, path=names.take(plain_path(item.name)), converts=False)
    path = names.take(f"{safe_part(of_kind.label)}/{safe_part(item.name)}{_ENDINGS[of_kind.shape]}")
    return WantedPath(stored=stored, path=path, converts=True)


def converted(item: Item, content: bytes) -> bytes:
    """The record as an open file; as it came where it cannot be read as its kind promises."""
    shape = kind(item.kind).shape
    try:
        fields = record(content)
    except UnreadableRecord:
        return content
    if shape is KindShape.CONTACT:
        return vcard(fields, uid=item.id).encode("utf-8", "replace")
    if shape is KindShape.EVENT:
        text, refused = calendar([(item.id, fields)], now=item.modified)
        return content if refused else text
    return json.dumps({"name": item.name} | fields, ensure_ascii=False, indent=1).encode("utf-8", "replace")


def variant(path: str, number: int) -> str:
    """`a.jpg`, `a (2).jpg`: another name in the same folder."""
    if number == 1:
        return path
    folder, _, name = path.rpartition("/")
    own = PurePosixPath(name)
    stem, suffix = (own.stem, own.suffix) if not name.startswith(".") else (name, "")
    numbered = f"{stem} ({number}){suffix}"
    return f"{folder}/{numbered}" if folder else numbered


def fitted(path: str) -> str:
    """What any file system holds: parts without forbidden letters, at most 120 bytes each."""
    shown = path.encode("utf-8", "surrogateescape").decode("utf-8", "replace")
    return "/".join(safe_part(part) for part in shown.split("/") if part not in ("", ".", "..")) or "unnamed"
