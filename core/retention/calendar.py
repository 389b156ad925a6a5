"""Instants by the clocks of an office, many at once: which hour, day, ISO 8601 week, month and year each lies in.

Instants are int64 seconds since 1970 in UTC. Offsets come from the zone's own table (`zoneinfo`), looked up by bisection.
"""

from datetime import UTC, date, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np

from core.retention.rule import Period

DAY = 86_400
NEVER = np.iinfo(np.int64).max
"""Later than any instant."""
_EPOCH = date(1970, 1, 1)
_THURSDAY = 3
"""1970-01-01 was one; ISO weeks begin on Monday."""


def seconds_of(instant: datetime) -> int:
    """Whole seconds since 1970, rounded down. Raises ValueError for a naive instant."""
    if instant.tzinfo is None:
        raise ValueError("an instant needs a time zone")
    return int((instant - datetime(1970, 1, 1, tzinfo=UTC)) // timedelta(seconds=1))


def instant_of(seconds: int) -> datetime:
    return datetime(1970, 1, 1, tzinfo=UTC) + timedelta(seconds=seconds)


def offsets(at: np.ndarray, zone: ZoneInfo) -> np.ndarray:
    """Seconds that the zone's clocks are ahead of UTC at each instant."""
    if not len(at):
        return np.zeros(0, dtype=np.int64)
    first, last = instant_of(int(at.min())).year, instant_of(int(at.max())).year
    starts, ahead = _changes(zone, first // 10 * 10, last // 10 * 10 + 10)
    values: np.ndarray = ahead[np.searchsorted(starts, at, side="right") - 1]
    return values


def midnight(day: date, zone: ZoneInfo) -> int:
    """The instant at which a day of the office begins."""
    if day >= date.max - timedelta(days=1):
        return int(NEVER)
    local = datetime(day.year, day.month, day.day, tzinfo=zone)
    return seconds_of(local.astimezone(UTC))


def day_numbers(at: np.ndarray, ahead: np.ndarray) -> np.ndarray:
    values: np.ndarray = (at + ahead) // DAY
    return values


def day_of(number: int) -> date:
    return _EPOCH + timedelta(days=number)


def passed_at(at: np.ndarray, ahead: np.ndarray, period: Period, zone: ZoneInfo) -> np.ndarray:
    """The instant from which on each no longer lies within the period: a midnight of the office."""
    days, where = np.unique(day_numbers(at, ahead), return_inverse=True)
    ends = np.fromiter((midnight(period.passed_on(day_of(int(day))), zone) for day in days), dtype=np.int64, count=len(days))
    values: np.ndarray = ends[where]
    return values


def hours(at: np.ndarray, ahead: np.ndarray) -> np.ndarray:
    """A number for each hour of the office's clocks. One that comes twice on the day of a change is two."""
    local = (at + ahead) // 3600
    values: np.ndarray = local * 4 * DAY + (ahead + DAY)
    return values


def weeks(at: np.ndarray, ahead: np.ndarray) -> np.ndarray:
    return (day_numbers(at, ahead) + _THURSDAY) // 7


def months(at: np.ndarray, ahead: np.ndarray) -> np.ndarray:
    return day_numbers(at, ahead).astype("datetime64[D]").astype("datetime64[M]").astype(np.int64)


def years(at: np.ndarray, ahead: np.ndarray) -> np.ndarray:
    return day_numbers(at, ahead).astype("datetime64[D]").astype("datetime64[Y]").astype(np.int64)


def iso_week(day: date) -> str:
    """`2026-W53`: week and its year by ISO 8601, whose year is not always the calendar's."""
    year, week, _ = day.isocalendar()
    return f"{year}-W{week:02}"


@lru_cache(maxsize=32)
def _changes(zone: ZoneInfo, first_year: int, last_year: int) -> tuple[np.ndarray, np.ndarray]:
    """(instants from which on an offset holds, the offsets), found by halving the days on which it differs."""
    first_year, last_year = max(2, first_year), min(9998, last_year)
    begin = seconds_of(datetime(first_year, 1, 1, tzinfo=UTC)) - DAY
    end = seconds_of(datetime(last_year, 12, 31, tzinfo=UTC)) + 2 * DAY
    starts, ahead = [-(1 << 62)], [_ahead(begin, zone)]
    step = 5 * DAY  # a zone that puts its clocks there and back within five days is not known
    for low in range(begin, end, step):
        if _ahead(low + step, zone) == ahead[-1]:
            continue
        left, right = low, low + step
        while right - left > 1:
            middle = (left + right) // 2
            left, right = (middle, right) if _ahead(middle, zone) == ahead[-1] else (left, middle)
        starts.append(right)
        ahead.append(_ahead(right, zone))
    return np.array(starts, dtype=np.int64), np.array(ahead, dtype=np.int64)


def _ahead(seconds: int, zone: ZoneInfo) -> int:
    offset = instant_of(seconds).astimezone(zone).utcoffset()
    return int(offset.total_seconds()) if offset is not None else 0
