"""Note which allowances of a store are over their soft limit, and since when. Called within the transaction of a measurement."""

from datetime import datetime

from server.storage.allowances import allowances_in
from server.storage.models import Allowance, Store, StoreDay


def note_allowances(store: Store, day: StoreDay, *, now: datetime) -> None:
    """And what each counts on this day, so that its runway can be told."""
    counted: dict[str, int] = {}
    for told in allowances_in([store], now=now):
        since = told.limits.over_since(told.soft_held, told.row.over_since, now=now)
        if since != told.row.over_since:
            Allowance.objects.filter(id=told.row.id).update(over_since=since)
        counted[str(told.row.id)] = told.hard_held if told.limits.hard_bytes is not None else told.soft_held
    day.counted = counted
    day.save(update_fields=["counted"])
