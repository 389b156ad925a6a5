"""How long something lasts, in days and words, from what was measured on each day: for stores, allowances, accounts elsewhere."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from core.quota.runway import Runway, TooLittle, runway

SOON_DAYS = 21


@dataclass(frozen=True, slots=True, kw_only=True)
class Lasting:
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
        return is_soon(self.days, self.earliest)


NO_LIMIT = Lasting(
    days=None, earliest=None, latest=None, full_on=None, pace_bytes=None, measured_days=0, says="Nothing limits it.", short="no limit"
)


def is_soon(days: int | None, earliest: int | None) -> bool:
    return (days is not None and days <= SOON_DAYS) or (earliest is not None and earliest <= SOON_DAYS // 3)


def lasting(days: Sequence[date], held: Sequence[int], limit: int, *, today: date) -> Lasting:
    """`days`: ascending, one each; `held`: bytes on each; `limit`: bytes that it may hold."""
    way = runway([day.toordinal() for day in days], held, limit)
    if isinstance(way, TooLittle):
        if held and held[-1] >= limit:
            return _full(len(days))
        says = f"Too little is known yet: it was measured on {len(days)} {'day' if len(days) == 1 else 'days'}."
        return Lasting(
            days=None, earliest=None, latest=None, full_on=None, pace_bytes=None, measured_days=len(days), says=says, short="not known yet"
        )
    behind = (today - days[-1]).days
    left, earliest, latest = (_left(one, behind) for one in (way.days, way.earliest, way.latest))
    pace = round(way.trend.pace * 30)
    if left == 0:
        return _full(len(days), pace)
    return Lasting(
        days=left, earliest=earliest, latest=latest, full_on=None if left is None else today + timedelta(days=left), pace_bytes=pace,
        measured_days=len(days), says=_says(left, earliest, latest, way), short=_short(left, earliest, latest, way),
    )  # fmt: skip


def _full(measured: int, pace: int | None = None) -> Lasting:
    return Lasting(days=0, earliest=0, latest=0, full_on=None, pace_bytes=pace, measured_days=measured, says="It is full.", short="full")


def _left(days: float | None, behind: int) -> int | None:
    """Nothing only for what is full: less than a day is one."""
    if days is None or days == 0:
        return None if days is None else 0
    return max(1, round(days) - behind)


def _says(days: int | None, earliest: int | None, latest: int | None, way: Runway) -> str:
    if days is None and earliest is None:
        return "It lasts for more than a year." if way.trend.grows else "It does not grow."
    if days is None:
        return f"It lasts for more than a year; {_counted(earliest)} if it grows as it did at its fastest."
    return f"Full in {_counted(days)} ({earliest} to {'more than a year' if latest is None else latest})."


def _short(days: int | None, earliest: int | None, latest: int | None, way: Runway) -> str:
    if days is None:
        return "more than a year" if way.trend.grows or earliest is not None else "does not grow"
    return f"full in {_counted(days)} ({earliest} to {'a year or more' if latest is None else latest})"


def _counted(days: int | None) -> str:
    return f"{days} {'day' if days == 1 else 'days'}"
