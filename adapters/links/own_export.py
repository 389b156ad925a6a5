"""An archive that this product made, understood again kind by kind: its `contents.json` says what each file is.

Cards and events are read as any others. Conversations and flat records come back out of their JSON file; the tables
beside it say the same and are passed over, which is told.
"""

import json
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

from adapters.links.sources import Entry, Source, pieces
from core.content.kinds import KINDS, Shape

LISTING = "contents.json"
MAX_LISTING_BYTES = 256 << 20
Keep = Callable[[str, str, str, datetime, "bytes | Entry"], None]
"""kind, id, name, modified, content."""


class OwnExport:
    """What the listing says, by file."""

    def __init__(self, source: Source, listed: list[dict[str, Any]]) -> None:
        self._source = source
        self._by_file: dict[str, list[dict[str, Any]]] = {}
        for row in listed:
            self._by_file.setdefault(str(row["file"]), []).append(row)
        self._tables = {f"{kind.label}.csv" for kind in KINDS.values()} | {"Messages.csv", "Messages.html"}
        self._records = {f"{kind.label}.json": kind.code for kind in KINDS.values() if kind.shape in (Shape.RECORD, Shape.CONVERSATION)}

    def takes(self, entry: Entry, keep: Keep) -> bool:
        """Whether the entry was understood; one that was not is for whoever reads any archive."""
        if entry.path == LISTING:
            return True
        if entry.path in self._tables:
            self._source.leave(entry.path, "the JSON file beside it says the same")
            return True
        code = self._records.get(entry.path)
        if code is not None:
            return self._take_records(entry, code, keep)
        rows = self._by_file.get(entry.path, [])
        if len(rows) != 1 or KINDS[rows[0]["kind"]].shape not in (Shape.FILE, Shape.PICTURE):
            return False
        keep(rows[0]["kind"], entry.path, str(rows[0]["name"]), _instant(rows[0]) or entry.modified, entry)
        return True

    def _take_records(self, entry: Entry, code: str, keep: Keep) -> bool:
        try:
            held = json.loads(b"".join(pieces(entry)))
        except ValueError:
            return False
        if not isinstance(held, list) or not all(isinstance(one, dict) for one in held):
            return False
        listed = [row for rows in self._by_file.values() for row in rows if row["kind"] == code]
        told = dict(zip((str(one.get("id", "")) for one in held), listed, strict=False))
        for number, one in enumerate(held, start=1):
            id, row = str(one.get("id", "")), told.get(str(one.get("id", "")), {})
            name = str(row.get("name") or one.get("name") or "(no name)")
            record = {field: value for field, value in one.items() if field != "id" and not (field == "name" and value == name)}
            content = json.dumps(record, ensure_ascii=False).encode("utf-8", "replace")
            keep(code, id or f"{entry.path}#{number}", name, _instant(row) or entry.modified, content)
        return True


def own_export(source: Source) -> OwnExport | None:
    """The archive as our own, when its listing is there and can be read; else it is an archive like any other."""
    entry = next((entry for entry in source.entries if entry.path == LISTING), None)
    if entry is None or entry.size_bytes > MAX_LISTING_BYTES:
        return None
    try:
        listed = json.loads(b"".join(pieces(entry)))
    except ValueError:
        return None
    fits = isinstance(listed, list) and all(isinstance(row, dict) and {"kind", "name", "file"} <= row.keys() for row in listed)
    if not fits or any(row["kind"] not in KINDS for row in listed):
        return None
    return OwnExport(source, listed)


def _instant(row: dict[str, Any]) -> datetime | None:
    try:
        found = datetime.fromisoformat(str(row.get("modified")))
    except ValueError:
        return None
    return found.astimezone(UTC) if found.tzinfo else None
