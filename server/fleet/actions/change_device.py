"""Change what the register says of a device; and note what the device told of itself."""

from collections.abc import Iterable, Mapping
from copy import copy
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from django.db import IntegrityError, transaction

from core.content.errors import DeviceLied
from core.content.link import DeviceReport as Told
from core.errors import BadInput
from core.exchange.register import COLUMNS, checked
from server import ports
from server.fleet.actions.unpair_device import withdraw_key
from server.fleet.convert import register_values, told_card
from server.fleet.models import Device, DeviceState, LinkType
from server.fleet.objections import DevicesChange, hear
from server.people.actions.clock import hear_witness
from server.people.actions.journal import write_journal
from server.people.actions.office import holder_named
from server.people.models import User

REGISTER_FIELDS = [
    "name", "holder", "team", "state", "state_since", "away_until", "in_use_since", "family", "make", "model", "serial", "asset_tag",
    "os_version", "note", "purchased_on", "handed_over_on", "storage_total_bytes",
]  # fmt: skip
"""What `put_values` may change."""


@transaction.atomic
def change_device(
    device: Device, values: Mapping[str, str], *, by: User | None, now: datetime | None = None, seen: str = "", word: str = ""
) -> Device:
    """Put columns of the register, written as the register writes them, into a device. Raises BadInput, Conflict.

    `seen`: the digest of what was shown to leave by it. A device that is lost loses its key at once; one that comes back into use
    owes nothing of the time before.
    """
    now = now or ports.clock().now()
    hear(change_of([(device, values)], now=now, seen=seen, word=word))
    return change_heard(device, values, by=by, now=now)


def change_of(
    wanted: Iterable[tuple[Device, Mapping[str, str]]], *, now: datetime, seen: str = "", word: str = "", remedy: str = ""
) -> DevicesChange:
    """Devices as they would be. Called in a transaction, since names of holders and teams may be new. Raises BadInput."""
    before, after = list[Device](), list[Device]()
    for device, values in wanted:
        changed = copy(device)
        put_values(changed, values, now=now)
        before.append(device)
        after.append(changed)
    return DevicesChange(before=before, after=after, seen=seen, word=word, remedy=remedy)


def change_heard(device: Device, values: Mapping[str, str], *, by: User | None, now: datetime) -> Device:
    """The same once nobody objects."""
    before = register_values(device)
    put_values(device, values, now=now)
    after = register_values(device)
    changes = [f"{_word(name)}: {before[name] or '–'} → {after[name] or '–'}" for name in after if before[name] != after[name]]
    if not changes:
        return device
    _save(device)
    write_journal(who=by, what="device.changed", facts={"device": device.name, "changes": changes}, at=now, device=device.id)
    if device.state == DeviceState.LOST:
        withdraw_key(device, by=by, why="lost")
    return device


def put_values(device: Device, values: Mapping[str, str], *, now: datetime) -> None:
    """Into a row that the caller saves. Raises BadInput naming the column."""
    clean = {column: checked(column, value) for column, value in values.items() if column in COLUMNS and column != "id"}
    if "state" in clean and clean["state"] != device.state:
        if clean["state"] == DeviceState.IN_USE:
            device.in_use_since = now
        device.state, device.state_since = clean["state"], now
    if "away_until" in clean or device.state != DeviceState.AWAY:
        day = clean.get("away_until", "")
        device.away_until = date.fromisoformat(day) if day and device.state == DeviceState.AWAY else None
    if "holder" in clean or "team" in clean:
        holder = clean.get("holder", device.holder.name if device.holder_id else "")
        team = clean.get("team", device.team.name if device.team else "")
        device.holder, device.team = holder_named(holder, team)
    for column in ("name", "family", "make", "model", "serial", "asset_tag", "os_version", "note"):
        if column in clean and (clean[column] or column != "family"):
            setattr(device, column, clean[column])
    for column in ("purchased_on", "handed_over_on"):
        if column in clean:
            setattr(device, column, date.fromisoformat(clean[column]) if clean[column] else None)
    if "storage_total_bytes" in clean:
        device.storage_total_bytes = int(clean["storage_total_bytes"]) if clean["storage_total_bytes"] else None


def _save(device: Device) -> None:
    """Raises Conflict when another device has its serial or asset tag."""
    try:
        with transaction.atomic():
            device.save(update_fields=REGISTER_FIELDS)
    except IntegrityError:
        for column in ("serial", "asset_tag"):
            value = getattr(device, column)
            other = Device.objects.filter(**{f"{column}__iexact": value}).exclude(id=device.id).first() if value else None
            if other is not None:
                says = f"{other.name} of {other.holder.name} has the {_word(column)} {value} already."
                raise BadInput(says, field=column, remedy="Look which of the two is right.") from None
        raise


def _word(column: str) -> str:
    return column.replace("_", " ")


@transaction.atomic
def bring_back(*, zone: ZoneInfo, now: datetime) -> int:
    """Devices whose last day away has passed are in use again, from the midnight after it; how many."""
    back = list(Device.objects.filter(state=DeviceState.AWAY, away_until__lt=now.astimezone(zone).date()).select_for_update())
    for device in back:
        assert device.away_until is not None
        device.in_use_since = datetime.combine(device.away_until + timedelta(days=1), time(), zone)
        device.state, device.state_since, device.away_until = DeviceState.IN_USE, device.in_use_since, None
        write_journal(who=None, what="device.back", facts={"device": device.name}, at=now, device=device.id)
    if back:
        Device.objects.bulk_update(back, ["state", "state_since", "away_until", "in_use_since"])
    return len(back)


def note_told(device: Device, reported: Told, *, now: datetime) -> None:
    """Keep what the device said of itself when it was last reached. Raises DeviceLied when it is another device."""
    if reported.serial and device.serial and reported.serial.casefold() != device.serial.casefold() and device.link == LinkType.AGENT:
        says = f"It says that its serial is {reported.serial}; this device has the serial {device.serial}."
        raise DeviceLied(says, remedy="If it was repaired, correct the serial on its page; otherwise unpair it and find out what answers.")
    if reported.clock is not None:
        hear_witness(
            f"device {device.id}", "device", off_seconds=(reported.clock - ports.clock().now()).total_seconds(), now=ports.clock().now()
        )
    serial = device.serial or reported.serial
    if serial != device.serial and Device.objects.filter(serial__iexact=serial).exclude(id=device.id).exists():
        serial = device.serial
    Device.objects.filter(id=device.id).update(
        make=reported.make or device.make,
        model=(reported.model if device.link == LinkType.AGENT else "") or device.model,
        os_version=reported.os_version or device.os_version,
        update_pending=reported.update_pending,
        serial=serial,
        accepted=reported.accepted,
        card=told_card(reported),
        storage_total_bytes=reported.storage_total_bytes if reported.storage_total_bytes is not None else device.storage_total_bytes,
        storage_used_bytes=reported.storage_used_bytes,
        last_seen_at=now,
    )
