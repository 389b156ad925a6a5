"""Who has a say before devices are changed. Apps further right enter themselves here when they start.

Each is asked within the transaction that saves, with the devices as they are and as they would be, and raises what it objects to.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from server.fleet.models import Device


@dataclass(frozen=True, slots=True, kw_only=True)
class DevicesChange:
    """Devices as somebody wants to save them; nothing of it is written yet."""

    before: Sequence[Device]
    after: Sequence[Device]
    """The same ones in the same order."""
    seen: str = ""
    """Digest of what was shown to leave; empty when nothing was."""
    word: str = ""
    """Typed, where it was asked for."""
    remedy: str = ""
    """Where nothing could be shown: what to do instead."""


Objection = Callable[[DevicesChange], None]
_OBJECTIONS: list[Objection] = []


def enter(objection: Objection) -> None:
    """Asked before each change of devices from now on."""
    _OBJECTIONS.append(objection)


def hear(change: DevicesChange) -> None:
    """Raises what somebody objects to."""
    for objection in _OBJECTIONS:
        objection(change)
