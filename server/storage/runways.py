"""How long until a store, or an allowance in it, is full: from what was measured on each day."""

from collections import defaultdict
from collections.abc import Iterable
from datetime import date, datetime, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

from core.quota.lasting import NO_LIMIT, Lasting, lasting
from core.quota.runway import STRETCH_DAYS
from server.people.queries import office_zone
from server.storage.allowances import Allowed
from server.storage.convert import limit_of
from server.storage.models import Store, StoreDay


def days_of(stores: Iterable[Store], *, today: date) -> dict[UUID, list[StoreDay]]:
    """What each held in the last weeks, the oldest first. One query."""
    store_days: dict[UUID, list[StoreDay]] = defaultdict(list)
    since = today - timedelta(days=STRETCH_DAYS)
    rows = StoreDay.objects.filter(store__in=[store.id for store in stores], day__gt=since, day__lte=today).order_by("day")
    for row in rows.only("store_id", "day", "stored_bytes", "going_bytes", "limit_bytes", "counted"):
        store_days[row.store_id].append(row)
    return store_days


def runways(stores: Iterable[Store], *, now: datetime, zone: ZoneInfo | None = None) -> dict[UUID, Lasting]:
    """Of stores. One query, and one for the office's zone where it is not known."""
    stores, today = list(stores), now.astimezone(zone or office_zone()).date()
    days = days_of(stores, today=today)
    return {store.id: of_store(store, days[store.id], today=today) for store in stores}


def of_store(store: Store, days: list[StoreDay], *, today: date) -> Lasting:
    """From the days that were measured."""
    limit = limit_of(store)
    if limit is None:
        return NO_LIMIT
    return lasting([row.day for row in days], [row.stored_bytes - row.going_bytes for row in days], limit, today=today)


def of_allowance(allowed: Allowed, days: list[StoreDay], *, today: date) -> Lasting:
    """To its hard limit; to the soft one where it has no other."""
    key, limit = str(allowed.row.id), allowed.limits.hard_bytes or allowed.limits.soft_bytes
    counted = [row for row in days if key in row.counted]
    assert limit is not None
    return lasting([row.day for row in counted], [row.counted[key] for row in counted], limit, today=today)
