"""What happens to what is on the device now: compare, then decide item by item.

An item that the device has under the same id and with the same version tag is the same and is never
written again. One that it has with another tag differs; what then happens is the administrator's
choice.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from core.content.items import Item
from core.vault.manifests import Stored


class WhenThere(StrEnum):
    """What to do with an item that the device holds in another version."""

    KEEP_BOTH = "keep_both"
    REPLACE = "replace"
    SKIP = "skip"


class Step(StrEnum):
    WRITE = "write"
    """Not on the device: written under its own id."""
    ADD = "add"
    """Written as a new item beside the one that is there."""
    REPLACE = "replace"
    LEAVE = "leave"
    """The device's version stays."""
    SAME = "same"
    """The device has it already."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Planned:
    stored: Stored
    step: Step


def planned(chosen: Sequence[Stored], there: Sequence[Item], when_there: WhenThere, *, same_device: bool) -> list[Planned]:
    """One step an item, in the order given. On another device ids mean nothing: names and sizes are compared."""
    by_id = {item.id: item for item in there} if same_device else {}
    alike = {(item.name, item.size_bytes) for item in there}
    steps = {WhenThere.KEEP_BOTH: Step.ADD, WhenThere.REPLACE: Step.REPLACE, WhenThere.SKIP: Step.LEAVE}
    found = []
    for stored in chosen:
        now = by_id.get(stored.item.id)
        if now is not None:
            step = Step.SAME if (now.tag, now.size_bytes) == (stored.item.tag, stored.item.size_bytes) else steps[when_there]
        elif not same_device:
            step = Step.SAME if (stored.item.name, stored.item.size_bytes) in alike else Step.ADD
        else:
            step = Step.WRITE
        found.append(Planned(stored=stored, step=step))
    return found


def written_bytes(plan: Sequence[Planned]) -> int:
    """Room that the device needs for it."""
    return sum(entry.stored.item.size_bytes for entry in plan if entry.step in (Step.WRITE, Step.ADD, Step.REPLACE))
