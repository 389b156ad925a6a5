"""iCalendar (RFC 5545) from event records, written by the `icalendar` library.

An event's time is a wall-clock time with the name of its zone, a UTC time, or a whole day. What cannot
be understood is left out of the calendar and told to the caller, who keeps the record itself.
"""

import re
from collections.abc import Callable, Iterable, Iterator
from datetime import UTC, date, datetime, time
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from icalendar import Calendar, Event, Timezone, vRecur

from core.content.records import text, texts

PRODUCT = "-//Old Attic//Export 1//EN"
_END = b"END:VCALENDAR\r\n"
_ZONE = re.compile(r';TZID=("[^"]+"|[^;:]+)', re.I)


def calendar(events: Iterable[tuple[str, dict[str, Any]]], *, now: datetime) -> tuple[bytes, list[str]]:
    """(one VCALENDAR with every event, ids of the events that could not be written)."""
    held, refused = list(events), list[str]()
    zones = zones_of(fields for _, fields in held)
    pieces = list(calendar_pieces(held, now=now, zones=zones, on_refused=refused.append))
    return b"".join(pieces or (_head(()), _END)), refused


def calendar_pieces(
    events: Iterable[tuple[str, dict[str, Any]]], *, now: datetime, zones: Iterable[str], on_refused: Callable[[str], object]
) -> Iterator[bytes]:
    """The same, an event at a time; nothing at all when there is none. `zones`: names of those that are described at its beginning."""
    begun = False
    for id, record in events:
        try:
            written = _event(id, record, now).to_ical()
        except (ValueError, ZoneInfoNotFoundError, OverflowError, OSError):
            on_refused(id)
            continue
        if not begun:
            yield _head(zones)
            begun = True
        yield written
    if begun:
        yield _END


def _head(zones: Iterable[str]) -> bytes:
    whole = Calendar()
    whole.add("prodid", PRODUCT)
    whole.add("version", "2.0")
    for name in sorted(set(zones)):
        try:
            whole.add_component(Timezone.from_tzid(name))
        except (ValueError, ZoneInfoNotFoundError, OSError):
            continue  # an event in it is told as not understood
    return bytes(whole.to_ical().removesuffix(_END))


def zones_of(records: Iterable[dict[str, Any]]) -> set[str]:
    """Names of the zones that events speak of."""
    names = set[str]()
    for record in records:
        if zone := text(record.get("zone")):
            names.add(zone)
        for line in texts(record.get("other")):
            if "TZID=" in line.upper():
                names.update(name.strip('"') for name in _ZONE.findall(line.partition(":")[0]))
    return names - {"UTC"}


def _event(id: str, record: dict[str, Any], now: datetime) -> Event:
    event = Event()
    event.add("uid", uid_of(id, record))
    event.add("dtstamp", now.astimezone(UTC))
    if title := text(record.get("title")):
        event.add("summary", title)
    event.add("dtstart", moment(record.get("start"), record))
    if record.get("end"):
        event.add("dtend", moment(record.get("end"), record))
    for field, name in (("place", "location"), ("note", "description")):
        if value := text(record.get(field)):
            event.add(name, value)
    if rule := text(record.get("repeat")):
        event.add("rrule", vRecur.from_ical(rule))
    kept = _kept(record.get("other"))
    said = _addresses(kept.get("attendee")) if kept else set()
    for attendee in texts(record.get("attendees")):
        if attendee.casefold() not in said:
            event.add("attendee", f"mailto:{attendee}")
    if kept:
        for person in _listed(kept.pop("attendee", None)):
            event.add("attendee", person, encode=False)
        for name, value in kept.items():
            event.setdefault(name, value)
        event.subcomponents.extend(kept.subcomponents)
    return event


def uid_of(id: str, record: dict[str, Any]) -> str:
    """Of the series, for one of its exceptions as well: its item's id is the UID and the occurrence that it stands for."""
    if uid := text(record.get("uid")):
        return uid
    for line in texts(record.get("other")):
        if line.upper().startswith("RECURRENCE-ID"):
            return id.removesuffix(" " + line.partition(":")[2]) or id
    return id


def _listed(value: object) -> list[Any]:
    return value if isinstance(value, list) else [] if value is None else [value]


def _addresses(invited: object) -> set[str]:
    """Of those who are told with their part and answer."""
    return {re.sub("^mailto:", "", str(one), flags=re.I).casefold() for one in _listed(invited)}


def _kept(other: object) -> Event | None:
    """What the event that a record came from held besides; None when it is not whole."""
    lines = [line for line in texts(other) if "\r" not in line and "\n" not in line]
    try:
        event = Event.from_ical("\r\n".join(["BEGIN:VEVENT", *lines, "END:VEVENT"]))
    except ValueError:
        return None
    return event if isinstance(event, Event) else None


def moment(value: object, record: dict[str, Any]) -> datetime | date:
    """When: a date for a whole day, else a time in its zone. Raises ValueError, ZoneInfoNotFoundError."""
    written = text(value)
    if record.get("all_day") is True:
        return date.fromisoformat(written[:10])
    at = datetime.fromisoformat(written)
    if at.tzinfo is not None:
        return at.astimezone(UTC)
    zone = text(record.get("zone"))
    return at.replace(tzinfo=ZoneInfo(zone)) if zone else at


def sortable(value: object, record: dict[str, Any]) -> datetime | None:
    """The start as an instant for lists; None when it cannot be understood."""
    try:
        at = moment(value, record)
    except (ValueError, ZoneInfoNotFoundError, OSError):
        return None
    if not isinstance(at, datetime):
        at = datetime.combine(at, time())
    return at.astimezone(UTC) if at.tzinfo else at.replace(tzinfo=UTC)
