"""Occurrences of a recurrence rule (RFC 5545) in the office's zone.

Rules are expanded on the wall clock by `dateutil` and then placed in the zone. On a day when clocks
change: a time that does not exist is read with the offset before the gap (RFC 5545 §3.3.5), so the
run takes place an hour later by the clock instead of not at all; a time that comes twice counts once,
the first time.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from dateutil.rrule import rrule, rruleset, rrulestr

from core.errors import BadInput
from core.units import aware

WEEKDAYS = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
_EVEN = ("FREQ=WEEKLY;BYDAY=", "FREQ=DAILY")
MAX_GAP_DAYS = 400
"""How far ahead an occurrence is searched before a rule counts as over."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Recurrence:
    """A rule on the wall clock of a zone."""

    rule: str
    """An RRULE value, for example `FREQ=WEEKLY;BYDAY=MO,WE`."""
    start: datetime
    """Wall-clock time of the first possible occurrence; without zone."""
    zone: ZoneInfo

    def __post_init__(self) -> None:
        if self.start.tzinfo is not None:
            raise ValueError("a recurrence starts on the wall clock, without zone")
        self._rule()

    def between(self, after: datetime, until: datetime) -> Iterator[datetime]:
        """Occurrences in (after, until], aware UTC, ascending."""
        day = timedelta(days=1)  # wall clock and UTC differ by less than a day: search wider, then cut
        first = aware(after).astimezone(self.zone).replace(tzinfo=None) - day
        last = aware(until).astimezone(self.zone).replace(tzinfo=None) + day
        for wall in self._rule(near=first).between(first, last, inc=True):
            instant = wall.replace(tzinfo=self.zone).astimezone(UTC)
            if aware(after) < instant <= aware(until):
                yield instant

    def following(self, after: datetime, count: int) -> list[datetime]:
        """The next `count` occurrences; fewer when the rule ends."""
        found: list[datetime] = []
        start, reach = aware(after), timedelta(days=8)
        while len(found) < count and reach.days <= MAX_GAP_DAYS * 4:
            new = list(self.between(start, start + reach))
            found += new[: count - len(found)]
            start, reach = start + reach, (timedelta(days=8) if new else reach * 2)
        return found

    def _rule(self, near: datetime | None = None) -> rrule | rruleset:
        """The expanded rule; one that repeats every week or day alike need not be walked from its start."""
        start = self.start
        if near is not None and self.rule.startswith(_EVEN) and not any(word in self.rule for word in ("INTERVAL", "COUNT", "BYSET")):
            start = max(start, datetime.combine(near.date() - timedelta(days=7), start.time()))
        try:
            return rrulestr(self.rule, dtstart=start, ignoretz=True)
        except (ValueError, TypeError, KeyError):
            raise BadInput(f"{self.rule!r} is no recurrence rule.", field="rule", remedy="Choose days and a time.") from None


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
    chosen = sorted(set(days))
    if not chosen:
        raise BadInput("No day is chosen.", field="days", remedy="Choose at least one day of the week.")
    if not all(0 <= day <= 6 for day in chosen):
        raise BadInput("A weekday is a number from 0 (Monday) to 6 (Sunday).", field="days")
    rule = "FREQ=WEEKLY;BYDAY=" + ",".join(WEEKDAYS[day] for day in chosen)
    return Recurrence(rule=rule, start=datetime.combine(since, at), zone=zone)
