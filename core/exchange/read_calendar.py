"""Event records from iCalendar files (RFC 5545), understood by the `icalendar` library.

A time stays wall clock with the name of its zone where the zone is in the IANA data, and becomes UTC where
only the file itself describes it. What a record has no field for stays in `other`, line by line.
"""

from collections.abc import Collection, Iterable, Iterator
from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from icalendar import Calendar

from core.content.records import UnreadableRecord
from core.exchange.contentlines import Block, blocks, parsed

_FIELDS = {"UID", "SUMMARY", "DTSTART", "DTEND", "DURATION", "LOCATION", "DESCRIPTION", "RRULE", "ATTENDEE", "DTSTAMP"}


def events(pieces: Iterable[bytes]) -> Iterator[tuple[Block, dict[str, Block]]]:
    """The events of a file, each with the zones that the file has described so far; for `event`."""
    zones: dict[str, Block] = {}
    for block in blocks(pieces, names=frozenset({"VEVENT", "VTIMEZONE"})):
        if block.name == "VEVENT":
            yield block, zones
        elif not block.trouble:
            for raw in block.lines:
                line = parsed(raw)
                if line is not None and line.name == "TZID":
                    zones[line.value] = block


def event(block: Block, zones: dict[str, Block]) -> tuple[str, dict[str, Any]]:
    """(its UID or nothing, record). Raises UnreadableRecord when it has no start that can be understood."""
    lines = [line for raw in block.lines if (line := parsed(raw)) is not None]
    named = {value for line in lines for value in line.params.get("TZID", ())}
    described = [zones[name] for name in sorted(named) if name in zones and _zone(name) is None]
    whole = ["BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//x//"]
    for zone in described:
        whole += ["BEGIN:VTIMEZONE", *zone.lines, "END:VTIMEZONE"]
    whole += ["BEGIN:VEVENT", *block.lines, "END:VEVENT", "END:VCALENDAR"]
    try:
        read = Calendar.from_ical("\r\n".join(whole)).walk("VEVENT")[0]
        start = read.decoded("dtstart")
        end = _end(read, start)
        record = {"title": str(read.get("summary", ""))} | _times(start, end)
    except (ValueError, KeyError, IndexError, TypeError, AttributeError, OverflowError) as error:
        raise UnreadableRecord("The event has no start that can be understood.") from error
    for name, field in (("location", "place"), ("description", "note")):
        if value := str(read.get(name, "")):
            record[field] = value
    own = [line for line in map(parsed, _own(block)) if line is not None]
    if rule := next((line.value for line in own if line.name == "RRULE"), ""):
        record["repeat"] = rule
    if invited := [line.value.removeprefix("mailto:").removeprefix("MAILTO:") for line in own if line.name == "ATTENDEE"]:
        record["attendees"] = invited
    lost = {"DURATION", "DTEND"} if end is None else set()  # it has none, or none that can be understood
    other = _other(block, lost)
    if isinstance(start, datetime) and start.tzinfo is None:  # a zone that neither the file nor anybody describes
        other += [f"X-UNKNOWN-TZID:{name}" for name in sorted(named) if name not in zones and _zone(name) is None]
    if other:
        record["other"] = other
    return str(read.get("uid", "")), {name: value for name, value in record.items() if value not in ("", None)}


def _end(read: Any, start: datetime | date) -> datetime | date | None:
    if "dtend" in read:
        end = read.decoded("dtend")
        fits = isinstance(end, datetime) or (isinstance(end, date) and not isinstance(start, datetime))  # a day is no end of a time
        return end if fits else None
    length = read.decoded("duration") if "duration" in read else None
    try:
        return start + length if isinstance(length, timedelta) else None
    except OverflowError:  # behind the end of all calendars
        return None


def _times(start: datetime | date, end: datetime | date | None) -> dict[str, Any]:
    if not isinstance(start, datetime):
        fields: dict[str, Any] = {"start": start.isoformat(), "all_day": True}
        if end is not None:
            fields["end"] = (end.date() if isinstance(end, datetime) else end).isoformat()
        return fields
    zone = _key(start)
    fields = {"start": _written(start, zone)}
    if isinstance(end, datetime):
        same = _key(end) == zone
        fields["end"] = _written(end if same else end.astimezone(start.tzinfo), zone)
    return fields | ({"zone": zone} if zone else {})


def _written(instant: datetime, zone: str) -> str:
    """Wall clock in a named zone, a floating time as it is, everything else in UTC."""
    if zone or instant.tzinfo is None:
        return instant.replace(tzinfo=None).isoformat(timespec="minutes" if not instant.second else "seconds")
    return instant.astimezone(UTC).isoformat()


def _key(instant: datetime) -> str:
    """The IANA name of its zone; nothing for UTC, floating times and zones that only the file knows."""
    key = getattr(instant.tzinfo, "key", None)
    return key if isinstance(key, str) and key != "UTC" and _zone(key) is not None else ""


def _zone(name: str) -> ZoneInfo | None:
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return None


def _own(block: Block) -> Iterator[str]:
    """Its lines without those of inner blocks: whom an alarm writes to is not invited."""
    depth = 0
    for raw in block.lines:
        word = raw.partition(":")[0].strip().upper()
        depth += word == "BEGIN"
        if not depth:
            yield raw
        depth -= word == "END"


def _other(block: Block, lost: Collection[str]) -> list[str]:
    """Lines that have no field, or say more than it holds, or whose field is `lost`; inner blocks such as alarms whole."""
    kept, depth = [], 0
    for raw in block.lines:
        line = parsed(raw)
        if line is None:
            continue
        if line.name == "BEGIN":
            depth += 1
        if depth or line.name not in _FIELDS or line.name in lost or (line.name == "ATTENDEE" and line.params):
            kept.append(raw)
        if line.name == "END":
            depth -= 1
    return kept
