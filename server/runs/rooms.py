"""The rooms that runs take from: a store's, and what a team or a device may hold in it. What others were admitted for is theirs."""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime
from uuid import UUID

from django.db.models import F, Q, Sum
from django.db.models.functions import Greatest

from core.quota.admission import Room
from core.vault.vault import Vault
from server import ports
from server.fleet.models import Device
from server.runs.models import CAME, Run, RunState
from server.storage.allowances import Allowed, allowances_in
from server.storage.models import Store
from server.storage.queries import room_in


def rooms_of(run: Run, vault: Vault) -> list[Room]:
    """What the run takes from."""
    return rooms_for(run.store, run.device, vault, besides=run.id)


def rooms_for(store: Store, device: Device, vault: Vault, *, besides: UUID | None = None) -> list[Room]:
    """Of the store as it is now, and of the allowances that speak of the device; without what runs were promised, but for one. Four
    queries."""
    others = Run.objects.filter(store=store, state=RunState.RUNNING, promised_bytes__isnull=False)
    if besides is not None:
        others = others.exclude(id=besides)
    promised = _promised(others)
    rooms = [replace(room_in(store, vault), promised_bytes=sum(promised.values()))]
    for one in allowances_in([store], now=ports.clock().now()):
        if _speaks_of(one, device):
            mine = {id: held for id, held in promised.items() if one.row.device_id is None}
            of_team = set(Device.objects.filter(id__in=mine, team=one.row.team).values_list("id", flat=True)) if mine else set()
            rooms.append(replace(_room(one, since_measured(store)), promised_bytes=sum(held for id, held in mine.items() if id in of_team)))
    return rooms


def _promised(runs: Iterable[Run]) -> dict[UUID, int]:
    """Device → what its run was admitted for and has not stored yet."""
    return {run.device_id: max(0, (run.promised_bytes or 0) - run.stored_bytes) for run in runs}


def _speaks_of(one: Allowed, device: Device) -> bool:
    if one.limits.hard_bytes is None:
        return False
    return one.row.device_id == device.id or (one.row.team_id is not None and one.row.team_id == device.team_id)


@dataclass(frozen=True, slots=True)
class Since:
    """What runs have stored since a store was measured."""

    devices: dict[UUID, int]
    teams: dict[int | None, int]


def since_measured(store: Store) -> Since:
    """One query."""
    devices: dict[UUID, int] = {}
    teams: dict[int | None, int] = defaultdict(int)
    measured = Q() if store.measured_at is None else Q(finished_at__gt=store.measured_at)
    came = Run.objects.filter(measured, store=store, state__in=CAME).order_by()
    for device, team, held in came.values_list("device_id", "device__team_id").annotate(Sum("stored_bytes")):
        devices[device] = held
        teams[team] += held
    return Since(devices, teams)


def _room(one: Allowed, since: Since) -> Room:
    more = since.devices.get(one.row.device_id, 0) if one.row.device_id is not None else since.teams.get(one.row.team_id, 0)
    return Room(
        name=f"{one.of} in {one.row.store.name}", stored_bytes=one.hard_held + more, allowance_bytes=one.limits.hard_bytes,
        free_bytes=None, reserve_bytes=0,
    )  # fmt: skip


# -- for a night that is to come


STORE, TEAM, DEVICE = "store", "team", "device"


def rooms_tonight(stores: Iterable[Store], *, now: datetime) -> dict[str, Room]:
    """Key → a room as measured last; what is about to be freed by itself is not counted on."""
    mine = list(stores)
    rooms = {
        f"{STORE} {store.id}": Room(
            name=store.name, stored_bytes=store.stored_bytes, allowance_bytes=store.allowance_bytes, free_bytes=store.free_bytes
        )
        for store in mine
    }
    since: dict[UUID, Since] = {}
    for one in allowances_in(mine, now=now):
        if one.limits.hard_bytes is None or (one.row.team_id is None and one.row.device_id is None):
            continue
        if one.row.store_id not in since:
            since[one.row.store_id] = since_measured(one.row.store)
        owner = f"{DEVICE} {one.row.device_id}" if one.row.device_id is not None else f"{TEAM} {one.row.team_id}"
        rooms[f"{owner} {one.row.store_id}"] = _room(one, since[one.row.store_id])
    return rooms


def keys_of(device: Device, store: UUID) -> tuple[str, ...]:
    """The rooms that a run of the device into the store takes from."""
    return (f"{STORE} {store}", f"{TEAM} {device.team_id} {store}", f"{DEVICE} {device.id} {store}")


def stored_by_runs(devices: Iterable[UUID], *, since: datetime, most: int = 8) -> dict[UUID, list[int]]:
    """Device → what its last good runs stored, newest first. One query."""
    expected: dict[UUID, list[int]] = defaultdict(list)
    came = Run.objects.filter(device__in=list(devices), state__in=CAME, asked_at__gte=since).order_by("-asked_at")
    for device, held in came.values_list("device_id", Greatest(F("stored_bytes"), 0)):
        if len(expected[device]) < most:
            expected[device].append(held)
    return expected
