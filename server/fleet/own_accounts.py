"""How long the account of a device's own cloud backup lasts, by what the device told of it."""

from collections.abc import Iterable
from datetime import date, datetime, timedelta

from core.quota.lasting import Lasting, is_soon, lasting
from core.quota.runway import STRETCH_DAYS
from server.fleet.models import Device, OwnCloudTold
from server.people.queries import office_zone


def lasting_of(device: Device, *, now: datetime) -> Lasting | None:
    """None for one that tells no limit. Of the account that it tells now; another one before it is no history of this. One query, and one
    for the office's zone."""
    at = (device.own_cloud or {}).get("told")
    if not at or at["used_bytes"] is None or not at["allowed_bytes"]:
        return None
    rows = OwnCloudTold.objects.filter(device=device, seen_at__gt=now - timedelta(days=STRETCH_DAYS)).order_by("at", "id")
    days = held_by_day(row for row in rows if _same_account(row.told, at))
    return lasting(list(days), list(days.values()), at["allowed_bytes"], today=now.astimezone(office_zone()).date())


def held_by_day(rows: Iterable[OwnCloudTold]) -> dict[date, int]:
    """What was told last on each day, ascending. A row that stands for weeks was so on its first and on its last day."""
    by_day: dict[date, int] = {}
    zone = office_zone()
    for row in rows:
        if row.told is None:
            continue
        for at in (row.at, row.seen_at):
            by_day[at.astimezone(zone).date()] = row.told["used_bytes"]
    return dict(sorted(by_day.items()))


def _same_account(one: dict[str, object] | None, other: dict[str, object]) -> bool:
    return one is not None and one["used_bytes"] is not None and all(one[name] == other[name] for name in ("service", "account"))


def fills_soon(device: Device, *, today: date) -> bool:
    """By what was noted when it told last. Asks the database nothing."""
    noted = (device.own_cloud or {}).get("full_on") or {}
    left = {name: max(0, (date.fromisoformat(on) - today).days) for name, on in noted.items() if on is not None}
    return is_soon(left.get("likely"), left.get("earliest"))
