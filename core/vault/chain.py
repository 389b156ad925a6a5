"""Notes that name those before them (§9.6): who takes one away takes a name away from every later one.

A note tells up to so many of the notes that lay there when it was written; a ledger tells which it put together. What is
told of and is neither there nor in a ledger is gone, and a check names it. The same list kept outside of the store, as
`check --remember` and the server do, finds a store that was put back whole.
"""

import json
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from core.errors import BadInput
from core.vault import blobs as names
from core.vault.errors import BlobMissing, Damaged
from core.vault.manifests import split_ids
from core.vault.objects import Objects
from core.vault.parallel import at_once

Notes = dict[str, set[bytes]]
"""Prefix → ids of the notes below it."""
PREFIXES = (names.SEEN, names.REMOVED, names.STAYS, names.LEDGERS)
_MOST_TOLD = 64
MOST_PUT = 1024
_LOOKS = 3


@dataclass(slots=True)
class Rolled:
    """What ledgers say of notes that were put together."""

    told: Notes = field(default_factory=lambda: {prefix: set() for prefix in PREFIXES})
    put: list[bytes] = field(default_factory=list)
    """Stays and ledgers, older ones first."""
    gone: set[str] = field(default_factory=set)
    """Names of notes that had been taken away when their successors were put together."""
    whole: bool = True
    """Whether every ledger can be read and tells what it put together; those of earlier programs do not."""


def lying_notes(store: Objects) -> Notes:
    """Those that lie in the store now."""
    return {prefix: set(store.ids(prefix)) for prefix in PREFIXES}


def told_of(notes: Mapping[str, Iterable[bytes]]) -> dict[str, str]:
    """As a note, and a memory outside, tells them."""
    return {prefix.rstrip("/"): b"".join(sorted(notes[prefix])).hex() for prefix in PREFIXES}


def notes_in(record: Mapping[str, Any]) -> Notes:
    """Raises ValueError, TypeError, Damaged."""
    return {prefix: set(split_ids(bytes.fromhex(record.get(prefix.rstrip("/"), "")))) for prefix in PREFIXES}


def after(store: Objects) -> dict[str, str]:
    """What a new note tells of those before it: all of them, or a chance few of very many."""
    notes = lying_notes(store)
    several = sorted((prefix, id) for prefix, ids in notes.items() for id in ids)
    if len(several) > _MOST_TOLD:
        salt = store.random(8)
        several = sorted(several, key=lambda one: store.keys.chunk_id(salt + one[1]))[:_MOST_TOLD]
    return told_of({prefix: {id for of, id in several if of == prefix} for prefix in PREFIXES})


def before(store: Objects, notes: Notes) -> Notes:
    """All that these notes tell of. One that cannot be read, or tells nothing, tells of none."""
    earlier: Notes = {prefix: set() for prefix in PREFIXES}
    wanted = sorted(prefix + id.hex() for prefix in (names.SEEN, names.REMOVED, names.STAYS) for id in notes[prefix])
    for record in _all_told(store, wanted):
        try:
            for prefix, ids in notes_in(record["after"]).items():
                earlier[prefix] |= ids
        except (ValueError, KeyError, TypeError, AttributeError, Damaged):
            continue  # of an earlier program; whether it is what was sealed, its reader has said
    return earlier


def _all_told(store: Objects, wanted: list[str]) -> Iterator[Any]:
    def read(name: str) -> bytes | None:
        try:
            return store.read_object(name)
        except BlobMissing:
            return None  # put together with others a moment ago
        except Damaged as error:
            store.unreadable[name] = error.message
            return None

    for _, content in at_once(read, wanted, store.blobs.parallel):
        if content:
            try:
                yield json.loads(content)
            except (ValueError, RecursionError):
                continue


def rolled(store: Objects) -> Rolled:
    """What the ledgers tell. Damaged ones are named in `unreadable`."""
    rolled = Rolled()
    for record in store.told(names.LEDGERS).values():
        try:
            for what in ("seen", "removed"):
                rolled.told[what + "/"] |= set(split_ids(bytes.fromhex(record[what])))
            rolled.told[names.SEEN] |= rolled.told[names.REMOVED]
            for backup, (_, _, ended) in record.get("stays", {}).items():
                rolled.told[names.SEEN].add(bytes.fromhex(backup))
                if ended:
                    rolled.told[names.REMOVED].add(bytes.fromhex(backup))
            rolled.put += split_ids(bytes.fromhex(record.get("put", "")))
            rolled.gone |= {str(one) for one in record.get("gone", ())}
            rolled.whole = rolled.whole and "put" in record
        except (ValueError, KeyError, TypeError, AttributeError, Damaged):
            rolled.whole = False
    rolled.whole = rolled.whole and not any(name.startswith(names.LEDGERS) for name in store.unreadable)
    rolled.told[names.STAYS] |= set(rolled.put)
    rolled.told[names.LEDGERS] |= set(rolled.put)
    return rolled


def gone(store: Objects, notes: Notes) -> set[str]:
    """Names of notes that somebody tells of, and that neither lie there nor stand in a ledger."""
    missing: set[str] = set()
    for _ in range(_LOOKS):  # a sweep may be putting them together just now
        lying, ledgers = lying_notes(store), rolled(store)
        sure = PREFIXES if ledgers.whole else ()
        missing = {prefix + id.hex() for prefix in sure for id in notes[prefix] - lying[prefix] - ledgers.told[prefix]}
        if not missing:
            break
    return missing


def taken_away(store: Objects) -> set[str]:
    """Names of notes that were there and that nobody can have taken away but on purpose."""
    return gone(store, before(store, lying_notes(store))) | rolled(store).gone


def put_with(store: Objects, swallowed: Iterable[str]) -> dict[str, Any]:
    """What a ledger tells of the notes that it puts together, beside what they say."""
    ledgers, ids = rolled(store), [names.id_in(name) for name in swallowed if name.startswith((names.STAYS, names.LEDGERS))]
    put = list(dict.fromkeys([*ledgers.put, *sorted(id for id in ids if id is not None)]))[-MOST_PUT:]
    fields: dict[str, Any] = {"put": b"".join(put).hex()}
    if lost := sorted(taken_away(store)):
        fields["gone"] = lost
    return fields


def remembered(content: str, *, store: bytes) -> Notes:
    """Notes as somebody outside wrote them down for this store. Raises BadInput."""
    try:
        record = json.loads(content)
        if record["store"] != store.hex():
            raise BadInput("What is remembered is of another store.", field="remember", remedy="Use one file for each store.")
        return notes_in(record["notes"])
    except (ValueError, KeyError, TypeError, AttributeError, Damaged, RecursionError):
        raise BadInput(
            "What is remembered cannot be read.", field="remember", remedy="Name a file that an earlier check wrote, or a new one."
        ) from None


def memory(store: Objects) -> str:
    """What to remember outside: JSON with the notes that lie there now."""
    return json.dumps({"store": store.store.hex(), "notes": told_of(lying_notes(store))}, sort_keys=True)
