"""Nights: the office's day by which backups are counted. A night lasts from noon to noon and is named after its evening."""

from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from core.units import aware


def night_of(instant: datetime, zone: ZoneInfo) -> date:
    """The night in which an instant lies: 00:40 on the 10th belongs to the 9th."""
    return (aware(instant).astimezone(zone).replace(tzinfo=None) - timedelta(hours=12)).date()


def bounds(night: date, zone: ZoneInfo) -> tuple[datetime, datetime]:
    """First instant of the night and the first one after it, UTC."""
    noon = time(12)
    start = datetime.combine(night, noon, zone)
    return aware(start), aware(datetime.combine(night + timedelta(days=1), noon, zone))


def coming_night(now: datetime, zone: ZoneInfo) -> date:
    """The night that lies ahead or is under way: from six in the morning on it is the coming one."""
    local = aware(now).astimezone(zone)
    return local.date() if local.hour >= 6 else night_of(now, zone)
