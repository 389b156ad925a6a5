"""The port to a device. Adapters fulfil it: agent, folder, SFTP. Foreign exceptions become `LinkError`s there.

A link reports what the device says; it decides nothing. Content arrives in pieces of bounded size. What only some links
can do is a protocol of its own: write items (`HoldsItems`) or files (`HoldsFiles`), tell digests, read ahead.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Protocol, runtime_checkable

from core.content.accounts import Account
from core.content.items import Item
from core.content.own_cloud import OwnCloud


@dataclass(frozen=True, slots=True, kw_only=True)
class Card:
    """A removable card."""

    present: bool
    size_bytes: int | None = None
    used_bytes: int | None = None
    encrypted: bool | None = None
    """By the device: it cannot be read anywhere else then, nor after the device is wiped."""


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceReport:
    """What the device says about itself now. None means that this link cannot tell."""

    make: str
    model: str
    family: str
    os_version: str
    storage_total_bytes: int | None = None
    storage_used_bytes: int | None = None
    free_bytes: int | None = None
    """Room for what is written, where that is known though the storage is not its own."""
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
    update_pending: str = ""
    """The version of its software that waits to be installed; empty when none does or it does not tell."""


class DeviceLink(Protocol):
    """One device, reachable for the length of a run or a restore, to be read. Every method may raise LinkError."""

    def state(self) -> DeviceReport:
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

    def close(self) -> None:
        """Let go of the device."""
        ...


@dataclass(frozen=True, slots=True, kw_only=True)
class NotRead:
    """Something that a link met and cannot give: no item, but no secret either."""

    kind: str
    """`folders` for a whole folder, which may hold any."""
    name: str
    code: str
    """Of a reason in `core.content.left_out`."""
    detail: str = ""
    """What the system said."""


@runtime_checkable
class HoldsItems(Protocol):
    """A link to a device that keeps items by ids of its own. Nothing is half there: a write that ends early, for whatever
    its pieces raise, leaves what was there before."""

    def create(self, kind: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> str:
        """Write a new item beside what is there; the id that the device gave it. May raise DeviceFull."""
        ...

    def replace(self, kind: str, id: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> None:
        """Write an item over the one with this id, or anew when it is gone. May raise DeviceFull."""
        ...


@dataclass(frozen=True, slots=True, kw_only=True)
class SmallItem:
    """An item to be written, its content at hand."""

    id: str | None
    """Over the item with this id, or anew when it is gone; None: a new one."""
    name: str
    content: bytes


@runtime_checkable
class WritesMany(Protocol):
    """A link that may take many small items in one request."""

    def writes_many(self) -> bool:
        """Whether the device does."""
        ...

    def write_many(self, kind: str, items: Sequence[SmallItem]) -> list[str]:
        """Ids of the items that were written, from the first on; fewer than were given when the device took no more. May raise
        DeviceFull."""
        ...


@runtime_checkable
class TellsDigests(Protocol):
    """A link that may tell digests of content (`core.content.digests`) without sending it."""

    def tells_digests(self) -> bool:
        """Whether the device does."""
        ...

    def digests(self, kind: str, ids: Sequence[str]) -> list[bytes | None]:
        """In the order given; None for an item that is gone or cannot be read."""
        ...


@runtime_checkable
class HoldsFiles(Protocol):
    """A link to a place that keeps files at paths: what is written there has its path, time, mode and links.

    Nothing is half there: a write that ends early leaves what was there before. Every method may raise LinkError, and
    PlaceRefuses or PlaceTaken for what cannot be there under this path.
    """

    def put(self, path: str, item: Item, pieces: Iterable[bytes], *, over: bool) -> str:
        """Write a file; `over` what is there. The id that it has there now."""
        ...

    def put_link(self, path: str, item: Item, *, over: bool) -> str:
        """Make a symbolic link to where the item points."""
        ...

    def put_folder(self, path: str, item: Item) -> None:
        """Make a folder, or give one its time and mode."""
        ...


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
class TellsOwnCloud(Protocol):
    """A link that may tell of the device's own cloud backup."""

    def tells_own_cloud(self) -> bool:
        """Whether the device does."""
        ...

    def own_cloud(self) -> OwnCloud | None:
        """As the device says; None when it has none. May raise LinkError."""
        ...


@runtime_checkable
class TellsAccounts(Protocol):
    """A link that knows which outside accounts keep kinds of content in step."""

    def accounts(self) -> list[Account]: ...
