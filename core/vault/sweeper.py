"""Who may sweep a store (§9.9): an arrangement between programs, changed by a person's word."""

import json
from dataclasses import dataclass
from datetime import datetime

from core.vault import blobs as names
from core.vault.errors import SweptByAnother
from core.vault.keys import ID_BYTES
from core.vault.objects import Objects

_MOST = 1 << 31


@dataclass(frozen=True, slots=True, kw_only=True)
class Sweeper:
    """Somebody who sweeps."""

    who: bytes
    """Id of a server; empty: whoever comes next."""
    name: str
    """For people."""


@dataclass(frozen=True, slots=True, kw_only=True)
class SweeperClaim:
    number: int
    """0 where nobody has ever said anything."""
    sweeper: Sweeper
    at: datetime | None


NOBODY = SweeperClaim(number=0, sweeper=Sweeper(who=b"", name=""), at=None)


def who_sweeps(store: Objects) -> SweeperClaim:
    """Raises StoreError. What cannot be read counts for nothing and is named in `unreadable`."""
    claims = _claims(store)
    return max(claims, key=lambda entry: (entry[1].number, entry[0]))[1] if claims else NOBODY


def hand_over(store: Objects, to: Sweeper, *, now: datetime) -> SweeperClaim:
    """By a person's word. What counts afterwards: another hand-over may have come at the same time. Raises StoreError."""
    below = _claims(store)
    number = max((claim.number for _, claim in below), default=0) + 1
    fields = {"number": number, "who": to.who.hex(), "name": to.name[:200], "at": now.isoformat()}
    store.write_object(names.SWEEPERS, json.dumps(fields).encode())
    for name, _ in below:
        store.forget(name)
    return who_sweeps(store)


def claim_sweeping(store: Objects, by: Sweeper | None, *, now: datetime) -> None:
    """Called before a sweep. Without `by` it is somebody who has no id and claims nothing. Raises SweptByAnother, StoreError."""
    counts = who_sweeps(store)
    if by is not None and not counts.sweeper.who:
        counts = hand_over(store, by, now=now)
    if counts.sweeper.who and (by is None or counts.sweeper.who != by.who):
        name = counts.sweeper.name or counts.sweeper.who.hex()
        raise SweptByAnother(f"{name} sweeps this store; nothing was removed.", name=name)


def _claims(store: Objects) -> list[tuple[str, SweeperClaim]]:
    claims = []
    for name, record in store.told(names.SWEEPERS).items():
        try:
            number, who = record["number"], bytes.fromhex(record["who"])
            if type(number) is not int or not 1 <= number < _MOST or len(who) not in (0, ID_BYTES):
                raise ValueError("no claim")
            at = datetime.fromisoformat(record["at"])
            claims.append((name, SweeperClaim(number=number, sweeper=Sweeper(who=who, name=str(record["name"])[:200]), at=at)))
        except (ValueError, KeyError, TypeError):
            store.unreadable[name] = f"Object {name} cannot be read."
    return claims
