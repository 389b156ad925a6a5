"""What makes two items of different devices "the same one": a table of data, kind by kind. All common practice, no published source.

An id of a device means something on that device only: `c17` is one person here and another there. On another device an
item is therefore found by what a person would know it by: a path, a name and number, a title and its start. Whether it
then *is* the same is decided by its content alone (`core.content.digests`).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from core.content.items import Item
from core.content.kinds import KINDS, KindShape
from core.content.records import rows, text, texts

Key = tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Tier:
    """One way to know an item again."""

    says: str
    key: Callable[[Item, dict[str, Any]], Key | None]
    """None where the item lacks what it takes."""
    reads: bool = False
    """Whether it takes the record itself, not only what the inventory tells."""
    alone: bool = False
    """Whether it counts only where exactly one item on each side has the key."""


def _name(item: Item, record: dict[str, Any]) -> Key | None:
    return (item.name,)


def _name_and_number(item: Item, record: dict[str, Any]) -> Key | None:
    numbers = sorted("".join(text(row.get("number")).split()) for row in rows(record.get("phones")))
    return (item.name, *numbers) if numbers else None


def _uid(item: Item, record: dict[str, Any]) -> Key | None:
    return (text(record["uid"]),) if text(record.get("uid")) else None


def _title_and_start(item: Item, record: dict[str, Any]) -> Key | None:
    return (text(record.get("title")), text(record["start"])) if text(record.get("start")) else None


def _talk(item: Item, record: dict[str, Any]) -> Key | None:
    partners = sorted(texts(record.get("with")))
    return tuple(partners) or None


def _place_and_user(item: Item, record: dict[str, Any]) -> Key | None:
    place = (text(record.get("site")), text(record.get("user")))
    return place if all(place) else None


PATH = (Tier(says="its path", key=_name),)
BY_NAME = (Tier(says="its name", key=_name, alone=True),)
_SPECIAL = {
    "contacts": (
        Tier(says="its UID", key=_uid, reads=True),
        Tier(says="its name and numbers", key=_name_and_number, reads=True),
        Tier(says="its name, where only one on each side has it", key=_name, alone=True),
    ),
    "calendar": (Tier(says="its UID", key=_uid, reads=True), Tier(says="its title and start", key=_title_and_start, reads=True)),
    "messages": (Tier(says="the people in it", key=_talk, reads=True),),
    "logins": (Tier(says="its place and user", key=_place_and_user, reads=True), *BY_NAME),
    "calls": (),
    "health": (),
}
"""Calls and health records are known by their content alone: one that differs is another one."""


def tiers(code: str) -> Sequence[Tier]:
    """The ways in which items of a kind are known again, surest first."""
    if code in _SPECIAL:
        return _SPECIAL[code]
    return PATH if KINDS[code].shape in (KindShape.FILE, KindShape.PICTURE) else BY_NAME
