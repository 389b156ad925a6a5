"""3-2-1 for every device: where its newest backups lie, what is missing, and by team."""

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from django.db.models import Max, QuerySet

from core.coverage.three_two_one import CopyPlace, Lack, PlacesTarget, ThreeTwoOne, three_two_one
from server.fleet.models import Device, DeviceState
from server.plans.models import PlanTarget
from server.recovery.drills import proven_at
from server.runs.models import Backup, Copy, CopyState
from server.storage.models import Mode, Store

NOT_IN_HANDS = (DeviceState.LOST, DeviceState.RETIRED)


@dataclass(frozen=True, slots=True, kw_only=True)
class CopiesRow:
    """How a device stands by the rule of three copies."""

    device: Device
    plan_id: UUID | None
    places: list[CopyPlace]
    told: ThreeTwoOne
    drilled_at: datetime | None
    """When a backup of it last came back right."""


def all_rows(*, now: datetime) -> list[CopiesRow]:
    """Every device, those that lack most first. Five queries."""
    devices = Device.objects.select_related("holder", "team", "assignment").order_by("name", "id")
    stores = {store.id: store for store in Store.objects.all()}
    places, targets, drilled = _places(stores), _targets(stores), proven_at()
    rows = []
    for device in devices:
        assignment = getattr(device, "assignment", None)
        plan = None if assignment is None else assignment.plan_id
        on_device = device.state not in NOT_IN_HANDS
        judged = three_two_one(places[device.id], None if plan is None else targets[plan], on_device=on_device, now=now)
        row = CopiesRow(device=device, plan_id=plan, places=places[device.id], told=judged, drilled_at=drilled.get(device.id))
        rows.append(row)
    order = list(Lack)
    return sorted(rows, key=lambda row: (order.index(row.told.lacks[0]) if row.told.lacks else len(order), -len(row.told.lacks)))


def newest_by_medium(devices: Collection[UUID]) -> dict[UUID, list[dict[str, Any]]]:
    """Device → [{medium, newest_at}] of its good backups, also on drives that are elsewhere. One query."""
    rows = _there().filter(backup__device__in=devices).order_by("store__medium").values("backup__device", "store__medium")
    fields: dict[UUID, list[dict[str, Any]]] = defaultdict(list)
    for row in rows.annotate(newest=Max("backup__finished_at")):
        fields[row["backup__device"]].append({"medium": row["store__medium"], "newest_at": row["newest"]})
    return fields


def _there() -> QuerySet[Copy]:
    return Copy.objects.filter(
        state=CopyState.PRESENT, intact=True, backup__in_doubt=False, backup__suspect=False, store__mode__in=(Mode.IN_USE, Mode.READ_ONLY)
    )


def _places(stores: dict[UUID, Store]) -> dict[UUID, list[CopyPlace]]:
    there = _there()
    by_device: dict[UUID, list[CopyPlace]] = defaultdict(list)
    newest = there.order_by().values("backup__device", "store").annotate(newest=Max("backup__finished_at"), checked=Max("checked_at"))
    for one in newest:
        store = stores[one["store"]]
        place = CopyPlace(
            store=store.name, medium=store.medium, off_site=store.off_site, newest_at=one["newest"], checked_at=one["checked"]
        )
        by_device[one["backup__device"]].append(place)
    for places in by_device.values():
        places.sort(key=lambda place: (-place.newest_at.timestamp(), place.store))
    return by_device


def _targets(stores: dict[UUID, Store]) -> dict[UUID, list[PlacesTarget]]:
    """Plan → its stores that are in use."""
    targets: dict[UUID, list[PlacesTarget]] = defaultdict(list)
    for plan, store in PlanTarget.objects.filter(store__mode=Mode.IN_USE).values_list("plan_id", "store_id"):
        targets[plan].append(PlacesTarget(medium=stores[store].medium, off_site=stores[store].off_site))
    return targets


@dataclass(slots=True, kw_only=True)
class OfTeam:
    """Empty name: of none; `devices` of which `whole` lack nothing."""

    team: str
    devices: int = 0
    whole: int = 0


def by_team(rows: list[CopiesRow]) -> list[OfTeam]:
    """Worst first: those of which most lacks something."""
    teams: dict[str, OfTeam] = {}
    for row in rows:
        name = row.device.team.name if row.device.team else ""
        one = teams.setdefault(name, OfTeam(team=name))
        one.devices += 1
        one.whole += row.told.whole
    return sorted(teams.values(), key=lambda one: (one.team == "", one.team))


@dataclass(frozen=True, slots=True, kw_only=True)
class CopyEvidence:
    """Of the devices in somebody's hands: what an auditor asks first."""

    devices: int
    planned: int
    backed_up: int
    encrypted: int
    """Of those that are backed up: whose newest whole backup came encrypted from the device; every store is sealed."""
    off_site: int
    checked: int
    drilled: int


def evidence(rows: list[CopiesRow]) -> CopyEvidence:
    """One query more."""
    mine = [row for row in rows if row.device.state not in NOT_IN_HANDS]
    newest = Backup.objects.filter(
        device__in=[row.device.id for row in mine], in_doubt=False, suspect=False, copies__state=CopyState.PRESENT
    )
    latest = newest.order_by("device_id", "-finished_at").distinct("device_id").values_list("encrypted", flat=True)
    return CopyEvidence(
        devices=len(mine),
        planned=sum(row.plan_id is not None for row in mine),
        backed_up=sum(bool(row.places) for row in mine),
        encrypted=sum(latest),
        off_site=sum(row.told.off_site for row in mine),
        checked=sum(row.told.checked_at is not None for row in mine),
        drilled=sum(row.drilled_at is not None for row in mine),
    )


def fitting(rows: list[CopiesRow], *, team: int | None, lacks: str, words: str) -> list[CopiesRow]:
    """Rows that fit every word typed, the team and what is lacking."""
    wanted = words.casefold().split()
    return [
        row
        for row in rows
        if (team is None or row.device.team_id == team)
        and (not lacks or (bool(row.told.lacks) if lacks == "any" else lacks in row.told.lacks))
        and all(word in f"{row.device.name} {row.device.holder.name}".casefold() for word in wanted)
    ]
