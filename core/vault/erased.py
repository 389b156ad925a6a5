"""What was erased on request and must not stay in any pack (§9.10): notes that a sweep obeys, whatever share of a pack is needed."""

import json
from collections.abc import Collection, Set
from datetime import datetime

import numpy as np
import numpy.typing as npt

from core.vault import blobs as names
from core.vault.errors import Damaged
from core.vault.keys import ID_BYTES
from core.vault.manifests import split_ids
from core.vault.objects import Objects
from core.vault.packs import Entries

_MOST_IN_ONE = 1 << 20


def note_erased(store: Objects, chunks: Collection[bytes], *, now: datetime) -> None:
    """Tell whoever sweeps that these are to go. Raises StoreError."""
    listed = b"".join(sorted(chunks))
    for at in range(0, len(listed), _MOST_IN_ONE * ID_BYTES):
        record = {"at": now.isoformat(), "chunks": listed[at : at + _MOST_IN_ONE * ID_BYTES].hex()}
        store.write_object(names.ERASED, json.dumps(record).encode())


def erased_notes(store: Objects) -> dict[str, set[bytes]]:
    """Name of a note → chunks that it tells. Damaged ones are named in `unreadable`."""
    fields = {}
    for name, record in store.told(names.ERASED).items():
        try:
            fields[name] = set(split_ids(bytes.fromhex(record["chunks"])))
        except (ValueError, KeyError, TypeError, Damaged):
            store.unreadable[name] = f"Object {name} cannot be read."
    return fields


def told_erased(store: Objects) -> set[bytes]:
    """Every chunk that some note tells."""
    return set().union(*erased_notes(store).values())


def where_erased(entries: Entries, chunks: Set[bytes]) -> npt.NDArray[np.bool_]:
    """For each entry of an index whether it is one of these chunks; one that lies in two packs is found in both."""
    values = np.zeros(len(entries), dtype=np.bool_)
    if not chunks or not len(entries):
        return values
    halves = np.frombuffer(b"".join(chunks), dtype=">u8").reshape(-1, 2).astype(np.uint64)
    pairs = set(map(tuple, halves.tolist()))
    for at in np.flatnonzero(np.isin(entries["hi"], halves[:, 0])).tolist():
        values[at] = (int(entries["hi"][at]), int(entries["lo"][at])) in pairs
    return values


def forget_erased(store: Objects, lying: Set[bytes]) -> None:
    """Notes go of whose chunks none lies in any pack any more. `lying`: of the chunks that they tell, those that do. Raises StoreError."""
    for name, chunks in erased_notes(store).items():
        if not chunks & lying:
            store.forget(name)
