"""What the server of an office knew besides its backups (§13): one small object, for whoever opens the store after it.

Knows nothing of what is told; whoever writes it and whoever takes it over do. What is read here is checked for its shape only.
"""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from core.vault import blobs as names
from core.vault.errors import BlobMissing, Damaged
from core.vault.keys import ID_BYTES
from core.vault.objects import Objects

FORMAT = 1


@dataclass(frozen=True, slots=True, kw_only=True)
class OfficeRecord:
    server: bytes
    """Id of who wrote it."""
    office: str
    at: datetime
    told: Mapping[str, Any]


def entries(record: Mapping[str, Any], what: str) -> list[dict[str, Any]]:
    """The objects of a list in what was told; nothing where it is none."""
    listed = record.get(what)
    return [one for one in listed if isinstance(one, dict)] if isinstance(listed, list) else []


def write_office(store: Objects, record: OfficeRecord) -> str:
    """Its name. Earlier ones of the same server, and damaged ones, go once it lies there. Raises StoreError."""
    before = [name for name, one in _records(store) if one is None or one.server == record.server]
    fields = {
        "format": FORMAT, "server": record.server.hex(), "office": record.office, "at": record.at.isoformat(), "told": record.told,
    }  # fmt: skip
    written = store.write_object(names.OFFICES, json.dumps(fields).encode())
    for name in before:
        store.forget(name)
    return written


def read_offices(store: Objects) -> list[OfficeRecord]:
    """The newest of each server, the newest first. What cannot be read is named in `unreadable`. Raises StoreError."""
    newest: dict[bytes, OfficeRecord] = {}
    for _, one in _records(store):
        if one is None:
            continue
        if one.server not in newest or newest[one.server].at < one.at:
            newest[one.server] = one
    return sorted(newest.values(), key=lambda one: (one.at, one.server), reverse=True)


def _records(store: Objects) -> list[tuple[str, OfficeRecord | None]]:
    """None for one that is damaged: not what anybody has sealed. One of another shape may be a later program's, and is left alone."""
    records: list[tuple[str, OfficeRecord | None]] = []
    for name, _ in store.blobs.list(names.OFFICES):
        if not names.is_ours(name):
            continue
        try:
            records.append((name, _record(json.loads(store.read_object(name)))))
        except BlobMissing:
            continue
        except Damaged as error:
            store.unreadable[name] = error.message
            records.append((name, None))
        except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
            store.unreadable[name] = f"Object {name} cannot be read."
    return records


def _record(record: dict[str, Any]) -> OfficeRecord:
    """Raises ValueError, KeyError, TypeError."""
    server, at = bytes.fromhex(record["server"]), datetime.fromisoformat(record["at"])
    if record["format"] != FORMAT or len(server) != ID_BYTES or at.tzinfo is None or not isinstance(record["told"], dict):
        raise ValueError("no record")
    return OfficeRecord(server=server, office=str(record["office"])[:200], at=at, told=record["told"])
