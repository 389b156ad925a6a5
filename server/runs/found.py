"""Devices that a store holds backups of and the list does not know, each with the known devices that it may be."""

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db.models import Count, Max, Min

from core.recovery.matching import Found, KnownItems, MatchProposal, proposals
from server.fleet.models import Device
from server.runs.models import Backup, Stray
from server.storage.models import Store

PROPOSED = 3


@dataclass(slots=True, kw_only=True)
class FoundDevice:
    """All strays of one device in one store."""

    key: str
    told: dict[str, Any]
    first: datetime
    last: datetime
    backups: int = 0
    size_bytes: int = 0
    """Of its newest backup."""
    proposed: list[tuple[Device, MatchProposal]] = field(default_factory=list)


def found_devices(store: Store) -> list[FoundDevice]:
    """The one with the newest backup first. Three queries."""
    groups: dict[str, FoundDevice] = {}
    for stray in Stray.objects.filter(store=store).order_by("-finished_at"):
        group = groups.setdefault(
            stray.device_key,
            FoundDevice(
                key=stray.device_key, told=stray.told, first=stray.finished_at, last=stray.finished_at, size_bytes=stray.size_bytes
            ),
        )
        group.first, group.backups = stray.finished_at, group.backups + 1
    if not groups:
        return []
    spans = Backup.objects.filter(found_in=None).order_by().values("device").annotate(first=Min("finished_at"), last=Max("finished_at"))
    own = {row["device"]: (row["first"], row["last"]) for row in spans}
    devices = {str(device.id): device for device in Device.objects.select_related("holder")}
    known = [
        KnownItems(
            id=id, name=device.name, holder=device.holder.name, serial=device.serial,
            first=own.get(device.id, (None, None))[0], last=own.get(device.id, (None, None))[1],
        )
        for id, device in devices.items()
    ]  # fmt: skip
    for group in groups.values():
        described = {name: str(group.told.get(name, "")) for name in ("name", "holder", "serial")}
        proposed = proposals(Found(key=group.key, first=group.first, last=group.last, **described), known)
        group.proposed = [(devices[one.id], one) for one in proposed[:PROPOSED]]
    return list(groups.values())


def taken_in(store: Store) -> list[dict[str, Any]]:
    """[{device, backups}] of what was found there and taken in, as long as somebody may want to undo it."""
    rows = Backup.objects.filter(found_in=store).order_by().values("device").annotate(backups=Count("id"))
    counts = dict(rows.values_list("device", "backups"))
    devices = Device.objects.filter(id__in=counts).select_related("holder")
    return [{"device": device, "backups": counts[device.id]} for device in devices]
