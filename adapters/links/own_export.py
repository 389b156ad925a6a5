"""An archive that this product made, understood again kind by kind: its `contents.json` says what each file is.

Cards and events are read as any others. Conversations and flat records come back out of their JSON file, mails out of their mailbox
byte for byte; files get back what they were called, and their modes and links. Tables and pages that say the same once more are passed
over, which is told. A bag, and an archive that somebody unpacked and packed again in a folder, are found as well.
"""

import json
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

from adapters.links.sources import Entry, Source, pieces
from core.content.kinds import KIND_CODES, KINDS, KindShape
from core.content.paths import LINK, LINK_BYTES, NAME_BYTES, is_text
from core.exchange.archive import LISTING, MAILBOX
from core.exchange.mbox import messages

MAX_LISTING_BYTES = 256 << 20
Row = dict[str, Any]
Keep = Callable[[str, str, Row, datetime, "bytes | Entry"], None]
"""kind, id, what the listing says of it (at least its name), modified, content."""
_ATTRIBUTES: dict[str, type] = {"mode": int, "ns": int, LINK: str, LINK_BYTES: str, NAME_BYTES: str}
_MOST = {"mode": 0o7777, "ns": 999}
_OF_BAGS = ("bagit.txt", "bag-info.txt", "manifest-sha256.txt", "tagmanifest-sha256.txt")


class OwnExport:
    """What the listing says, by file."""

    def __init__(self, source: Source, listed: list[Row], *, within: str) -> None:
        """`within`: the folder in which the listing lies, with its slash; empty for none."""
        self._source, self._within = source, within
        self._by_file: dict[str, list[Row]] = {}
        for row in listed:
            self._by_file.setdefault(str(row["file"]), []).append(row)
        self._tables = {f"{kind.label}.csv" for kind in KINDS.values()} | {"Messages.csv", "Messages.html"}
        self._records = {
            f"{kind.label}.json": kind.code for kind in KINDS.values() if kind.shape in (KindShape.RECORD, KindShape.CONVERSATION)
        }
        bag = within.removesuffix("data/") if within.endswith("data/") else None
        self._tags = {f"{bag}{name}" for name in _OF_BAGS} if bag is not None else set()

    def links(self, keep: Keep) -> None:
        """Symbolic links, which lie in the listing alone: an archive may not bring any."""
        for path, rows in self._by_file.items():
            for row in rows:
                if LINK in attributes_of(row):
                    keep(row["kind"], str(row.get("id", path)), row, _instant(row) or datetime.fromtimestamp(0, UTC), b"")
                    self._source.taken_after_all(f"{self._within}{path}")

    def takes(self, entry: Entry, keep: Keep) -> bool:
        """Whether the entry was understood; one that was not is for whoever reads any archive."""
        if entry.path in self._tags:
            return True
        if not entry.path.startswith(self._within):
            return False
        path = entry.path.removeprefix(self._within)
        if path == LISTING:
            return True
        if path in self._tables:
            self._source.leave(entry.path, "the JSON file beside it says the same")
            return True
        if path == MAILBOX:
            return self._take_mails(entry, keep)
        code = self._records.get(path)
        if code is not None:
            return self._take_records(entry, code, keep)
        rows = self._by_file.get(path, [])
        if len(rows) == 1 and LINK in attributes_of(rows[0]):  # a bag says in a file where a link led
            return True
        if len(rows) != 1 or not self._is_file(rows[0], path):
            return False
        row = rows[0]
        keep(row["kind"], str(row.get("id", path)), row, _instant(row) or entry.modified, entry)
        return True

    def _is_file(self, row: Row, path: str) -> bool:
        return (
            KINDS[row["kind"]].shape in (KindShape.FILE, KindShape.PICTURE)
            or "mode" in attributes_of(row)
            or path.startswith("unreadable/")
        )

    def _take_mails(self, entry: Entry, keep: Keep) -> bool:
        """In the order of the listing; one more or less than it names, and they are read as any mailbox."""
        rows = self._by_file.get(MAILBOX, [])
        sizes = [len(mail) for mail in messages(pieces(entry))]
        # one whose last line had no end got one
        fits = [_size(row) in (size, size - 1) for row, size in zip(rows, sizes, strict=False)]
        if len(rows) != len(sizes) or not all(fits):
            return False
        for row, mail in zip(rows, messages(pieces(entry)), strict=True):
            keep("mail", str(row.get("id", row["name"])), row, _instant(row) or entry.modified, mail[: _size(row)])
        return True

    def _take_records(self, entry: Entry, code: str, keep: Keep) -> bool:
        try:
            held = json.loads(b"".join(pieces(entry)))
        except ValueError:
            return False
        if not isinstance(held, list) or not all(isinstance(one, dict) for one in held):
            return False
        listed = [row for rows in self._by_file.values() for row in rows if row["kind"] == code]
        fields = {str(row["id"]): row for row in listed if "id" in row}
        fields = fields or dict(zip((str(one.get("id", "")) for one in held), listed, strict=False))  # made before ids were listed
        for number, one in enumerate(held, start=1):
            id, row = str(one.get("id", "")), fields.get(str(one.get("id", "")), {})
            name = str(row.get("name") or one.get("name") or "(no name)")
            record = {field: value for field, value in one.items() if field != "id" and not (field == "name" and value == name)}
            content = json.dumps(record, ensure_ascii=False).encode("utf-8", "replace")
            keep(code, id or f"{entry.path}#{number}", {"name": name}, _instant(row) or entry.modified, content)
        return True


def _size(row: Row) -> int:
    size = row.get("bytes")
    return size if isinstance(size, int) else -1


def attributes_of(row: Row) -> dict[str, int | str]:
    """Those that an item may have; everything else is left out."""
    attributes = row.get("attributes")
    if not isinstance(attributes, dict):
        return {}
    return {
        name: attributes[name]
        for name, sort in _ATTRIBUTES.items()
        if type(attributes.get(name)) is sort and _is_sound(name, attributes[name])
    }


def _is_sound(name: str, value: int | str) -> bool:
    """A listing is as hostile as anything that is brought in."""
    return is_text(value) if isinstance(value, str) else 0 <= value <= _MOST[name]


def own_export(source: Source) -> OwnExport | None:
    """The archive as our own, when its listing is there and can be read; else it is an archive like any other."""
    entries = [entry for entry in source.entries if entry.path == LISTING or entry.path.endswith(f"/{LISTING}")]
    for entry in sorted(entries, key=lambda entry: entry.path.count("/"))[:3]:
        listed = _listed(entry)
        if listed is not None:
            return OwnExport(source, listed, within=entry.path.removesuffix(LISTING))
    return None


def _listed(entry: Entry) -> list[Row] | None:
    if entry.size_bytes > MAX_LISTING_BYTES:
        return None
    try:
        listed = json.loads(b"".join(pieces(entry)))
    except ValueError:
        return None
    fits = isinstance(listed, list) and all(isinstance(row, dict) and {"kind", "name", "file"} <= row.keys() for row in listed)
    return listed if fits and listed and all(row["kind"] in KIND_CODES for row in listed) else None


def _instant(row: dict[str, Any]) -> datetime | None:
    try:
        moment = datetime.fromisoformat(str(row.get("modified")))
        return moment.astimezone(UTC) if moment.tzinfo else None
    except (ValueError, OverflowError):  # what no calendar has is as good as nothing
        return None
