"""Who has a say before a plan is saved. Apps further right enter themselves here when they start.

Each is asked within the transaction that saves, with the plan as it would be, and raises what it objects to.
"""

from collections.abc import Callable
from dataclasses import dataclass
from uuid import UUID

from server.plans.models import Plan


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """A plan as somebody wants to save it; nothing of it is written yet."""

    plan: Plan
    stores: frozenset[UUID]
    followers: frozenset[UUID]
    seen: str
    """Digest of what was shown to leave; empty when nothing was."""
    word: str
    """Typed, where it was asked for."""


Objection = Callable[[Change], None]
_OBJECTIONS: list[Objection] = []


def enter(objection: Objection) -> None:
    """Asked before each change of a plan from now on."""
    _OBJECTIONS.append(objection)


def hear(change: Change) -> None:
    """Raises what somebody objects to."""
    for objection in _OBJECTIONS:
        objection(change)
