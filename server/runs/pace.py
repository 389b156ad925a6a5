"""How fast a run may read: its device's limit, its part of the office's, divided among those under way, and its store's.

What a run sends is never more than what it reads, so that a run that fell over to a store with a limit keeps to it.
"""

import time
from collections.abc import Callable

from server.fleet.models import Device
from server.people.queries import office_settings
from server.plans.models import PlanTarget
from server.runs.models import Run, RunState

ASK_EVERY_SECONDS = 3.0


def speed_limit(device: Device, run: Run | None = None, *, clock: Callable[[], float] = time.monotonic) -> Callable[[], int | None]:
    """Bytes a second that are allowed now. Asked anew every few seconds, as the run may have gone to another store."""
    asked_at, limit = float("-inf"), device.limit_bytes_per_second

    def current() -> int | None:
        nonlocal asked_at, limit
        if clock() - asked_at >= ASK_EVERY_SECONDS:
            asked_at = clock()
            own = Device.objects.filter(id=device.id).values_list("limit_bytes_per_second", flat=True).first()
            whole = office_settings().limit_bytes_per_second
            running = max(1, Run.objects.filter(state=RunState.RUNNING).count()) if whole else 1
            limit = min(
                [limit_here for limit_here in (own, whole // running if whole else None, _to_store(run)) if limit_here], default=None
            )
        return limit

    return current


def _to_store(run: Run | None) -> int | None:
    """What the plan allows towards the store that the run goes to now."""
    if run is None or run.plan_id is None:
        return None
    rows = PlanTarget.objects.filter(plan=run.plan_id, store__runs=run.id, order__gte=1)
    return rows.values_list("limit_bytes_per_second", flat=True).first()
