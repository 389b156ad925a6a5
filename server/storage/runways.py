"""How long until a store, or an allowance in it, is full: from what was measured on each day."""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

from core.quota.runway import STRETCH_DAYS, Runway, TooLittle, runway
from server.people.queries import office_zone
from server.storage.allowances import Allowed
from server.storage.convert import limit_of
from server.storage.models import Store, StoreDay


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """A runway in the office's days."""

    days: int | None
    earliest: int | None
    latest: int | None
    full_on: date | None
    pace_bytes: int | None
    """A month of 30 days; None while too little is known."""
    measured_days: int
    says: str
    short: str
    """For a narrow place."""

    @property
    def soon(self) -> bool:
        """Whether it is to be full within three weeks, or may be within one."""
        return (self.days is not None and self.days <= SOON_DAYS) or (self.earliest is not None and self.earliest <= SOON_DAYS // 3)


SOON_DAYS = 21
NO_LIMIT = Told(
    days=None, earliest=None, latest=None, full_on=None, pace_bytes=None, measured_days=0, says="Nothing limits it.", short="no limit"
)


def days_of(stores: Iterable[Store], *, today: date) -> dict[UUID, list[StoreDay]]:
    """What each held in the last weeks, the oldest first. One query."""
    found: dict[UUID, list[StoreDay]] = defaultdict(list)
    since = today - timedelta(days=STRETCH_DAYS)
    rows = StoreDay.objects.filter(store__in=[store.id for store in stores], day__gt=since, day__lte=today).order_by("day")
    for row in rows.only("store_id", "day", "stored_bytes", "going_bytes", "limit_bytes", "counted"):
        found[row.store_id].append(row)
    return found


def runways(stores: Iterable[Store], *, now: datetime, zone: ZoneInfo | None = None) -> dict[UUID, Told]:
    """Of stores. One query, and one for the office's zone where it is not known."""
    stores, today = list(stores), now.astimezone(zone or office_zone()).date()
    days = days_of(stores, today=today)
    return {store.id: of_store(store, days[store.id], today=today) for store in stores}


def of_store(store: Store, days: list[StoreDay], *, today: date) -> Told:
    limit = limit_of(store)
    if limit is None:
        return NO_LIMIT
    return _told(days, [row.stored_bytes - row.going_bytes for row in days], limit, today)


def of_allowance(allowed: Allowed, days: list[StoreDay], *, today: date) -> Told:
    """To its hard limit; to the soft one where it has no other."""
    key, limit = str(allowed.row.id), allowed.limits.hard_bytes or allowed.limits.soft_bytes
    counted = [row for row in days if key in row.counted]
    assert limit is not None
    return _told(counted, [row.counted[key] for row in counted], limit, today)


def _told(rows: list[StoreDay], held: list[int], limit: int, today: date) -> Told:
    found = runway([row.day.toordinal() for row in rows], held, limit)
    if isinstance(found, TooLittle):
        if held and held[-1] >= limit:
            return _full(len(rows))
        says = f"Too little is known yet: it was measured on {len(rows)} {'day' if len(rows) == 1 else 'days'}."
        return Told(
            days=None, earliest=None, latest=None, full_on=None, pace_bytes=None, measured_days=len(rows), says=says, short="not known yet"
        )
    behind = (today - rows[-1].day).days
    days, earliest, latest = (_left(one, behind) for one in (found.days, found.earliest, found.latest))
    pace = round(found.trend.pace * 30)
    if days == 0:
        return _full(len(rows), pace)
    return Told(
        days=days, earliest=earliest, latest=latest, full_on=None if days is None else today + timedelta(days=days), pace_bytes=pace,
        measured_days=len(rows), says=_says(days, earliest, latest, found), short=_short(days, earliest, latest, found),
    )  # fmt: skip


def _full(measured: int, pace: int | None = None) -> Told:
    return Told(days=0, earliest=0, latest=0, full_on=None, pace_bytes=pace, measured_days=measured, says="It is full.", short="full")


def _left(days: float | None, behind: int) -> int | None:
    """Nothing only for what is full: less than a day is one."""
    if days is None or days == 0:
        return None if days is None else 0
    return max(1, round(days) - behind)


def _says(days: int | None, earliest: int | None, latest: int | None, found: Runway) -> str:
    if days is None and earliest is None:
        return "It lasts for more than a year." if found.trend.grows else "It does not grow."
    if days is None:
        return f"It lasts for more than a year; {_counted(earliest)} if it grows as it did at its fastest."
    return f"Full in {_counted(days)} ({earliest} to {'more than a year' if latest is None else latest})."


def _short(days: int | None, earliest: int | None, latest: int | None, found: Runway) -> str:
    if days is None:
        return "more than a year" if found.trend.grows or earliest is not None else "does not grow"
    return f"full in {_counted(days)} ({earliest} to {'a year or more' if latest is None else latest})"


def _counted(days: int | None) -> str:
    return f"{days} {'day' if days == 1 else 'days'}"
