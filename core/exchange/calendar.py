"""iCalendar (RFC 5545) from event records, written by the `icalendar` library.

An event's time is a wall-clock time with the name of its zone, a UTC time, or a whole day. What cannot
be understood is left out of the calendar and told to the caller, who keeps the record itself.
"""

from collections.abc import Iterable
from datetime import UTC, date, datetime, time
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from icalendar import Calendar, Event, vRecur

from core.content.records import text, texts

PRODUCT = "-//Old Attic//Export 1//EN"


def calendar(events: Iterable[tuple[str, dict[str, Any]]], *, now: datetime) -> tuple[bytes, list[str]]:
    """(one VCALENDAR with every event, ids of the events that could not be written)."""
    whole, refused = Calendar(), []
    whole.add("prodid", PRODUCT)
    whole.add("version", "2.0")
    for id, record in events:
        try:
            whole.add_component(_event(id, record, now))
        except (ValueError, ZoneInfoNotFoundError, OverflowError, OSError):
            refused.append(id)
    whole.add_missing_timezones()
    return whole.to_ical(), refused


def _event(id: str, record: dict[str, Any], now: datetime) -> Event:
    event = Event()
    event.add("uid", id)
    event.add("dtstamp", now.astimezone(UTC))
    event.add("summary", text(record.get("title")) or "(no title)")
    event.add("dtstart", moment(record.get("start"), record))
    if record.get("end"):
        event.add("dtend", moment(record.get("end"), record))
    for field, name in (("place", "location"), ("note", "description")):
        if value := text(record.get(field)):
            event.add(name, value)
    if rule := text(record.get("repeat")):
        event.add("rrule", vRecur.from_ical(rule))
    for attendee in texts(record.get("attendees")):
        event.add("attendee", f"mailto:{attendee}")
    if kept := _kept(record.get("other")):
        for name, value in kept.items():
            event.setdefault(name, value)
        event.subcomponents.extend(kept.subcomponents)
    return event


def _kept(other: object) -> Event | None:
    """What the event that a record came from held besides; None when it is not whole."""
    lines = [line for line in texts(other) if "\r" not in line and "\n" not in line]
    try:
        found = Event.from_ical("\r\n".join(["BEGIN:VEVENT", *lines, "END:VEVENT"])) if lines else None
    except ValueError:
        return None
    return found if isinstance(found, Event) else None


def moment(value: object, record: dict[str, Any]) -> datetime | date:
    """When: a date for a whole day, else a time in its zone. Raises ValueError, ZoneInfoNotFoundError."""
    written = text(value)
    if record.get("all_day") is True:
        return date.fromisoformat(written[:10])
    found = datetime.fromisoformat(written)
    if found.tzinfo is not None:
        return found.astimezone(UTC)
    zone = text(record.get("zone"))
    return found.replace(tzinfo=ZoneInfo(zone)) if zone else found


def sortable(value: object, record: dict[str, Any]) -> datetime | None:
    """The start as an instant for lists; None when it cannot be understood."""
    try:
        found = moment(value, record)
    except (ValueError, ZoneInfoNotFoundError, OSError):
        return None
    if not isinstance(found, datetime):
        found = datetime.combine(found, time())
    return found.astimezone(UTC) if found.tzinfo else found.replace(tzinfo=UTC)
