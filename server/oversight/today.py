"""Today: the state of the office in a sentence, and what needs a person, grouped by cause."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import datetime

from core.schedule.nights import coming_night
from core.schedule.promise import KEPT, OWED
from server.fleet.models import DeviceState
from server.oversight.cause import Cause
from server.oversight.causes import causes, silent_since
from server.oversight.incidents import KnownIncident, remembered
from server.oversight.models import Incident
from server.oversight.ribbon import Night, last_night, planned_of
from server.oversight.standing import Standings, standings
from server.plans.models import Pause
from server.plans.present import Present

BACK_SHOWN = 12
"""Of what came back to normal; the rest is among the incidents."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Today:
    """What the first screen of the morning shows."""

    promised: int
    inside: int
    says: str
    causes: list[Cause]
    put_off: list[Cause]
    known: dict[str, KnownIncident]
    """Code of a cause → what is remembered of it."""
    back_to_normal: list[Incident]
    """Closed since yesterday."""
    standing_counts: dict[str, int]
    tonight: int
    turns_at: datetime | None
    """When the next device changes its standing if nothing happens."""
    everything_paused: Pause | None
    silent_since: datetime | None
    """Since when the scheduler has given no sign; None while it does."""


def today(*, now: datetime) -> Today:
    """A fixed number of queries, whatever the number of devices: each thing is read once and handed on."""
    present, silent = Present.read(now), silent_since(now)
    rows = standings(now=now, present=present)
    owed = [row for row in rows if row.state.standing in OWED]
    inside = sum(row.state.standing in KEPT for row in owed)
    causes_now = causes(now=now, rows=rows, zone=present.zone, silent=silent)
    known, closed = remembered(now=now, zone=present.zone)
    put_off = [cause for cause in causes_now if cause.code in known and known[cause.code].put_off]
    needing = [cause for cause in causes_now if cause not in put_off]
    counts: dict[str, int] = defaultdict(int)
    for row in rows:
        counts[row.state.standing] += 1
    followed = [(row.plan.id, row.device.id) for row in rows if row.plan is not None and row.device.state == DeviceState.IN_USE]
    plans = {row.plan.id: row.plan for row in rows if row.plan is not None}
    everything = present.held.lasting.get(None)
    return Today(
        promised=len(owed),
        inside=inside,
        says=_sentence(last_night(now=now, zone=present.zone), needing, rows),
        causes=needing,
        put_off=put_off,
        known=known,
        back_to_normal=closed[:BACK_SHOWN],
        standing_counts=dict(counts),
        tonight=planned_of(coming_night(now, present.zone), followed, plans, present),
        turns_at=min((row.state.turns_at for row in owed if row.state.turns_at), default=None),
        everything_paused=everything,
        silent_since=silent,
    )


def _sentence(last: Night, causes_now: list[Cause], rows: list[Standings]) -> str:
    if not rows:
        return "No device has been added yet."
    came = last.came + last.came_late
    parts = [f"Last night {came} {'device' if came == 1 else 'devices'} succeeded"]
    if last.came_late:
        parts.append(f"{last.came_late} of them late")
    if last.missing or not last.under_way:
        parts.append(f"{last.missing} did not" if last.missing else "none is missing")
    if last.under_way:
        parts.append(f"{last.under_way} {'is' if last.under_way == 1 else 'are'} still waited for")
    needs = (
        f"{len(causes_now)} {'thing needs' if len(causes_now) == 1 else 'things need'} you this morning."
        if causes_now
        else "Nothing needs you."
    )
    return ", ".join(parts) + ". " + needs
