"""Keep the memory of what needs a person in step: it opens with a cause, gathers its devices, closes when it is gone.

A cause that comes back within hours is the same incident again, so that nothing is announced twice.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any
from uuid import UUID

from django.db import transaction

from core.errors import BadInput
from server.fleet.models import Device
from server.oversight.cause import Cause
from server.oversight.models import Event, Incident, IncidentDevice, IncidentEvent
from server.people.actions.journal import write_journal
from server.people.models import User
from server.people.queries import office_zone

COMES_BACK = timedelta(hours=12)
"""A cause that is back within this time goes on as the same incident."""
NAMED = 6


@dataclass(frozen=True, slots=True)
class Refreshed:
    """What one look at the causes has changed."""

    opened: list[Incident]
    """New ones; those that came back are not among them."""
    returned: list[Incident]
    closed: list[Incident]


@transaction.atomic
def refresh_incidents(causes_now: Sequence[Cause], *, now: datetime) -> Refreshed:
    """Put the memory in step with what is there. One at a time: the caller sees to that."""
    causes = {cause.code: cause for cause in causes_now}
    rows = {row.code: row for row in Incident.objects.select_for_update().filter(closed_at__isnull=True)}
    closed = [row for code, row in rows.items() if code not in causes]
    for ended in closed:
        ended.closed_at = now
    Incident.objects.bulk_update(closed, ["closed_at"])
    IncidentDevice.objects.filter(incident__in=closed, until__isnull=True).update(until=now)
    events = [IncidentEvent(incident=row, at=now, what=Event.GONE) for row in closed]
    back = _recent([code for code in causes if code not in rows], now)
    opened: list[Incident] = []
    returned: list[Incident] = []
    changed: list[Incident] = []
    for code, cause in causes.items():
        row: Incident | None = rows.get(code) or back.get(code)
        if row is None:
            row = Incident(code=code, opened_at=now)
            opened.append(row)
            events.append(IncidentEvent(incident=row, at=now, what=Event.BEGAN, facts=_with(cause)))
        elif row.closed_at is not None:
            row.closed_at = None
            returned.append(row)
            events.append(IncidentEvent(incident=row, at=now, what=Event.BACK))
        row.mark, row.kind, row.facts, row.store = cause.mark, cause.kind, cause.facts, cause.store
        if row not in opened:
            changed.append(row)
        rows[code] = row
    Incident.objects.bulk_create(opened)
    Incident.objects.bulk_update(changed, ["closed_at", "mark", "kind", "facts", "store"])
    IncidentEvent.objects.bulk_create(events)
    _keep_devices(causes, rows, {row.id for row in opened}, now)
    return Refreshed(opened, returned, closed)


def _recent(codes: list[str], now: datetime) -> dict[str, Incident]:
    rows = Incident.objects.filter(code__in=codes, closed_at__gte=now - COMES_BACK).order_by("closed_at")
    return {row.code: row for row in rows}


def _keep_devices(causes: dict[str, Cause], rows: dict[str, Incident], new: set[UUID], now: datetime) -> None:
    there: dict[UUID, dict[UUID, IncidentDevice]] = {}
    open_ones = IncidentDevice.objects.filter(incident__in=[rows[code].id for code in causes], until__isnull=True)
    for entry in open_ones.select_related("device__holder"):
        there.setdefault(entry.incident_id, {})[entry.device_id] = entry
    made, gone, events = [], [], []
    for code, cause in causes.items():
        row = rows[code]
        wanted = {standing.device.id: standing.device for standing in cause.devices}
        had = there.get(row.id, {})
        joined = [device for id, device in wanted.items() if id not in had]
        left = [entry for id, entry in had.items() if id not in wanted]
        made += [IncidentDevice(incident=row, device_id=device.id, since=now) for device in joined]
        for entry in left:
            entry.until = now
        gone += left
        if joined and row.id not in new:
            events.append(IncidentEvent(incident=row, at=now, what=Event.JOINED, facts=_names(joined)))
        if left:
            events.append(IncidentEvent(incident=row, at=now, what=Event.LEFT, facts=_names([entry.device for entry in left])))
    IncidentDevice.objects.bulk_create(made, ignore_conflicts=True)
    IncidentDevice.objects.bulk_update(gone, ["until"])
    IncidentEvent.objects.bulk_create(events)


def _with(cause: Cause) -> dict[str, Any]:
    return {"way": "with", "count": len(cause.devices)} if cause.devices else {}


def _names(devices: list[Device]) -> dict[str, Any]:
    return {"devices": [f"{one.name} ({one.holder.name})" for one in devices[:NAMED]], "more": max(0, len(devices) - NAMED)}


@transaction.atomic
def put_off(incident: Incident, *, until: date, why: str, by: User, now: datetime) -> None:
    """It does not count until that day. Raises BadInput."""
    if until <= now.astimezone(office_zone()).date():
        raise BadInput("That day is not ahead.", field="until", remedy="Give the first day on which it should be here again.")
    if not why.strip():
        raise BadInput("Putting it off needs a reason.", field="why", remedy="Say what it waits for, for example a spare part.")
    incident.put_off_until, incident.put_off_why, incident.put_off_by = until, why.strip()[:200], by
    incident.save(update_fields=["put_off_until", "put_off_why", "put_off_by"])
    facts = {"until": until.isoformat(), "why": incident.put_off_why}
    IncidentEvent.objects.create(incident=incident, at=now, who=by, what=Event.PUT_OFF, facts=facts)
    write_journal(who=by, what="matter.put_off", facts={"says": incident.says[:200], **facts}, at=now)


@transaction.atomic
def take_up(incident: Incident, *, by: User, now: datetime) -> None:
    """It counts again at once."""
    if incident.put_off_until is not None:
        incident.put_off_until, incident.put_off_why, incident.put_off_by = None, "", None
        incident.save(update_fields=["put_off_until", "put_off_why", "put_off_by"])
        IncidentEvent.objects.create(incident=incident, at=now, who=by, what=Event.TAKEN_UP)
