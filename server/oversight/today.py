"""Today: the state of the office in a sentence, and what needs a person, grouped by cause."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import datetime, timedelta

from core.schedule.nights import coming_night
from core.schedule.promise import KEPT, OWED
from server.oversight.causes import Cause, causes, silent_since
from server.oversight.matters import Known, known_matters
from server.oversight.models import Matter
from server.oversight.ribbon import last_night, planned_on
from server.oversight.standing import Standings, standings
from server.people.queries import office_zone
from server.plans.models import Pause

BACK_TO_NORMAL = timedelta(hours=24)


@dataclass(frozen=True, slots=True, kw_only=True)
class Today:
    promised: int
    inside: int
    says: str
    causes: list[Cause]
    put_off: list[Cause]
    known: dict[str, Known]
    """Code of a cause → what is remembered of it."""
    back_to_normal: list[Matter]
    """Closed since yesterday."""
    standing_counts: dict[str, int]
    tonight: int
    turns_at: datetime | None
    """When the next device changes its standing if nothing happens."""
    everything_paused: Pause | None
    silent_since: datetime | None
    """Since when the scheduler has given no sign; None while it does."""


def today(*, now: datetime) -> Today:
    rows = standings(now=now)
    owed = [row for row in rows if row.state.standing in OWED]
    inside = sum(row.state.standing in KEPT for row in owed)
    found = causes(now=now, rows=rows)
    known = known_matters([cause.code for cause in found], now=now)
    put_off = [cause for cause in found if cause.code in known and known[cause.code].put_off]
    needing = [cause for cause in found if cause not in put_off]
    counts: dict[str, int] = defaultdict(int)
    for row in rows:
        counts[row.state.standing] += 1
    tonight = planned_on(coming_night(now, office_zone()), now=now)
    closed = list(Matter.objects.filter(closed_at__gte=now - BACK_TO_NORMAL).select_related("store").order_by("-closed_at")[:12])
    return Today(
        promised=len(owed),
        inside=inside,
        says=_sentence(now, needing, rows),
        causes=needing,
        put_off=put_off,
        known=known,
        back_to_normal=closed,
        standing_counts=dict(counts),
        tonight=tonight,
        turns_at=min((row.state.turns_at for row in owed if row.state.turns_at), default=None),
        everything_paused=Pause.objects.filter(plan=None, device=None, ended_at__isnull=True).select_related("by").first(),
        silent_since=silent_since(now),
    )


def _sentence(now: datetime, found: list[Cause], rows: list[Standings]) -> str:
    if not rows:
        return "No device has been added yet."
    last = last_night(now=now)
    came = last.came + last.came_late
    parts = [f"Last night {came} {'device' if came == 1 else 'devices'} came"]
    if last.came_late:
        parts.append(f"{last.came_late} of them late")
    if last.missing or not last.under_way:
        parts.append(f"{last.missing} did not" if last.missing else "none is missing")
    if last.under_way:
        parts.append(f"{last.under_way} {'is' if last.under_way == 1 else 'are'} still waited for")
    needs = f"{len(found)} {'thing needs' if len(found) == 1 else 'things need'} you this morning." if found else "Nothing needs you."
    return ", ".join(parts) + ". " + needs
