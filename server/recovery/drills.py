"""Reading drills: which there were, whose turn it is, and since when each device is proven."""

from datetime import datetime
from typing import Any
from uuid import UUID

from django.db.models import Max, QuerySet
from django.shortcuts import get_object_or_404

from server.fleet.models import Device, DeviceState
from server.recovery.models import Drill, DrillRules, DrillState
from server.runs.models import Backup, Copy, CopyState
from server.storage.models import Mode
from server.storage.queries import NOT_HERE

IN_HANDS = (DeviceState.IN_USE, DeviceState.AWAY)


def drill_rules() -> DrillRules:
    """As they are set; the usual ones before anybody has."""
    return DrillRules.objects.first() or DrillRules()


def drills(*, device: UUID | None = None, state: str = "") -> QuerySet[Drill]:
    """The newest first; of one device, or in one state."""
    rows = Drill.objects.select_related("device__holder", "store", "backup", "by")
    rows = rows if device is None else rows.filter(device=device)
    return rows.filter(state=state) if state else rows


def drill_of(id: UUID) -> Drill:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(drills(), id=id)


def proven_at() -> dict[UUID, datetime]:
    """Device → when one of its backups last came back right. One query."""
    right = Drill.objects.filter(state=DrillState.RIGHT).order_by().values("device").annotate(at=Max("finished_at"))
    return {row["device"]: row["at"] for row in right}


def drillable(*, device: UUID | None = None) -> QuerySet[Copy]:
    """Copies that a drill could read now: whole, of a backup that counts, in a store that is at hand. Newest of each device first."""
    there = Copy.objects.filter(
        state=CopyState.PRESENT,
        intact=True,
        backup__in_doubt=False,
        backup__suspect=False,
        backup__being_erased=False,
        store__mode__in=(Mode.IN_USE, Mode.READ_ONLY),
        store__trouble="",
    ).exclude(store__drive__state__in=NOT_HERE)
    there = there if device is None else there.filter(backup__device=device)
    return there.select_related("backup__device", "store").order_by("backup__device_id", "-backup__finished_at", "store_id")


def newest_copies(device: UUID, *, store: UUID | None = None) -> list[Copy]:
    """Of the newest backup that could be read now: where it lies. Two queries."""
    rows = drillable(device=device) if store is None else drillable(device=device).filter(store=store)
    newest = rows.first()
    return [] if newest is None else list(rows.filter(backup=newest.backup_id))


def next_turns(count: int, *, now: datetime) -> list[Copy]:
    """The newest copy of the devices whose last drill is the longest ago, never drilled ones first; of several stores that hold it the one
    in which this device was drilled the longest ago."""
    never = datetime.min.replace(tzinfo=now.tzinfo)
    last = {row["device"]: row["at"] for row in _latest("device")}
    in_store = {(row["device"], row["store"]): row["at"] for row in _latest("device", "store")}
    ready = drillable().filter(backup__device__state__in=IN_HANDS).order_by().values_list("backup__device_id", flat=True).distinct()
    due = []
    for device in sorted(ready, key=lambda id: (last.get(id, never), str(id)))[:count]:
        if copies := newest_copies(device):  # one that left just now has no turn
            due.append(min(copies, key=lambda one: (in_store.get((one.backup.device_id, one.store_id), never), one.store.off_site)))
    return due


def _latest(*columns: str) -> QuerySet[Drill, dict[str, Any]]:
    rows: QuerySet[Drill, dict[str, Any]] = Drill.objects.order_by().values(*columns).annotate(at=Max("asked_at"))
    return rows


def unproven(*, since: datetime) -> list[Device]:
    """Devices in somebody's hands that have a backup, and none that was proven since then."""
    right = Drill.objects.filter(state=DrillState.RIGHT, finished_at__gte=since).values("device")
    backed_up = Backup.objects.filter(copies__state=CopyState.PRESENT, in_doubt=False, suspect=False).values("device")
    return list(Device.objects.filter(id__in=backed_up, state__in=IN_HANDS).exclude(id__in=right).order_by("name"))
