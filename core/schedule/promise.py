"""The promise: is the newest good backup of a device young enough, and when will that change?

Days can be left out of the promise: those on which the office is closed, those on which the device is known
to be away. They do not count towards the age.
"""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from enum import StrEnum
from zoneinfo import ZoneInfo

from core.units import aware

MOST_LEFT_OUT = 800
"""Days; whoever is away longer than that has no promise any more that a date could be told for."""


class Standing(StrEnum):
    """on time → due soon → late, back to on time with each good backup. The others stand aside."""

    ON_TIME = "on_time"
    DUE_SOON = "due_soon"
    """On time, but the promise runs out before the next planned run."""
    LATE = "late"
    NEVER = "never"
    """Has a promise and no backup at all."""
    PAUSED = "paused"
    """Nothing starts by itself until the pause ends."""
    AWAY = "away"
    LOST = "lost"
    RETIRED = "retired"
    NO_PLAN = "no_plan"
    """Nothing has been promised."""


OWED = (Standing.ON_TIME, Standing.DUE_SOON, Standing.LATE, Standing.NEVER)
"""Standings of devices that are promised something now."""
KEPT = (Standing.ON_TIME, Standing.DUE_SOON)


@dataclass(frozen=True, slots=True, kw_only=True)
class State:
    standing: Standing
    deadline: datetime | None
    """When the newest good backup gets older than promised; None without one."""
    turns_at: datetime | None
    """The next instant at which `standing` changes if nothing happens; None when it does not."""


def deadline_of(newest: datetime, promise_seconds: int, *, left_out: Collection[date] = (), zone: ZoneInfo | None = None) -> datetime:
    """When a backup of `newest` gets older than promised, the days of `left_out` (in `zone`) not counted."""
    at, rest = aware(newest), timedelta(seconds=promise_seconds)
    if not left_out or zone is None:
        return at + rest
    passed_over = 0
    while passed_over <= MOST_LEFT_OUT:
        day = at.astimezone(zone).date()
        next_day = _midnight_after(day, zone)
        if day in left_out:
            passed_over += 1
            at = next_day
        elif next_day - at >= rest:
            return at + rest
        else:
            rest, at = rest - (next_day - at), next_day
    return at + rest


def _midnight_after(day: date, zone: ZoneInfo) -> datetime:
    return aware(datetime.combine(day + timedelta(days=1), time(), zone))


def state_of(
    *,
    newest: datetime | None,
    promise_seconds: int | None,
    next_run: datetime | None,
    now: datetime,
    later_runs: Sequence[datetime] = (),
    aside: Standing | None = None,
    left_out: Collection[date] = (),
    zone: ZoneInfo | None = None,
) -> State:
    """A device's state against its promise. `aside` is paused, away, lost or retired, which outweigh all else.

    `later_runs` are the planned ones after `next_run`, ascending, as far ahead as the deadline may lie.
    """
    deadline = None
    if newest is not None and promise_seconds is not None:
        deadline = deadline_of(newest, promise_seconds, left_out=left_out, zone=zone)
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
    # it is on time as long as a run is planned before the deadline: past the last of those it is due soon
    turns = [aware(run) for run in (next_run, *later_runs) if aware(run) <= deadline]
    return State(standing=Standing.ON_TIME, deadline=deadline, turns_at=turns[-1])
