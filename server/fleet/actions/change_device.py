"""Change what Old Attic knows of a device: name, holder, team, state; and note what the device told of itself."""

from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from django.db import transaction

from core.content.link import DeviceState as Told
from core.errors import BadInput
from server.fleet.models import Device, DeviceState
from server.outside import outside
from server.people.actions.journal import write_journal
from server.people.actions.office import holder_named
from server.people.models import User


@transaction.atomic
def change_device(
    device: Device, *, name: str, holder: str, team: str, state: str, away_until: date | None, by: User | None, now: datetime | None = None
) -> Device:
    """Raises BadInput."""
    if not name.strip() or len(name) > 120:
        raise BadInput("The device has no usable name.", field="name", remedy="Give it a name of up to 120 characters.")
    if state not in DeviceState.values:
        raise BadInput(f"There is no state {state!r}.", field="state", remedy=f"Use one of: {', '.join(DeviceState.values)}.")
    before = (device.name, device.holder.name, device.team.name if device.team else "", device.state, device.away_until)
    now = now or outside().now()
    if state == DeviceState.IN_USE and device.state != DeviceState.IN_USE:
        device.in_use_since = now
    device.holder, device.team = holder_named(holder, team)
    device.name, device.state = name.strip(), state
    device.away_until = away_until if state == DeviceState.AWAY else None
    device.save()
    after = (device.name, device.holder.name, device.team.name if device.team else "", device.state, device.away_until)
    if before != after:
        labels = ("name", "holder", "team", "state", "away until")
        changes = [f"{label}: {old or '–'} → {new or '–'}" for label, old, new in zip(labels, before, after, strict=True) if old != new]
        says = f"{device.name}: " + "; ".join(changes)
        write_journal(who=by, what="device.changed", says=says, at=now, device=device.id)
    return device


@transaction.atomic
def bring_back(*, zone: ZoneInfo, now: datetime) -> int:
    """Devices whose last day away has passed are in use again, from the midnight after it; how many."""
    back = list(Device.objects.filter(state=DeviceState.AWAY, away_until__lt=now.astimezone(zone).date()).select_for_update())
    for device in back:
        assert device.away_until is not None
        device.in_use_since = datetime.combine(device.away_until + timedelta(days=1), time(), zone)
        device.state, device.away_until = DeviceState.IN_USE, None
        write_journal(who=None, what="device.back", says=f"{device.name}: its last day away has passed.", at=now, device=device.id)
    if back:
        Device.objects.bulk_update(back, ["state", "away_until", "in_use_since"])
    return len(back)


def note_told(device: Device, told: Told, *, now: datetime) -> None:
    """Keep what the device said of itself when it was last reached."""
    Device.objects.filter(id=device.id).update(
        make=told.make or device.make,
        model=told.model or device.model,
        os_version=told.os_version or device.os_version,
        storage_total_bytes=told.storage_total_bytes,
        storage_used_bytes=told.storage_used_bytes,
        last_seen_at=now,
    )
