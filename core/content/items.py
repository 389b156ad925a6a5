"""Items and inventories: what a device says it holds, checked before anything is done with it.

A device is hostile input. `Item` refuses ids, sizes and names that no honest device would send;
names are kept for display as they came, minus control characters, and are never used as a path.
"""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from itertools import pairwise

from core.content.errors import DeviceLied
from core.content.kinds import kind as kind_of
from core.units import aware

MAX_ID_CHARACTERS = 512
MAX_NAME_CHARACTERS = 1024
MAX_ITEM_BYTES = 1 << 44
"""16 TiB. A larger announcement is a lie or a fault."""

MAX_ITEMS = 2_000_000
"""Of one kind. No phone or tablet holds more; an inventory that does not end is refused here."""

_CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f\u2028\u2029\u202a-\u202e\u2066-\u2069]")


@dataclass(frozen=True, slots=True, kw_only=True)
class Item:
    """The smallest thing that can be restored by itself, as the device announces it."""

    kind: str
    id: str
    """The device's own identifier, unique within the kind. Opaque: never a path."""
    name: str
    """For people: a contact's name, a file's path below the kind. Control characters removed."""
    size_bytes: int
    """Size of the item's content as announced; checked when it is read."""
    modified: datetime
    """Aware, UTC."""
    tag: str
    """Changes whenever the content changes."""
    attributes: dict[str, int | str] | None = None
    """What belongs to a file besides its content: `mode` (permission bits), `ns` (nanoseconds that `modified` cannot
    hold, 0 to 999), `link` (where a symbolic link points)."""


def announced(*, kind: str, id: object, name: object, size_bytes: object, modified: object, tag: object) -> Item:
    """An item from a device's announcement. Raises DeviceLied naming what is wrong with it."""
    kind_of(kind)
    if not isinstance(id, str) or not id or len(id) > MAX_ID_CHARACTERS:
        raise DeviceLied(f"The device announced an item of {kind} without a usable id.")
    if not isinstance(name, str) or len(name) > MAX_NAME_CHARACTERS:
        raise DeviceLied(f"The device announced item {id!r} of {kind} without a usable name.")
    if not isinstance(size_bytes, int) or isinstance(size_bytes, bool) or not 0 <= size_bytes <= MAX_ITEM_BYTES:
        raise DeviceLied(f"The device announced an impossible size for item {id!r} of {kind}.")
    if not isinstance(tag, str) or not tag or len(tag) > MAX_ID_CHARACTERS:
        raise DeviceLied(f"The device announced item {id!r} of {kind} without a version tag.")
    return Item(kind=kind, id=id, name=clean_name(name), size_bytes=size_bytes, modified=_instant(modified, id), tag=tag)


def clean_name(name: str) -> str:
    """`name` without control and direction characters; `(no name)` when nothing is left."""
    return _CONTROL.sub("", name).encode("utf-8", "replace").decode() or "(no name)"


def checked_inventory(items: Iterable[Item], *, kind: str) -> list[Item]:
    """The items sorted by id. Raises DeviceLied when an id stands twice or belongs to another kind."""
    in_order = sorted(items, key=lambda item: item.id)
    for before, after in pairwise(in_order):
        if before.id == after.id:
            raise DeviceLied(f"The device announced item {after.id!r} of {kind} twice.")
    if any(item.kind != kind for item in in_order):
        raise DeviceLied(f"The device mixed other kinds into its inventory of {kind}.")
    return in_order


def _instant(value: object, id: str) -> datetime:
    if isinstance(value, str):
        try:
            value = datetime.fromisoformat(value)
        except ValueError:
            raise DeviceLied(f"The device announced an unreadable time for item {id!r}.") from None
    if not isinstance(value, datetime) or value.tzinfo is None:
        raise DeviceLied(f"The device announced a time without zone for item {id!r}.")
    try:
        return aware(value)
    except OverflowError:
        return datetime(1970, 1, 1, tzinfo=UTC)
