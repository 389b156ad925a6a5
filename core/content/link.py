"""The port to a device. Adapters fulfil it: agent, folder, SFTP. Foreign exceptions become `LinkError`s there.

A link reports what the device says; it decides nothing. Content arrives in pieces of bounded size.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Protocol, runtime_checkable

from core.content.accounts import Account
from core.content.items import Item


@dataclass(frozen=True, slots=True, kw_only=True)
class Card:
    """A removable card."""

    present: bool
    size_bytes: int | None = None
    used_bytes: int | None = None
    encrypted: bool | None = None
    """By the device: it cannot be read anywhere else then, nor after the device is wiped."""


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceState:
    """What the device says about itself now. None means that this link cannot tell."""

    make: str
    model: str
    family: str
    os_version: str
    storage_total_bytes: int | None = None
    storage_used_bytes: int | None = None
    battery_percent: int | None = None
    on_power: bool | None = None
    network: str | None = None
    """`office`, `elsewhere` or None."""
    locked: bool | None = None
    data_access: bool | None = None
    finder_lock: bool | None = None
    serial: str = ""
    accepted: bool | None = None
    """Whether its holder has said yes to this server; some updates make it ask again."""
    card: Card | None = None
    clock: datetime | None = None
    """Its own idea of now; aware."""
    last_used_at: datetime | None = None
    """When somebody touched it last; aware."""


class DeviceLink(Protocol):
    """One device, reachable for the length of a run or a restore. Every method may raise LinkError."""

    def state(self) -> DeviceState:
        """Who and how it is."""
        ...

    def kinds(self) -> list[str]:
        """Codes of the kinds that it can give."""
        ...

    def inventory(self, kind: str) -> Sequence[Item]:
        """Every item of a kind, sorted by id."""
        ...

    def read(self, item: Item) -> Iterator[bytes]:
        """The item's content in pieces. Raises LinkCut when it ends early."""
        ...

    def create(self, kind: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> str:
        """Write a new item beside what is there; the id that the device gave it. May raise DeviceFull."""
        ...

    def replace(self, kind: str, id: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> None:
        """Write an item over the one with this id, or anew when it is gone. May raise DeviceFull."""
        ...

    def close(self) -> None:
        """Let go of the device."""
        ...


@dataclass(frozen=True, slots=True, kw_only=True)
class NotRead:
    """Something that a link met and cannot give: no item, but no secret either."""

    kind: str
    """Empty where it may be of any: a whole folder."""
    name: str
    reason: str


@runtime_checkable
class TellsNotRead(Protocol):
    """A link that knows what it could not list."""

    def not_read(self) -> list[NotRead]:
        """What the inventories lack, and why."""
        ...


@runtime_checkable
class ReadsAhead(Protocol):
    """A link that is faster when it knows what is read next."""

    def expect(self, items: Iterable[Item]) -> None:
        """These will be read, in this order; some may be left out. Only a hint: nothing has to be there."""
        ...


@runtime_checkable
class TellsAccounts(Protocol):
    """A link that knows which outside accounts keep kinds of content in step."""

    def accounts(self) -> list[Account]: ...
