"""Reading drives: where each is, whose turn it is, what lies on it, what waits for it, and for how long it is needed then."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db.models import Count, Max, Q, Sum
from django.db.models.functions import Coalesce
from django.shortcuts import get_object_or_404

from core.schedule.rotation import DriveRotation as Turns
from core.schedule.rotation import Turn, letters, overdue_since, returning_seconds
from server.people.queries import office_zone
from server.runs.models import THERE, Copy, CopyState
from server.storage.models import OUT_OF_USE, Drive, DriveState, Rotation, StrangeDrive


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveRow:
    """A removable drive as its page shows it."""

    drive: Drive
    letter: str
    """In its rotation; empty without one."""
    turn: Turn | None
    """Its turn that goes on now, or its next one."""
    has_turn: bool
    overdue_since: date | None
    copies: int
    devices: int
    newest_at: datetime | None
    """Of what lies on it, also while it is elsewhere."""
    owed: int
    owed_bytes: int
    """About what is to be sent: what each of these backups brought anew when it was made."""
    leaving: int
    """Copies that go as soon as it is here."""
    seconds: float | None
    """About how long it is needed; None while its speed is not known."""


def drive_rows(*, now: datetime) -> list[DriveRow]:
    """Every drive but detached ones, by rotation and turn. Two queries, beside the office's zone."""
    zone = office_zone()
    day = now.astimezone(zone).date()
    drives = list(Drive.objects.select_related("store", "rotation").exclude(store__mode__in=OUT_OF_USE))
    drives.sort(key=lambda one: (one.rotation is None, one.rotation.name if one.rotation else "", one.place, one.store.name))
    turns = turns_of([drive for drive in drives if drive.rotation_id is not None])
    held = {row["store"]: row for row in _held([drive.store_id for drive in drives])}
    rows = []
    for drive in drives:
        rotation, id, row = turns.get(drive.rotation_id), str(drive.store_id), held.get(drive.store_id, {})
        owed_bytes = row.get("owed_bytes") or 0
        rows.append(
            DriveRow(
                drive=drive,
                letter=letters(rotation.drives)[id] if rotation else "",
                turn=_turn(rotation, id, day) if rotation else None,
                has_turn=rotation is not None and rotation.turn(day).drive == id,
                overdue_since=missed(drive, rotation, day, zone=zone) if rotation and drive.rotation else None,
                copies=row.get("copies", 0),
                devices=row.get("devices", 0),
                newest_at=row.get("newest"),
                owed=row.get("owed", 0),
                owed_bytes=owed_bytes,
                leaving=row.get("leaving", 0),
                seconds=returning_seconds(owed_bytes, bytes_per_second=drive.bytes_per_second),
            )
        )
    return rows


def turns_of(drives: list[Drive]) -> dict[int | None, Turns]:
    """Rotation → its turns, of drives that have one."""
    by_rotation: dict[int | None, Turns] = {}
    for drive in drives:
        if drive.rotation is not None and drive.rotation_id not in by_rotation:
            mine = sorted((one for one in drives if one.rotation_id == drive.rotation_id), key=lambda one: (one.place, str(one.store_id)))
            order = tuple(str(one.store_id) for one in mine)
            by_rotation[drive.rotation_id] = Turns(drives=order, every_days=drive.rotation.every_days, first_day=drive.rotation.first_day)
    return by_rotation


def missed(drive: Drive, rotation: Turns, day: date, *, zone: ZoneInfo) -> date | None:
    """The day since which it is missed; None for one that is here."""
    if drive.state != DriveState.OUT or drive.rotation is None:
        return None
    seen_on = drive.seen_at.astimezone(zone).date() if drive.seen_at else None
    added_on = drive.store.added_at.astimezone(zone).date()
    grace = drive.rotation.grace_days
    return overdue_since(rotation, str(drive.store_id), seen_on=seen_on, added_on=added_on, grace_days=grace, day=day)


def overdue_of(drives: Iterable[Drive], *, now: datetime, zone: ZoneInfo) -> list[tuple[Drive, date]]:
    """Of all drives in use, with their rotations: those that missed their turn, and the day on which it began."""
    day = now.astimezone(zone).date()
    turning = [drive for drive in drives if drive.rotation_id is not None]
    turns = turns_of(turning)
    missing = [(drive, missed(drive, turns[drive.rotation_id], day, zone=zone)) for drive in turning]
    return [(drive, since) for drive, since in missing if since is not None]


def _turn(rotation: Turns, id: str, day: date) -> Turn:
    now = rotation.turn(day)
    return now if now.drive == id else rotation.next(id, day)


def _held(ids: list[UUID]) -> list[Mapping[str, Any]]:
    there, owed = Q(state__in=THERE), Q(state__in=(CopyState.OWED, CopyState.COPYING))
    rows = Copy.objects.filter(store__in=ids).order_by().values("store")
    return list(
        rows.annotate(
            copies=Count("id", filter=there),
            devices=Count("backup__device", filter=there, distinct=True),
            newest=Max("backup__finished_at", filter=there),
            owed=Count("id", filter=owed),
            owed_bytes=Sum(Coalesce("backup__run__stored_bytes", "backup__size_bytes"), filter=owed),
            leaving=Count("id", filter=Q(state=CopyState.REMOVING)),
        )
    )


def rotations() -> list[Rotation]:
    """By name."""
    return list(Rotation.objects.all())


def rotation_of(id: int) -> Rotation:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(Rotation, id=id)


def strangers() -> list[StrangeDrive]:
    """Drives with a vault of somebody else, as they were seen last."""
    return list(StrangeDrive.objects.order_by("path"))
