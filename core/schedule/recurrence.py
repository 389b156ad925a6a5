"""Occurrences of a recurrence rule (RFC 5545) in the office's zone.

Rules are expanded on the wall clock by `dateutil` and then placed in the zone. On a day when clocks
change: a time that does not exist is read with the offset before the gap (RFC 5545 §3.3.5), so the
run takes place later by the clock instead of not at all; a time that comes twice counts once, the
first time. Days that are skipped (exceptions, office holidays) are days of the wall clock.
"""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import MAXYEAR, UTC, date, datetime, time, timedelta
from enum import StrEnum
from functools import lru_cache
from itertools import islice, pairwise
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from dateutil.rrule import rrule, rrulestr

from core.errors import BadInput
from core.units import aware

WEEKDAYS = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
_EVEN = ("FREQ=WEEKLY;BYDAY=", "FREQ=DAILY")
MAX_GAP_DAYS = 400
"""How far ahead an occurrence is searched before a rule counts as over."""
MAX_RULE_LENGTH = 300
SEARCHED_YEARS = 8
"""A rule that does not occur within this time after its start counts as one that never does; a leap day comes in between."""
_DAY = "(?:MO|TU|WE|TH|FR|SA|SU)"
_AT_MOST = {
    "BYSECOND": 59, "BYMINUTE": 59, "BYHOUR": 23, "BYMONTHDAY": 31, "BYYEARDAY": 366, "BYWEEKNO": 53, "BYMONTH": 12, "BYSETPOS": 366,
}  # fmt: skip
_FROM_ZERO = {"BYSECOND", "BYMINUTE", "BYHOUR"}
_FROM_THE_END = {"BYMONTHDAY", "BYYEARDAY", "BYWEEKNO", "BYSETPOS"}
_WORDS = {
    "FREQ": re.compile("DAILY|WEEKLY|MONTHLY|YEARLY|HOURLY|MINUTELY|SECONDLY"), "WKST": re.compile(_DAY), "UNTIL": re.compile(".+"),
    "BYDAY": re.compile(rf"(?:[-+]?(?:[1-9]|[1-4][0-9]|5[0-3]))?{_DAY}"), "INTERVAL": re.compile("0*[1-9][0-9]{0,5}"),
    "COUNT": re.compile("0*[1-9][0-9]{0,5}"),
}  # fmt: skip
"""Parts of a rule and what may stand in them (RFC 5545 §3.3.10); `dateutil` takes others and looks for their days for ever."""
_STEPS = {"HOURLY": timedelta(hours=1), "MINUTELY": timedelta(minutes=1), "SECONDLY": timedelta(seconds=1)}
_WITHIN_A_DAY = _STEPS.keys()
FIRST_YEAR = 1970
"""No plan begins earlier."""
LAST_YEARS = MAXYEAR - 2 * 28
"""In 28 years each day of the week falls on each day of the year, as long as no century ends."""
SHORTEST_GAP = timedelta(minutes=15)
CHECKED_OCCURRENCES = 400


class ClockChange(StrEnum):
    """What a change of clocks does to an occurrence."""

    NONE = ""
    MOVED = "moved"
    """Its wall-clock time does not exist on that day: it comes later by the clock."""
    TWICE = "twice"
    """Its wall-clock time comes twice: it counts the first time."""
    NEAR = "near"
    """Clocks change within twelve hours of it: the night is longer or shorter than others."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Recurrence:
    """A rule on the wall clock of a zone."""

    rule: str
    """An RRULE value, for example `FREQ=WEEKLY;BYDAY=MO,WE`."""
    start: datetime
    """Wall-clock time of the first possible occurrence; without zone."""
    zone: ZoneInfo
    until: date | None = None
    """Last day on which it may occur."""
    skipped: frozenset[date] = frozenset()
    """Days on which it does not occur: exceptions, office holidays."""

    def __post_init__(self) -> None:
        if self.start.tzinfo is not None:
            raise ValueError("a recurrence starts on the wall clock, without zone")
        self._rule()

    def between(self, after: datetime, until: datetime) -> Iterator[datetime]:
        """Occurrences in (after, until], aware UTC, ascending."""
        day = timedelta(days=2)  # wall clock and UTC differ by up to 14 hours, a jump of the zone by another day: search wider, then cut
        first = aware(after).astimezone(self.zone).replace(tzinfo=None) - day
        last = aware(until).astimezone(self.zone).replace(tzinfo=None) + day
        before: datetime | None = None
        for wall in self._rule(near=first).between(first, last, inc=True):
            if wall.date() in self.skipped or (self.until is not None and wall.date() > self.until):
                continue
            instant = wall.replace(tzinfo=self.zone).astimezone(UTC)
            if aware(after) < instant <= aware(until) and instant != before:
                before = instant
                yield instant

    def following(self, after: datetime, count: int) -> list[datetime]:
        """The next `count` occurrences; fewer when the rule ends."""
        moments: list[datetime] = []
        start, reach = max(aware(after), self.start.replace(tzinfo=UTC) - timedelta(days=2)), timedelta(days=8)
        while len(moments) < count and reach.days <= MAX_GAP_DAYS * 4:
            new = list(self.between(start, start + reach))
            moments += new[: count - len(moments)]
            start, reach = start + reach, (timedelta(days=8) if new else reach * 2)
        return moments

    def _rule(self, near: datetime | None = None) -> rrule:
        """The expanded rule; one that repeats every minute, hour, day or week alike need not be walked from its start."""
        start = self.start if near is None else _nearer(self.rule, self.start, datetime.combine(near.date() - timedelta(days=7), time()))
        return _expanded(self.rule, start, self.zone)


def _nearer(rule: str, start: datetime, near: datetime) -> datetime:
    """A start not long before `near` with the same occurrences from there on."""
    parts = dict(part.partition("=")[::2] for part in rule.upper().split(";"))
    step = _STEPS.get(parts.get("FREQ", ""))
    if step is not None and start < near and not {"COUNT", "BYSETPOS"} & parts.keys():
        step *= int(parts.get("INTERVAL", "1"))
        return start + (near - start) // step * step
    if rule.startswith(_EVEN) and not any(word in rule for word in ("INTERVAL", "COUNT", "BYSET")):
        return max(start, datetime.combine(near.date(), start.time()))
    return start


@lru_cache(maxsize=512)
def _expanded(rule: str, start: datetime, zone: ZoneInfo) -> rrule:
    """Raises BadInput. UNTIL in UTC is put on the wall clock (RFC 5545 §3.3.10: with a zoned start it is given in UTC)."""
    try:
        if any(mark in rule for mark in ("\n", "\r", ":")) or len(rule) > MAX_RULE_LENGTH:
            raise ValueError("more than one rule")
        parts = [_on_the_wall(part, zone) for part in rule.split(";")]
        made = rrulestr(";".join(parts), dtstart=start, ignoretz=True, cache=True)
    except (ValueError, TypeError, KeyError, AttributeError, OverflowError):
        raise _none(rule) from None
    if not isinstance(made, rrule):
        raise BadInput(f"{rule[:120]!r} is more than one rule.", field="rule", remedy="Give one RRULE value.")
    return made


def _parts(rule: str) -> dict[str, str]:
    """What each part of a rule holds. Raises BadInput for what the standard does not let stand there."""
    told = {name.strip(): value.strip() for name, _, value in (part.partition("=") for part in rule.upper().split(";"))}
    good = all(_may_stand(name, one.strip()) for name, value in told.items() for one in value.split(","))
    if not good or ("BYSETPOS" in told and told.get("FREQ") in _WITHIN_A_DAY):  # of one moment there is no second
        raise _none(rule)
    return told


def _may_stand(name: str, value: str) -> bool:
    if name in _WORDS:
        return _WORDS[name].fullmatch(value) is not None
    number = value[1:] if name in _FROM_THE_END and value[:1] in ("-", "+") else value
    return name in _AT_MOST and number.isdecimal() and (0 if name in _FROM_ZERO else 1) <= int(number) <= _AT_MOST[name]


def _none(rule: str) -> BadInput:
    return BadInput(f"{rule[:120]!r} is no recurrence rule.", field="rule", remedy="Choose days and a time.")


def _on_the_wall(part: str, zone: ZoneInfo) -> str:
    name, _, value = part.partition("=")
    if name.strip().upper() != "UNTIL" or not value.strip().upper().endswith("Z"):
        return part
    instant = datetime.strptime(value.strip().upper(), "%Y%m%dT%H%M%SZ").replace(tzinfo=UTC)
    return f"UNTIL={instant.astimezone(zone):%Y%m%dT%H%M%S}"


def checked(recurrence: Recurrence) -> Recurrence:
    """The same one. Raises BadInput for a rule that never occurs, ends before it starts, or occurs too often to back anything up."""
    if recurrence.until is not None and recurrence.until < recurrence.start.date():
        raise BadInput(
            f"It would end on {recurrence.until} and start on {recurrence.start.date()}.",
            field="ends_on",
            remedy="Let it end after it starts, or leave the end out.",
        )
    if recurrence.start.year < FIRST_YEAR:
        raise BadInput("Its first day is long past.", field="starts_on", remedy=f"Choose one from {FIRST_YEAR} on.")
    if recurrence.start.year > LAST_YEARS:
        raise BadInput("Its first day lies at the end of all calendars.", field="starts_on", remedy="Choose an earlier one.")
    if "SECONDLY" in recurrence.rule.upper():
        raise _too_often()
    if not occurs(recurrence.rule, recurrence.start):
        raise _never()
    until = recurrence.start + timedelta(days=SEARCHED_YEARS * 366)
    rule = recurrence._rule()
    own_until, own_count = getattr(rule, "_until", None), getattr(rule, "_count", None)
    bounded = rule.replace(count=None, until=min(until, own_until) if own_until else until)
    try:
        first = list(islice(bounded, min(CHECKED_OCCURRENCES, own_count or CHECKED_OCCURRENCES)))
    except ValueError:  # hours and minutes that no step of the rule comes to
        raise _never() from None
    if not first:
        raise _never()
    if any(after - before < SHORTEST_GAP for before, after in pairwise(first)):
        raise _too_often()
    if all(wall.date() in recurrence.skipped or (recurrence.until and wall.date() > recurrence.until) for wall in first):
        raise BadInput("Every date of this rule is an exception or lies after its end.", field="rule", remedy="Leave a date free.")
    return recurrence


def occurs(rule: str, start: datetime) -> bool:
    """Whether any day is one of the rule, however late: judged in the last years that there are, since `dateutil` looks for one until
    then. They begin with the year whose days of the week, leap day and the ones after are those of the start's. Raises BadInput."""
    parts = _parts(rule)
    ends = {"COUNT", "UNTIL"}
    if parts.get("FREQ") in _WITHIN_A_DAY:
        parts["FREQ"], ends = "DAILY", ends | {"INTERVAL", "BYHOUR", "BYMINUTE", "BYSECOND", "BYSETPOS"}
    endless = ";".join(f"{name}={value}" for name, value in parts.items() if name not in ends)
    like = (start.year % 4, date(start.year, 1, 1).weekday())
    year = next(year for year in range(LAST_YEARS, LAST_YEARS + 28) if (year % 4, date(year, 1, 1).weekday()) == like)
    late = start.replace(year=year, tzinfo=None)
    try:
        return next(iter(_expanded(endless, late, ZoneInfo("UTC"))), None) is not None
    except ValueError:  # a week of it would end after the last day that there is
        return False


def _never() -> BadInput:
    remedy = "Choose days that exist (there is no 30 February), and hours that its steps come to."
    return BadInput("This rule never occurs.", field="rule", remedy=remedy)


def _too_often() -> BadInput:
    return BadInput("This rule occurs more often than every 15 minutes.", field="rule", remedy="Leave at least 15 minutes in between.")


def clock_change(instant: datetime, at: time | None, zone: ZoneInfo) -> ClockChange:
    """What a change of clocks does to an occurrence that was planned for `at` on the wall clock; None if nobody knows."""
    local = aware(instant).astimezone(zone)
    if at is not None and local.time().replace(tzinfo=None) != at:
        return ClockChange.MOVED
    if local.replace(fold=1).utcoffset() != local.replace(fold=0).utcoffset():
        return ClockChange.TWICE
    half_a_day = timedelta(hours=12)
    around = {(aware(instant) + step).astimezone(zone).utcoffset() for step in (-half_a_day, timedelta(), half_a_day)}
    return ClockChange.NEAR if len(around) > 1 else ClockChange.NONE


def zone_named(name: str) -> ZoneInfo:
    """The time zone with this IANA name. Raises BadInput."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise BadInput(
            f"There is no time zone called {name!r}.", field="zone", remedy="Choose one from the list, such as Europe/Berlin."
        ) from None


def weekly(days: Iterable[int], at: time, zone: ZoneInfo, *, since: date = date(2020, 1, 1)) -> Recurrence:
    """On these weekdays (0 is Monday) at this time. Raises BadInput without a day."""
    return Recurrence(rule=weekly_rule(days), start=datetime.combine(since, at), zone=zone)


def weekly_rule(days: Iterable[int]) -> str:
    """The RRULE value of these weekdays (0 is Monday). Raises BadInput without a day."""
    chosen = sorted(set(days))
    if not chosen:
        raise BadInput("No day is chosen.", field="days", remedy="Choose at least one day of the week.")
    if not all(0 <= day <= 6 for day in chosen):
        raise BadInput("A weekday is a number from 0 (Monday) to 6 (Sunday).", field="days")
    return "FREQ=WEEKLY;BYDAY=" + ",".join(WEEKDAYS[day] for day in chosen)
