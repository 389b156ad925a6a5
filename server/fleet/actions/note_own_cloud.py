"""Remember what a device tells of its own cloud backup: as it is now, and as a history of its own."""

from dataclasses import asdict
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction

from core.content.link import DeviceLink, TellsOwnCloud
from core.content.own_cloud import OwnCloud
from server.fleet.models import Device, OwnCloudTold
from server.fleet.own_accounts import lasting_of
from server.people.queries import office_zone

A_ROW = timedelta(hours=20)
"""Sizes move all the time: within this what is told again replaces what was told, unless it was switched, or another account."""
SWITCHES = ("state", "service", "account")


def note_own_cloud(device: Device, link: DeviceLink, *, now: datetime) -> None:
    """Links and devices that cannot tell change nothing. Raises LinkError; what was known stays then."""
    if not isinstance(link, TellsOwnCloud) or not link.tells_own_cloud():
        return
    note_told_own_cloud(device, link.own_cloud(), now=now)


@transaction.atomic
def note_told_own_cloud(device: Device, cloud: OwnCloud | None, *, now: datetime) -> None:
    """Another row when it told something else than last, else the last one stands until now."""
    fields = told_of(cloud)
    newest = OwnCloudTold.objects.select_for_update().filter(device=device).order_by("-at", "-id").first()
    same = newest is not None and all((newest.told or {}).get(name) == (fields or {}).get(name) for name in SWITCHES)
    if newest is not None and same and (newest.told is None) == (fields is None) and (fields == newest.told or now - newest.at < A_ROW):
        newest.told, newest.seen_at = fields, now
        newest.save(update_fields=["told", "seen_at"])
    elif newest is not None or fields is not None:
        OwnCloudTold.objects.create(device=device, at=now, seen_at=now, told=fields)
    device.own_cloud = {"told_at": now.isoformat(), "told": fields}
    device.own_cloud["full_on"] = _full_on(device, now)
    device.save(update_fields=["own_cloud"])


def _full_on(device: Device, now: datetime) -> dict[str, str | None]:
    """When its account is full, likely and at the earliest: noted, so that whoever looks at all devices asks for no history."""
    lasts = lasting_of(device, now=now)
    today = now.astimezone(office_zone()).date()
    days = {"likely": lasts.days, "earliest": lasts.earliest} if lasts else {}
    return {name: None if left is None else (today + timedelta(days=left)).isoformat() for name, left in days.items()}


def told_of(cloud: OwnCloud | None) -> dict[str, Any] | None:
    """As JSON keeps it; None where the device has none."""
    if cloud is None:
        return None
    last = cloud.last_success.isoformat() if cloud.last_success else None
    return {
        **asdict(cloud),
        "state": cloud.state.value,
        "last_success": last,
        "kinds": _parts(cloud.kinds),
        "devices": _parts(cloud.devices),
    }


def _parts(parts: Any) -> list[dict[str, Any]]:
    return [{"name": part.name, "bytes": part.size_bytes} for part in parts]
