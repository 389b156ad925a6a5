"""The window in which a run may start, and what is due at an instant.

A missed occurrence is not run again by itself once its window has closed; of several whose windows
are still open only the newest counts, so that a server which was off catches up with one run.
"""

from dataclasses import dataclass
from datetime import datetime, time, timedelta

from core.errors import BadInput
from core.schedule.recurrence import Recurrence
from core.units import aware

SHORTEST = timedelta(minutes=15)


@dataclass(frozen=True, slots=True, kw_only=True)
class Window:
    """From the planned time of a run until this time of day; may cross midnight."""

    opens: time
    closes: time

    def __post_init__(self) -> None:
        if self.length < SHORTEST:
            raise BadInput(
                f"A window from {self.opens:%H:%M} to {self.closes:%H:%M} is too short.",
                field="window_closes",
                remedy="Let it close at least 15 minutes after the planned time; it may cross midnight.",
            )

    @property
    def length(self) -> timedelta:
        """On the wall clock; a window that closes at its own opening time has none."""
        minutes = (self.closes.hour - self.opens.hour) * 60 + self.closes.minute - self.opens.minute
        return timedelta(minutes=minutes % (24 * 60))


def due(recurrence: Recurrence, window: Window, *, handled: datetime | None, now: datetime) -> datetime | None:
    """The occurrence that should start now: the newest whose window is open, unless it was handled.

    `handled` is the newest occurrence that a run was made for; None when there was none.
    """
    open_ones = list(recurrence.between(now - window.length, now))
    if not open_ones or (handled is not None and open_ones[-1] <= aware(handled)):
        return None
    return open_ones[-1]


def missed(recurrence: Recurrence, window: Window, *, since: datetime, now: datetime) -> list[datetime]:
    """Occurrences after `since` whose windows have closed. The caller leaves out those that had a run."""
    return list(recurrence.between(since, now - window.length))
