"""The window in which a run may start, and what is due at an instant.

A window belongs to an occurrence: it opens with it and closes at a time of day, or when the next
occurrence comes, whichever is first. What then? Either the occurrence is given up, or it is caught up
with as soon as the device can be had, until the next occurrence comes. Of several open occurrences
only the newest counts, so that a server which was off catches up with one run.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, time, timedelta
from itertools import pairwise, zip_longest
from zoneinfo import ZoneInfo

from core.errors import BadInput
from core.schedule.recurrence import Recurrence
from core.units import aware

SHORTEST = timedelta(minutes=15)
LONGEST_CATCH_UP = timedelta(days=7)
_MARGIN = timedelta(hours=50)
"""No window is longer than a wall-clock day; the longest days have 25 hours, and one jump of a zone skips a whole one."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Window:
    """From the planned time of a run until this time of day; may cross midnight."""

    opens: time
    closes: time
    catch_up: bool = False
    """Whether a run that could not start in its window starts as soon as it can."""

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

    def closes_at(self, occurrence: datetime, zone: ZoneInfo) -> datetime:
        """The first `closes` on the wall clock after an occurrence, as an instant in UTC."""
        local = aware(occurrence).astimezone(zone)
        day = local.date()
        for _ in range(3):
            end = aware(datetime.combine(day, self.closes, zone))
            if end > aware(occurrence):
                return end
            day += timedelta(days=1)
        raise AssertionError("a day lasts less than three days")


@dataclass(frozen=True, slots=True, kw_only=True)
class Slot:
    """One occurrence with its window. Instants in UTC."""

    opens: datetime
    closes: datetime
    """First instant at which its window is over."""
    gives_up: datetime
    """First instant at which the run is not wanted any more; `closes`, or later with catching up."""


def slots(recurrence: Recurrence, window: Window, *, after: datetime, until: datetime) -> list[Slot]:
    """The occurrences in (after, until], each with its window."""
    reach = LONGEST_CATCH_UP if window.catch_up else _MARGIN
    moments = list(recurrence.between(after, aware(until) + reach))
    made = []
    for occurrence, following in zip_longest(moments, moments[1:]):
        if occurrence > aware(until):
            break
        closes = window.closes_at(occurrence, recurrence.zone)
        late = occurrence + LONGEST_CATCH_UP if window.catch_up else closes
        if following is not None:
            closes, late = min(closes, following), min(late, following)
        made.append(Slot(opens=occurrence, closes=closes, gives_up=max(closes, late)))
    return made


def owed(due: Sequence[Slot], *, since: datetime, now: datetime) -> tuple[Slot | None, list[Slot]]:
    """(the slot that should have a run now, those that were given up), of occurrences after `since`.

    `found` are the slots up to `now`, ascending; `since` is the newest occurrence that a run was made for, or the instant before
    which nothing is owed. Of several that are not given up only the newest counts.
    """
    own = [slot for slot in due if aware(since) < slot.opens <= aware(now)]
    over = [slot for slot in own if slot.gives_up <= aware(now)]
    return (own[-1] if own and own[-1].gives_up > aware(now) else None), over


def longest_gap(recurrence: Recurrence, *, after: datetime, count: int = 15) -> timedelta:
    """The longest time between the next `count` occurrences; zero when there are fewer than two."""
    return max((later - earlier for earlier, later in pairwise(recurrence.following(after, count))), default=timedelta())
