"""The ledger (§9.4, §9.5): which backups and key slots were there, and which were removed on purpose.

A manifest that lies in the store although it was removed has been put back and counts for nothing; one that
was seen and lies there no more, without having been removed, is missing and a check names it. A backup that left
the store can come back: each time that it is there is a stay with a number, and numbers only grow. Each commit and
each removal writes a small object of its own that names those before it (`chain`); the sweep puts them together.
"""

import json
from collections.abc import Iterator
from dataclasses import dataclass, field

from core.vault import blobs as names
from core.vault.blobs import id_in
from core.vault.chain import after, put_with
from core.vault.errors import BlobExists, BlobMissing, Damaged
from core.vault.keys import ID_BYTES
from core.vault.manifests import split_ids
from core.vault.objects import Objects

BEGUN, SEEN, REMOVED = "begun", "seen", "removed"
_MOST_STAYS = 1 << 31


@dataclass(slots=True, kw_only=True)
class Ledger:
    """Backup or slot → the highest number of a stay that was begun, seen, removed."""

    begun: dict[bytes, int] = field(default_factory=dict)
    seen: dict[bytes, int] = field(default_factory=dict)
    ended: dict[bytes, int] = field(default_factory=dict)
    objects: list[str] = field(default_factory=list)
    """Names of the objects that say so."""

    @property
    def removed(self) -> set[bytes]:
        """Backups and slots that were removed on purpose and have not come back."""
        return {id for id, stay in self.ended.items() if stay >= self.stay(id)}

    @property
    def expected(self) -> set[bytes]:
        """Backups that were there once and were not removed since."""
        return {id for id, stay in self.seen.items() if stay > self.ended.get(id, 0)}

    def stay(self, id: bytes) -> int:
        """The number of its last stay; 1 for one that never left, or was never there."""
        return self.begun.get(id, 1)

    def knows(self, id: bytes) -> bool:
        """Whether this backup was ever there."""
        return id in self.seen or id in self.ended

    def tell(self, what: str, id: bytes, stay: int) -> None:
        numbers = {BEGUN: self.begun, SEEN: self.seen, REMOVED: self.ended}[what]
        numbers[id] = max(stay, numbers.get(id, 0))


def read_ledger(store: Objects) -> Ledger:
    """Names of single notes are believed only where it matters and after they were opened; damaged ones are named."""
    ledger = Ledger()
    for name, record in store.told(names.LEDGERS).items():
        try:
            for entry in _in_ledger(record):
                ledger.tell(*entry)
            ledger.objects.append(name)
        except (ValueError, KeyError, TypeError, AttributeError, Damaged):
            store.unreadable[name] = f"Object {name} cannot be read."
    for name, record in store.told(names.STAYS).items():
        try:
            ledger.tell(*_stay_in(record["what"], record["backup"], record["stay"]))
            ledger.objects.append(name)
        except (ValueError, KeyError, TypeError, Damaged):
            store.unreadable[name] = f"Object {name} cannot be read."
    present: set[bytes] | None = None
    for name, _ in store.blobs.list(names.REMOVED):
        if (id := id_in(name)) is None or not names.is_ours(name):
            continue
        ledger.objects.append(name)
        if present is None:
            present = {*store.ids(names.MANIFESTS), *store.ids(names.KEYS)}
        if id not in present or _is_true(store, name):
            ledger.tell(REMOVED, id, 1)
    for name, _ in store.blobs.list(names.SEEN):
        if (id := id_in(name)) is not None and names.is_ours(name):
            ledger.objects.append(name)
            ledger.tell(SEEN, id, 1)
    return ledger


def _in_ledger(record: dict[str, object]) -> Iterator[tuple[str, bytes, int]]:
    """Raises ValueError, KeyError, TypeError, AttributeError, Damaged."""
    for what in (SEEN, REMOVED):
        text = record[what]
        if not isinstance(text, str):
            raise TypeError
        yield from ((what, id, 1) for id in split_ids(bytes.fromhex(text)))
    stays = record.get("stays", {})
    if not isinstance(stays, dict):
        raise TypeError
    for backup, numbers in stays.items():
        for what, stay in zip((BEGUN, SEEN, REMOVED), numbers, strict=True):
            if stay:
                yield _stay_in(what, backup, stay)


def _stay_in(what: object, backup: object, stay: object) -> tuple[str, bytes, int]:
    if what not in (BEGUN, SEEN, REMOVED) or not isinstance(backup, str) or type(stay) is not int or not 1 <= stay < _MOST_STAYS:
        raise ValueError("no stay")
    id = bytes.fromhex(backup)
    if len(id) != ID_BYTES:
        raise ValueError("no id")
    return str(what), id, stay


def begin_stay(store: Objects, id: bytes) -> int:
    """Before a backup is stored: the number of its stay. One that had left begins a new one, and what is left of it goes."""
    ledger = read_ledger(store)
    if id not in ledger.removed:
        return ledger.stay(id)
    stay = ledger.ended[id] + 1
    store.blobs.delete(names.MANIFESTS + id.hex())
    _note_stay(store, BEGUN, id, stay)
    return stay


def note_seen(store: Objects, id: bytes, stay: int = 1) -> None:
    """A backup is there, and everything that it needs."""
    if stay == 1:
        note(store, names.SEEN, id)
    else:
        _note_stay(store, SEEN, id, stay)


def remove_backup(store: Objects, id: bytes) -> None:
    """Forget a backup at once; its bytes go with a later sweep. Nothing happens when it is gone."""
    ledger = read_ledger(store)
    if id not in ledger.removed:
        if (stay := ledger.stay(id)) == 1:
            note(store, names.REMOVED, id)
        else:
            _note_stay(store, REMOVED, id, stay)
    store.blobs.delete(names.MANIFESTS + id.hex())


def note(store: Objects, prefix: str, id: bytes) -> None:
    """Write a single note; a second one does nothing."""
    name = prefix + id.hex()
    content = json.dumps({"after": after(store)}).encode()
    try:
        store.blobs.create(name, store.sealed_object(name, content, compress=False))
    except BlobExists:
        if not _is_true(store, name):
            store.blobs.delete(name)
            store.blobs.create(name, store.sealed_object(name, content, compress=False))


def _note_stay(store: Objects, what: str, id: bytes, stay: int) -> None:
    fields = {"backup": id.hex(), "stay": stay, "what": what, "after": after(store)}
    store.write_object(names.STAYS, json.dumps(fields).encode())


def put_together(store: Objects) -> None:
    """One object instead of many. Manifests that are removed and still lie there go now.

    They are listed before the ledger is read: one that comes back meanwhile has begun its stay before its manifest.
    """
    lying = store.ids(names.MANIFESTS)
    ledger = read_ledger(store)
    for id in lying.keys() & ledger.removed:
        store.blobs.delete(names.MANIFESTS + id.hex())
    single = (names.SEEN, names.REMOVED, names.STAYS)
    if len(ledger.objects) <= 1 and not any(name.startswith(single) for name in ledger.objects):
        return
    write_ledger(store, ledger, put_with(store, ledger.objects))


def write_ledger(store: Objects, ledger: Ledger, put: dict[str, object]) -> None:
    """One object that says all that the ledger does; what said it before goes."""
    several = {id for numbers in (ledger.begun, ledger.seen, ledger.ended) for id, stay in numbers.items() if stay > 1}
    fields: dict[str, object] = {
        "seen": b"".join(sorted(ledger.expected - several)).hex(),
        "removed": b"".join(sorted(ledger.ended)).hex(),
        "stays": {id.hex(): [ledger.begun.get(id, 0), ledger.seen.get(id, 0), ledger.ended.get(id, 0)] for id in sorted(several)},
    }
    store.write_object(names.LEDGERS, json.dumps(fields | put).encode())
    for name in ledger.objects:
        store.blobs.delete(name)


def _is_true(store: Objects, name: str) -> bool:
    try:
        store.read_object(name)
    except BlobMissing:
        return True  # put together with others a moment ago
    except Damaged as error:
        store.unreadable[name] = error.message
        return False
    return True
