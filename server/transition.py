"""The only writer of the state of a run, a restore, an import or a copy.

The row is locked, the move is one that the drawing in the enum's docstring allows, and only the named fields are
written: whatever somebody else has changed meanwhile stays. The drawing is read, so it cannot drift from what is
allowed: each line `a → b, c` of the docstring is a set of moves.

Use `transition` when the move is decided already, `held` and `move` when it depends on what the row says now.
"""

from functools import lru_cache
from typing import Any, TypeVar

from django.db import models, transaction

from server.api.problems import Conflict

M = TypeVar("M", bound=models.Model)
Moves = dict[str, frozenset[str]]


class IllegalMove(Conflict):
    """Somebody was faster, or the move makes no sense. The row is as it was."""

    code = "state.illegal_move"


@lru_cache(maxsize=16)
def moves(states: type[models.TextChoices]) -> Moves:
    """State → states that may follow it, as drawn. Raises ValueError when the drawing names a state that there is not."""
    known: set[str] = set(states.values)
    drawn: dict[str, set[str]] = {state: set() for state in known}
    for line in (states.__doc__ or "").splitlines():
        before, arrow, after = line.partition("→")
        if not arrow:
            continue
        sources, targets = ([name.strip(" .") for name in side.split(",")] for side in (before, after))
        if unknown := {*sources, *targets} - known:
            raise ValueError(f"The drawing of {states.__name__} names {sorted(unknown)}")
        for source in sources:
            drawn[source] |= set(targets)
    return {source: frozenset(targets) for source, targets in drawn.items()}


def held(model: type[M], id: object, *related: str) -> M:
    """The row as it is now, locked until the transaction ends. Raises DoesNotExist."""
    # without names Django would read every row that this one points to
    row: M = model._default_manager.select_for_update(of=("self",)).select_related(*related or (None,)).get(pk=id)
    return row


def move(row: M, to: str, **fields: Any) -> M:
    """Put a row that is held into another state, with these fields. Raises IllegalMove."""
    states: type[models.TextChoices] = type(row).States  # type: ignore[attr-defined]
    now: str = row.state  # type: ignore[attr-defined]
    if to not in moves(states)[now]:
        label = row._meta.verbose_name
        raise IllegalMove(f"A {label} that is {states(now).label.lower()} cannot become {states(to).label.lower()}.")
    for name, value in {**fields, "state": to}.items():
        setattr(row, name, value)
    row.save(update_fields=[*fields, "state"])
    return row


@transaction.atomic
def transition(model: type[M], id: object, to: str, **fields: Any) -> M:
    """Lock, move, write the named fields. Raises IllegalMove, DoesNotExist."""
    return move(held(model, id), to, **fields)
