"""The promise: is the newest good backup of a device young enough, and when will that change?"""

from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from core.units import aware


class Standing(StrEnum):
    """on time → due soon → late, back to on time with each good backup. Never, paused, away and lost stand aside."""

    ON_TIME = "on_time"
    DUE_SOON = "due_soon"
    """On time, but the promise runs out before the next planned run."""
    LATE = "late"
    NEVER = "never"
    """Has a promise and no backup at all."""
    AWAY = "away"
    LOST = "lost"
    RETIRED = "retired"
    NO_PLAN = "no_plan"
    """Nothing has been promised."""


@dataclass(frozen=True, slots=True, kw_only=True)
class State:
    standing: Standing
    deadline: datetime | None
    """When the newest good backup gets older than promised; None without one."""
    turns_at: datetime | None
    """The next instant at which `standing` changes if nothing happens; None when it does not."""


def state_of(
    *, newest: datetime | None, promise_seconds: int | None, next_run: datetime | None, now: datetime, aside: Standing | None = None
) -> State:
    """A device's state against its promise. `aside` is away, lost or retired, which outweigh all else."""
    deadline = None if newest is None or promise_seconds is None else aware(newest) + timedelta(seconds=promise_seconds)
    if aside is not None:
        return State(standing=aside, deadline=deadline, turns_at=None)
    if promise_seconds is None:
        return State(standing=Standing.NO_PLAN, deadline=None, turns_at=None)
    if deadline is None:
        return State(standing=Standing.NEVER, deadline=None, turns_at=None)
    if deadline < now:
        return State(standing=Standing.LATE, deadline=deadline, turns_at=None)
    if next_run is None or deadline < aware(next_run):
        return State(standing=Standing.DUE_SOON, deadline=deadline, turns_at=deadline)
    # it stays on time until the next run is due; should that not come, the one after it is too late or not
    return State(standing=Standing.ON_TIME, deadline=deadline, turns_at=aware(next_run))
