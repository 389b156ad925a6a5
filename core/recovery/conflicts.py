"""What happens to what is there now: an item of the backup and the one that it meets, compared by content, then one step.

The same content is never written again, whatever was asked. Where contents differ, the administrator's choice decides.
Each item that is there answers for one item of the backup at the most.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Protocol, TypeVar

from core.content.digests import is_record
from core.content.items import Item
from core.recovery.identity import Key, Tier, tiers
from core.vault.manifests import Stored

T = TypeVar("T")


class WhenThere(StrEnum):
    """What to do with an item that the device holds in another version."""

    KEEP_BOTH = "keep_both"
    REPLACE = "replace"
    SKIP = "skip"


class ConflictStep(StrEnum):
    WRITE = "write"
    """Nothing like it is there."""
    ADD = "add"
    """Written as a new item beside the one that is there."""
    REPLACE = "replace"
    LEAVE = "leave"
    """The device's version stays."""
    SAME = "same"
    """Its content is there already."""


STEPS = {WhenThere.KEEP_BOTH: ConflictStep.ADD, WhenThere.REPLACE: ConflictStep.REPLACE, WhenThere.SKIP: ConflictStep.LEAVE}
Digest = bytes | None
"""None: it cannot be told."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Met:
    """An item of the backup, and the one of those that are there which it meets."""

    stored: Stored
    there: Item | None = None
    same: bool = False
    """Whether both have the same content."""

    def step(self, when_there: WhenThere) -> ConflictStep:
        if self.there is None:
            return ConflictStep.WRITE
        return ConflictStep.SAME if self.same else STEPS[when_there]


class Looks(Protocol):
    """How both sides are looked at, as far as it is needed."""

    def digest_of(self, stored: Stored) -> Digest: ...
    def digest_there(self, item: Item) -> Digest: ...
    def record_of(self, stored: Stored) -> dict[str, Any]: ...
    def record_there(self, item: Item) -> dict[str, Any]: ...


def met(code: str, chosen: Sequence[Stored], there: Sequence[Item], looks: Looks, *, same_device: bool) -> list[Met]:
    """One answer an item, in the order given. On the device that it came from, an id is the item."""
    free = {item.id: item for item in there}
    matches: dict[int, Met] = {}
    own = {stored.item.id for stored in chosen} if same_device else set()
    for at, stored in enumerate(chosen):
        item = free.get(stored.item.id) if same_device else None
        if item is not None and alike(code, stored, item, looks, trusts_tag=True):
            matches[at] = Met(stored=stored, there=free.pop(item.id), same=True)
    _by_content(code, chosen, {id: item for id, item in free.items() if id not in own}, free, looks, matches)
    for at, stored in enumerate(chosen):
        if same_device and at not in matches and stored.item.id in free:
            matches[at] = Met(stored=stored, there=free.pop(stored.item.id))
    for tier in tiers(code):
        _by_tier(tier, chosen, free, looks, matches)
    return [matches.get(at) or Met(stored=stored) for at, stored in enumerate(chosen)]


def alike(code: str, stored: Stored, item: Item, looks: Looks, *, trusts_tag: bool = False) -> bool:
    """Whether both have the same content. A tag counts only where no digest of what is there is to be had."""
    if not is_record(code) and stored.item.size_bytes != item.size_bytes:
        return False
    there = looks.digest_there(item)
    if there is None:
        return trusts_tag and (item.tag, item.size_bytes) == (stored.item.tag, stored.item.size_bytes)
    return there == looks.digest_of(stored)


def _by_content(
    code: str, chosen: Sequence[Stored], others: dict[str, Item], free: dict[str, Item], looks: Looks, met: dict[int, Met]
) -> None:
    """Items that are the same under another id. Where a name tells items apart it must be the same, too: two copies of a
    file at two places are two files."""
    named = not any(tier.reads for tier in tiers(code)) and bool(tiers(code))
    waiting = [at for at in range(len(chosen)) if at not in met]
    if not waiting or not others:
        return
    by_content: dict[tuple[Digest, str], list[Item]] = {}
    for item in others.values():
        if (digest := looks.digest_there(item)) is not None:
            by_content.setdefault((digest, item.name if named else ""), []).append(item)
    for at in waiting:
        stored = chosen[at]
        name = stored.item.name if named else ""
        if not by_content or (digest := looks.digest_of(stored)) is None:
            continue
        if items := by_content.get((digest, name)):
            item = items.pop()
            met[at] = Met(stored=stored, there=free.pop(item.id), same=True)


def _by_tier(tier: Tier, chosen: Sequence[Stored], free: dict[str, Item], looks: Looks, met: dict[int, Met]) -> None:
    waiting = [at for at in range(len(chosen)) if at not in met]
    if not waiting or not free:
        return
    here = _grouped(waiting, lambda at: tier.key(chosen[at].item, looks.record_of(chosen[at]) if tier.reads else {}))
    others = _grouped(list(free.values()), lambda item: tier.key(item, looks.record_there(item) if tier.reads else {}))
    for key, ats in here.items():
        items = others.get(key, [])
        if tier.alone and (len(ats) != 1 or len(items) != 1):
            continue
        for at, item in zip(ats, items, strict=False):
            met[at] = Met(stored=chosen[at], there=free.pop(item.id))


def _grouped(things: Sequence[T], key: Callable[[T], Key | None]) -> dict[Key, list[T]]:
    groups: dict[Key, list[T]] = {}
    for thing in things:
        if (own := key(thing)) is not None:
            groups.setdefault(own, []).append(thing)
    return groups
