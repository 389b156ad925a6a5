"""Note which allowances of a store are over their soft limit, and since when. Called within the transaction of a measurement."""

from datetime import datetime

from server.storage.allowances import allowances_in
from server.storage.models import Allowance, Store, StoreDay


def note_allowances(store: Store, day: StoreDay, *, now: datetime) -> None:
    """And what each counts on this day, so that its runway can be told."""
    counted: dict[str, int] = {}
    for allowed in allowances_in([store], now=now):
        since = allowed.limits.over_since(allowed.soft_held, allowed.row.over_since, now=now)
        if since != allowed.row.over_since:
            Allowance.objects.filter(id=allowed.row.id).update(over_since=since)
        counted[str(allowed.row.id)] = allowed.hard_held if allowed.limits.hard_bytes is not None else allowed.soft_held
    day.counted = counted
    day.save(update_fields=["counted"])
