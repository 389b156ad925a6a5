"""How many runs read and write at the same time, and how fast each may: the office's limits, divided among those under way."""

import time
from collections.abc import Callable

from django.db import transaction

from server.fleet.models import Device
from server.people.models import Office
from server.runs.models import ACTIVE, Run, RunState

ASK_EVERY_SECONDS = 3.0
WAIT_SECONDS = 15
"""How long a run that finds no place waits before it looks again."""


@transaction.atomic
def took_place(run: Run) -> bool:
    """Whether the run may read now; it is marked as running then. One at a time decides, so that no limit is passed."""
    office = Office.objects.select_for_update().first()
    others = list(Run.objects.filter(state=RunState.RUNNING).exclude(id=run.id).values_list("store_id", flat=True))
    if office is not None and len(others) >= office.max_runs:
        return False
    if others.count(run.store_id) >= max(1, run.store.max_writers):
        return False
    if not Run.objects.filter(id=run.id, state__in=ACTIVE).update(state=RunState.RUNNING, next_try_at=None):
        return False  # somebody has ended it meanwhile
    run.state, run.next_try_at = RunState.RUNNING, None
    return True


def speed_limit(device: Device, *, clock: Callable[[], float] = time.monotonic) -> Callable[[], int | None]:
    """Bytes a second that are allowed now: the device's own limit, and its part of the office's. Asked anew every few seconds."""
    asked_at, limit = float("-inf"), device.limit_bytes_per_second

    def current() -> int | None:
        nonlocal asked_at, limit
        if clock() - asked_at >= ASK_EVERY_SECONDS:
            asked_at = clock()
            office = Office.objects.only("limit_bytes_per_second").first()
            own = Device.objects.filter(id=device.id).values_list("limit_bytes_per_second", flat=True).first()
            whole = office.limit_bytes_per_second if office else None
            running = max(1, Run.objects.filter(state=RunState.RUNNING).count()) if whole else 1
            limit = min([found for found in (own, whole // running if whole else None) if found], default=None)
        return limit

    return current
