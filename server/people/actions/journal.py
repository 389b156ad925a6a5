"""Write a line of the journal. Part of the deed: both are there, or neither."""

from datetime import datetime
from typing import Any
from uuid import UUID

from server.people.lines import sentence
from server.people.models import JournalEntry, User

MOST_LETTERS = 600
"""Of one fact; what people type is cut here."""
MOST_NAMES = 600
"""In a fact that is a list."""


def write_journal(
    *,
    who: User | None,
    what: str,
    facts: dict[str, Any],
    at: datetime,
    way: str = "",
    device: UUID | None = None,
    store: UUID | None = None,
) -> None:
    """`what`, with `way`, is one of `lines.LINES`; `facts` is what its sentence tells. Raises KeyError when they do not fit."""
    kept = {name: _kept(value) for name, value in facts.items()} | ({"way": way} if way else {})
    sentence(what, kept)
    JournalEntry.objects.create(who=who, what=what, facts=kept, at=at, device=device, store=store)


def _kept(value: Any) -> Any:
    """As JSON holds it."""
    if value is None or isinstance(value, bool | int | float):
        return value
    if isinstance(value, list | tuple):
        return [_kept(one) for one in value[:MOST_NAMES]]
    return str(value)[:MOST_LETTERS]
