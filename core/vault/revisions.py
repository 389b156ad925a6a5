"""Trees of backups that a sweep wrote anew (§7.4): the backup is the same, its small items lie elsewhere.

The manifest stays as it was written; a revision tells other tops for it, in this store. Of several the highest number
counts, and only for the stay of the backup in which it was made. They are put together like an index.
"""

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from core.vault import blobs as names
from core.vault.errors import BlobMissing, Damaged
from core.vault.keys import ID_BYTES
from core.vault.manifests import KindSummary, Manifest, split_ids
from core.vault.objects import Objects

_LOOKS = 4
_MOST = 1 << 31


@dataclass(frozen=True, slots=True, kw_only=True)
class Revision:
    number: int
    """1 for the first one of a backup."""
    stay: int
    tops: Mapping[str, tuple[bytes, ...]]
    """Kind of a tree → its tops instead of those of the manifest."""


class Revisions:
    """Those of one store, read again only when other objects lie there."""

    def __init__(self, store: Objects) -> None:
        self._store = store
        self._read: dict[str, dict[bytes, Revision]] = {}

    def now(self) -> dict[bytes, Revision]:
        """Backup → its newest revision, whatever its stay. Damaged objects are named in `unreadable`."""
        for _ in range(_LOOKS):
            listed = frozenset(name for name, _ in self._store.blobs.list(names.REVISIONS) if names.is_ours(name))
            if self._take(listed):
                break  # else a sweep has just put them together
        revisions: dict[bytes, Revision] = {}
        for name in sorted(self._read):
            for backup, revision in self._read[name].items():
                if backup not in revisions or revisions[backup].number <= revision.number:
                    revisions[backup] = revision
        return revisions

    def objects(self) -> list[str]:
        """Names of those that could be read when `now` was asked last."""
        return sorted(self._read)

    def _take(self, listed: frozenset[str]) -> bool:
        self._read = {name: read for name, read in self._read.items() if name in listed}
        for name in listed - self._read.keys():
            try:
                self._read[name] = _decoded(self._store.read_object(name))
            except BlobMissing:
                return False
            except Damaged as error:
                self._store.unreadable[name] = error.message
        return True


def revised(manifest: Manifest, revision: Revision | None, stay: Callable[[], int]) -> Manifest:
    """The backup as it lies in the store now."""
    if revision is None or revision.stay != stay():
        return manifest

    def tree(summary: KindSummary) -> KindSummary:
        return replace(summary, tops=revision.tops.get(summary.kind, summary.tops))

    return replace(manifest, kinds=tuple(map(tree, manifest.kinds)), folders=tree(manifest.folders) if manifest.folders else None)


def encoded(revisions: Mapping[bytes, Revision]) -> bytes:
    fields = {
        backup.hex(): {
            "number": one.number,
            "stay": one.stay,
            "tops": {kind: b"".join(tops).hex() for kind, tops in sorted(one.tops.items())},
        }
        for backup, one in sorted(revisions.items())
    }
    return json.dumps({"backups": fields}).encode()


def _decoded(content: bytes) -> dict[bytes, Revision]:
    """Raises Damaged."""
    try:
        return {_id(backup): _revision(fields) for backup, fields in json.loads(content)["backups"].items()}
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError):
        raise Damaged("A list of revisions cannot be read.") from None


def _id(text: str) -> bytes:
    id = bytes.fromhex(text)
    if len(id) != ID_BYTES:
        raise ValueError("no id")
    return id


def _revision(fields: dict[str, Any]) -> Revision:
    if any(type(fields[name]) is not int or not 1 <= fields[name] < _MOST for name in ("number", "stay")):
        raise ValueError("no number")
    tops = {str(kind): tuple(split_ids(bytes.fromhex(text))) for kind, text in fields["tops"].items()}
    return Revision(number=fields["number"], stay=fields["stay"], tops=tops)
