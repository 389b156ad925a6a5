"""Which known device are backups of, that lie in a store which the list does not know? Proposed with evidence, never decided.

What a store says of a device is a claim: names repeat, and serial numbers are put into the wrong row. So each ground is told
by itself, the strongest first, and a person confirms it. Nothing that contradicts (another serial number, backups of both at
one time from two servers) is passed over: it is told as well.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum


class Ground(StrEnum):
    """Why it may be the same device; the strongest first."""

    ID = "id"
    """The backups carry the very id that the list has."""
    SERIAL = "serial"
    HOLDER_AND_NAME = "holder_and_name"
    HOLDER = "holder"


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """A device as its backups in a store tell of it."""

    key: str
    """What its backups call it: the id that the server which made them gave it."""
    name: str = ""
    holder: str = ""
    serial: str = ""
    first: datetime
    last: datetime
    """When its oldest and newest backup there were finished."""


@dataclass(frozen=True, slots=True, kw_only=True)
class KnownItems:
    """A device of the list."""

    id: str
    name: str
    holder: str
    serial: str = ""
    first: datetime | None = None
    last: datetime | None = None
    """Of its own backups; None without any."""


@dataclass(frozen=True, slots=True, kw_only=True)
class MatchProposal:
    id: str
    grounds: tuple[Ground, ...]
    other_serial: bool = False
    """Both have a serial number, and not the same one."""
    overlaps: bool = False
    """Both were backed up in the same span of time, which one device under one server is not."""


def proposals(device_found: Found, known: Iterable[KnownItems]) -> list[MatchProposal]:
    """The best first; a device for which nothing speaks is none. The same for the same devices in any order."""
    made = [one for device in known if (one := _compared(device_found, device)) is not None]
    order = list(Ground)
    return sorted(made, key=lambda one: (one.other_serial, order.index(one.grounds[0]), one.overlaps, -len(one.grounds), one.id))


def _compared(device: Found, known: KnownItems) -> MatchProposal | None:
    same_holder = bool(device.holder) and _plain(device.holder) == _plain(known.holder)
    same_name = bool(device.name) and _plain(device.name) == _plain(known.name)
    grounds = [
        ground
        for ground, holds in (
            (Ground.ID, device.key == known.id),
            (Ground.SERIAL, bool(device.serial) and _plain(device.serial) == _plain(known.serial)),
            (Ground.HOLDER_AND_NAME, same_holder and same_name),
            (Ground.HOLDER, same_holder and not same_name),
        )
        if holds
    ]
    if not grounds:
        return None
    other = bool(device.serial and known.serial) and _plain(device.serial) != _plain(known.serial)
    overlaps = (
        device.key != known.id
        and known.first is not None
        and known.last is not None
        and known.first <= device.last
        and device.first <= known.last
    )
    return MatchProposal(id=known.id, grounds=tuple(grounds), other_serial=other, overlaps=overlaps)


def _plain(text: str) -> str:
    return " ".join(text.casefold().split())
