"""Office holidays in, the dates of a plan out: both iCalendar (RFC 5545), read and written with `icalendar`, repeated by
`recurring-ical-events`."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import recurring_ical_events
from icalendar import Calendar, Component, Event

from core.errors import BadInput
from core.schedule.recurrence import occurs
from core.units import aware

MAX_BYTES = 1024 * 1024
MAX_DAYS = 2000
MAX_REPEATING = 500
MAX_OCCURRENCES = 20_000
LONGEST_DAYS = 120
"""No holiday lasts longer; whatever does is no holiday."""
EXPANDED_YEARS = 3
_WINDOW = timedelta(days=60)
FIRST_YEAR = 1900
"""Nothing that repeats begins earlier."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Holiday:
    day: date
    name: str


def read_holidays(text: bytes, *, today: date) -> list[Holiday]:
    """Every day that a calendar's events cover, from a year before `today` on, once each, ascending.

    Yearly events are expanded for three years. Raises BadInput for what is no calendar, is too large or holds no day.
    """
    if len(text) > MAX_BYTES:
        raise BadInput("This file is larger than 1 MiB.", field="file", remedy="Export the office's holidays only, not a whole calendar.")
    try:
        calendars = Calendar.from_ical(text, multiple=True)
        events = [event for calendar in calendars for event in calendar.walk("VEVENT")]
    except (ValueError, KeyError, IndexError, TypeError, AttributeError):
        raise BadInput("This is no iCalendar file.", field="file", remedy="Choose a file with holidays that ends in .ics.") from None
    if sum("RRULE" in event for event in events) > MAX_REPEATING:
        raise BadInput(f"More than {MAX_REPEATING} of its events repeat.", field="file", remedy="Export the office's holidays only.")
    for event in events:
        _checked(event)
    first, last = today - timedelta(days=366), today + timedelta(days=366 * EXPANDED_YEARS)
    names: dict[date, str] = {}
    for begin, length, name in (time for calendar in calendars for time in _times(calendar, first, last)):
        for step in range(length):
            day = begin + timedelta(days=step)
            if first <= day <= last:
                names.setdefault(day, name)
        if len(names) > MAX_DAYS:
            raise BadInput(f"It holds more than {MAX_DAYS} days.", field="file", remedy="Export the office's holidays only.")
    if not names:
        raise BadInput("There is no holiday of this year or later in it.", field="file", remedy="Choose the calendar of the coming years.")
    return [Holiday(day=day, name=name) for day, name in sorted(names.items())]


def _value(event: Component, name: str) -> object:
    """What a date or duration property holds; None without one. Raises BadInput for one that cannot be read."""
    try:
        return getattr(event[name], "dt", None) if name in event else None
    except (AttributeError, KeyError, TypeError, ValueError):
        raise BadInput("An event in it has no date.", field="file", remedy="Repair or remove that event.") from None


def _checked(event: Component) -> None:
    """Raises BadInput for one that is no holiday."""
    begin, end, lasts = _value(event, "DTSTART"), _value(event, "DTEND"), _value(event, "DURATION")
    if not isinstance(begin, date):
        raise BadInput("An event in it has no date.", field="file", remedy="Repair or remove that event.")
    try:
        until = end if isinstance(end, date) else begin + lasts if isinstance(lasts, timedelta) else None
    except OverflowError:
        raise BadInput("An event in it lasts longer than any calendar.", field="file", remedy="Give holidays only.") from None
    if until is not None and _day(until) < _day(begin):  # it would be expanded backwards for ever
        raise BadInput("An event in it ends before it begins.", field="file", remedy="Repair or remove that event.")
    length = _length(begin, until)
    if length > LONGEST_DAYS:
        raise BadInput(f"An event in it lasts {length} days.", field="file", remedy="Give holidays only, of up to 120 days each.")
    rules = event.get("RRULE", [])
    if rules and begin.year < FIRST_YEAR:  # each time since then would be looked at
        raise BadInput(f"An event in it repeats since the year {begin.year}.", field="file", remedy="Give holidays only.")
    for rule in rules if isinstance(rules, list) else [rules]:
        try:
            steps = {str(one).upper() for one in rule.get("FREQ", [])}
            written = rule.to_ical().decode()
            takes_place = occurs(written, datetime.combine(_day(begin), datetime.min.time()))
        except (BadInput, AttributeError, KeyError, TypeError, ValueError):
            raise BadInput("An event in it has a rule that cannot be read.", field="file", remedy="Give holidays only.") from None
        if not steps & {"YEARLY", "MONTHLY", "WEEKLY", "DAILY"}:
            raise BadInput("An event in it repeats within a day.", field="file", remedy="Give holidays only.")
        if not takes_place:
            raise BadInput(f"An event in it never takes place: {written[:120]}.", field="file", remedy="Repair or remove that event.")


def _length(begin: date, until: date | None) -> int:
    """Days that it touches. Events end before DTEND (RFC 5545 §3.6.1): one until midnight not on the day that begins then."""
    if until is None:
        return 1
    day, end_day = _day(begin), _day(until)
    on_its_last_day = isinstance(until, datetime) and end_day > day and until.time() != datetime.min.time()
    return max(1, (end_day - day).days + on_its_last_day)


def _day(at: date) -> date:
    return at.date() if isinstance(at, datetime) else at


def _times(calendar: Component, first: date, last: date) -> Iterable[tuple[date, int, str]]:
    """(first day, number of days, name) of each time an event takes place: rules, dates added and taken out, times that were moved.
    Cancelled ones do not. Raises BadInput."""
    number, at = 0, first
    try:
        query = recurring_ical_events.of(calendar)
        while at <= last:  # its own search for what comes next goes on in quarters of an hour where something is every day
            for event in query.between(at, at + _WINDOW):
                number += 1
                if number > MAX_OCCURRENCES:
                    raise BadInput("Its events take place far too often.", field="file", remedy="Export the office's holidays only.")
                if str(event.get("STATUS", "")).upper() != "CANCELLED":
                    begin, until = event["DTSTART"].dt, event["DTEND"].dt if "DTEND" in event else None
                    yield _day(begin), _length(begin, until), " ".join(str(event.get("SUMMARY", "Closed")).split())[:120] or "Closed"
            at += _WINDOW
    except (ValueError, TypeError, KeyError, AttributeError, OverflowError):
        raise BadInput("An event in it has a rule that cannot be read.", field="file", remedy="Give holidays only.") from None


def plan_feed(*, plan: str, plan_id: str, sentence: str, zone: ZoneInfo, runs: Sequence[tuple[datetime, datetime]], now: datetime) -> bytes:
    """A calendar with one event a planned run, from its opening to its closing, times in the office's zone (with VTIMEZONE)."""
    calendar = Calendar()
    calendar.add("prodid", "-//Old Attic//Plans//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", f"Backups: {plan}")
    calendar.add("refresh-interval", timedelta(hours=6), parameters={"VALUE": "DURATION"})
    for opens, closes in runs:
        event = Event()
        event.add("uid", f"{plan_id}-{aware(opens):%Y%m%dT%H%M%SZ}@old-attic")
        event.add("dtstamp", aware(now))
        event.add("dtstart", aware(opens).astimezone(zone))
        event.add("dtend", aware(closes).astimezone(zone))
        event.add("summary", f"Backups by the plan {plan}")
        event.add("description", f"Runs {sentence}; they may start until {aware(closes).astimezone(zone):%H:%M}.")
        event.add("transp", "TRANSPARENT")
        calendar.add_component(event)
    calendar.add_missing_timezones()
    return bytes(calendar.to_ical())
