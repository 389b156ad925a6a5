"""How fast a run may read: its device's limit and its part of the office's, divided among those under way."""

import time
from collections.abc import Callable

from server.fleet.models import Device
from server.people.models import Office
from server.runs.models import Run, RunState

ASK_EVERY_SECONDS = 3.0


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
