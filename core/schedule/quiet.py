"""Quiet hours: when somebody may be told something."""

from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

from core.units import aware


def not_before(now: datetime, *, quiet_from: time | None, quiet_until: time | None, zone: ZoneInfo) -> datetime:
    """`now`, or the end of the quiet hours that it lies in. They may cross midnight; the same time twice means none."""
    if quiet_from is None or quiet_until is None or quiet_from == quiet_until:
        return aware(now)
    local = aware(now).astimezone(zone)
    at = local.time().replace(tzinfo=None)
    crosses = quiet_from > quiet_until
    quiet = at >= quiet_from or at < quiet_until if crosses else quiet_from <= at < quiet_until
    if not quiet:
        return aware(now)
    day = local.date() + timedelta(days=1) if crosses and at >= quiet_from else local.date()
    return aware(datetime.combine(day, quiet_until, zone))
