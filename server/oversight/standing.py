"""Each device's standing against its promise, computed once for a whole list."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from core.schedule.promise import Standing, State, state_of
from server.fleet.convert import aside
from server.fleet.models import Device
from server.fleet.queries import devices
from server.people.queries import office_zone
from server.plans.convert import next_run
from server.plans.models import Assignment, Plan
from server.runs.queries import with_newest
from server.storage.models import Occupancy

WORST_FIRST = [
    Standing.LATE, Standing.NEVER, Standing.DUE_SOON, Standing.NO_PLAN, Standing.LOST, Standing.AWAY, Standing.ON_TIME, Standing.RETIRED,
]  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Standings:
    """One row of the devices list."""

    device: Any
    """Device with the annotations of `with_newest`."""
    plan: Plan | None
    state: State
    next_run: datetime | None
    held_bytes: int
    """Fair share in all stores."""

    @property
    def overdue_seconds(self) -> float:
        return 0.0 if self.state.deadline is None else -self.state.deadline.timestamp()


def standings(*, now: datetime, only: Iterable[UUID] | None = None) -> list[Standings]:
    """Every device, worst first: three queries whatever the number of devices."""
    zone = office_zone()
    found = with_newest(devices())
    if only is not None:
        found = found.filter(id__in=list(only))
    plans = {row.device_id: row.plan for row in Assignment.objects.select_related("plan__store")}
    nexts = {plan.id: next_run(plan, zone, now) for plan in {plan.id: plan for plan in plans.values()}.values()}
    held: dict[UUID, int] = {}
    for device_id, fair in Occupancy.objects.values_list("device_id", "fair_bytes"):
        held[device_id] = held.get(device_id, 0) + fair
    rows = []
    for device in found:
        plan = plans.get(device.id)
        upcoming = nexts.get(plan.id) if plan else None
        state = state_of(
            newest=device.newest_at,
            promise_seconds=plan.promise_seconds if plan else None,
            next_run=upcoming,
            now=now,
            aside=aside(device),
        )
        rows.append(Standings(device=device, plan=plan, state=state, next_run=upcoming, held_bytes=held.get(device.id, 0)))
    return sorted(rows, key=_order)


def _order(row: Standings) -> tuple[int, float, str]:
    age = row.device.newest_at.timestamp() if row.device.newest_at else 0.0
    return WORST_FIRST.index(row.state.standing), age, row.device.name


def standing_of(device: Device, *, now: datetime) -> Standings:
    return standings(now=now, only=[device.id])[0]
