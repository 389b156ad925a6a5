"""Today: the state of the office in a sentence, and what needs a person, grouped by cause."""

from collections import defaultdict
from dataclasses import dataclass, field
from datetime import datetime

from core.content.errors import LinkError
from core.schedule.promise import Standing
from core.units import iec
from server.fleet.queries import seen_on_network, unpaired_offers
from server.oversight.ribbon import coming_night, past_nights, planned_on
from server.oversight.standing import Standings, standings
from server.people.queries import office_zone
from server.runs.models import Copy
from server.storage.models import Store


@dataclass(slots=True, kw_only=True)
class Cause:
    """One thing that needs a person, with every device it touches."""

    code: str
    mark: str
    """late, never, due_soon, store: which mark stands beside it."""
    says: str
    step: str
    """The next step: run, open, plan, storage, pair."""
    step_label: str
    devices: list[Standings] = field(default_factory=list)
    store: Store | None = None


_FAILED_STEPS = {
    "link.not_paired": ("It does not know this server any more", "open", "Pair again"),
    "link.locked": ("Locked when its run wanted to begin", "run", "Run now"),
    "link.data_access_off": ("Data access is switched off on the device", "open", "Show the steps"),
    "quota.does_not_fit": ("Its run would not have fitted into the store", "storage", "Make room"),
    "store.full": ("Its store was full", "storage", "Make room"),
    "store.missing": ("Its store was not there", "storage", "Look at the store"),
    "store.read_only": ("Its store may not be written", "storage", "Look at the store"),
    "link.cut": ("The connection broke off in the middle", "run", "Run now"),
}


def causes(*, now: datetime, rows: list[Standings]) -> list[Cause]:
    """Worst first."""
    found: dict[str, Cause] = {}
    on_network = seen_on_network()
    for row in rows:
        cause = _cause_of(row, on_network, now)
        if cause is not None:
            found.setdefault(cause.code, cause).devices.append(row)
    order = ["late", "never", "due_soon", "no_plan"]
    listed = sorted(found.values(), key=lambda cause: (order.index(cause.mark), -len(cause.devices)))
    return [*_store_causes(), *listed, *_offers()]


def _cause_of(row: Standings, on_network: set[str], now: datetime) -> Cause | None:
    standing, device = row.state.standing, row.device
    if standing in (Standing.LATE, Standing.NEVER):
        mark = str(standing)
        known = _FAILED_STEPS.get(device.last_cause_code or "")
        if known:
            return Cause(code=f"{mark} {device.last_cause_code}", mark=mark, says=known[0], step=known[1], step_label=known[2])
        if device.link == "agent" and device.agent_id not in on_network:
            return Cause(code=f"{mark} unseen", mark=mark, says="Not seen on the office network", step="open", step_label="Show the steps")
        if standing is Standing.NEVER:
            return Cause(code="never", mark=mark, says="Never backed up", step="run", step_label="Run now")
        return Cause(code="late", mark=mark, says="Older than promised, and on the network now", step="run", step_label="Run now")
    if standing is Standing.DUE_SOON:
        return Cause(
            code="due_soon", mark="due_soon", says="Will pass their promise before their next run", step="run", step_label="Run now"
        )
    if standing is Standing.NO_PLAN:
        return Cause(code="no_plan", mark="no_plan", says="Without a plan, so nothing is backed up", step="plan", step_label="Give a plan")
    return None


def _store_causes() -> list[Cause]:
    found = []
    for store in Store.objects.all():
        if store.trouble:
            found.append(
                Cause(
                    code=f"store {store.id}",
                    mark="store",
                    says=f"{store.name}: {store.trouble}",
                    step="storage",
                    step_label="Look",
                    store=store,
                )
            )
        elif store.allowance_bytes and store.stored_bytes * 100 >= store.allowance_bytes * 90:
            left = iec(max(0, store.allowance_bytes - store.stored_bytes))
            says = f"{store.name} has {left} left of its allowance of {iec(store.allowance_bytes)}"
            found.append(Cause(code=f"full {store.id}", mark="store", says=says, step="storage", step_label="Make room", store=store))
    damaged = Copy.objects.filter(removed_at__isnull=True, intact=False).select_related("store")
    by_store: dict[Store, int] = defaultdict(int)
    for copy in damaged:
        by_store[copy.store] += 1
    for store, count in by_store.items():
        says = f"A check found damage in {store.name}; {count} backup{'' if count == 1 else 's'} cannot be restored whole"
        found.append(Cause(code=f"damaged {store.id}", mark="store", says=says, step="storage", step_label="Look", store=store))
    return found


def _offers() -> list[Cause]:
    try:
        count = len(unpaired_offers())
    except LinkError:
        return []
    if not count:
        return []
    says = f"{count} device{'' if count == 1 else 's'} on the office network {'is' if count == 1 else 'are'} not in the list"
    return [Cause(code="offers", mark="no_plan", says=says, step="pair", step_label="Add a device")]


@dataclass(frozen=True, slots=True, kw_only=True)
class Today:
    promised: int
    inside: int
    says: str
    causes: list[Cause]
    standing_counts: dict[str, int]
    tonight: int


def today(*, now: datetime) -> Today:
    rows = standings(now=now)
    owed = [row for row in rows if row.state.standing in (Standing.ON_TIME, Standing.DUE_SOON, Standing.LATE, Standing.NEVER)]
    inside = sum(row.state.standing in (Standing.ON_TIME, Standing.DUE_SOON) for row in owed)
    found = causes(now=now, rows=rows)
    counts: dict[str, int] = defaultdict(int)
    for row in rows:
        counts[row.state.standing] += 1
    tonight = planned_on(coming_night(now, office_zone()))
    return Today(
        promised=len(owed), inside=inside, says=_sentence(now, found, rows), causes=found, standing_counts=dict(counts), tonight=tonight
    )


def _sentence(now: datetime, found: list[Cause], rows: list[Standings]) -> str:
    if not rows:
        return "No device has been added yet."
    last = past_nights(now=now)[-1]
    came = last.came + last.came_late
    parts = [f"Last night {came} {'device' if came == 1 else 'devices'} came"]
    if last.came_late:
        parts.append(f"{last.came_late} of them late")
    parts.append(f"{last.missing} did not" if last.missing else "none is missing")
    needs = f"{len(found)} {'thing needs' if len(found) == 1 else 'things need'} you this morning." if found else "Nothing needs you."
    return ", ".join(parts) + ". " + needs
