"""Nights: the office's day by which backups are counted. A night lasts from noon to noon and is named after its evening."""

from collections.abc import Iterable
from datetime import date, datetime, time, timedelta
from itertools import pairwise
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


SLICES = 96


def busy(spans: Iterable[tuple[datetime, datetime]], *, opens: datetime, closes: datetime, slices: int = SLICES) -> list[int]:
    """The most spans that go on at the same time, in each of so many equal slices of the time from `opens` to `closes`.

    A span is from its first instant up to its end, which is not in it: one that begins as another ends never meets it. Empty
    when there is no time to cut, or nothing in it.
    """
    width = (aware(closes) - aware(opens)) / slices
    edges = sorted(edge for start, end in spans if end > start for edge in ((aware(start), 1), (aware(end), -1)))
    if width <= timedelta(0) or not edges:
        return []
    most = [0] * slices
    count = 0
    for (at, step), (until, _) in pairwise(edges):
        count += step
        if until > at and until > opens and at < closes:
            first = max(0, int((at - opens) / width))
            last = min(slices - 1, -(-(until - opens) // width) - 1)
            for n in range(first, last + 1):
                most[n] = max(most[n], count)
    return most
