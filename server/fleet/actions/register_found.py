"""Put a device into the register of which only backups are known: without a link, under the id that its backups carry."""

from typing import Any
from uuid import UUID, uuid4

from core.content.families import FAMILIES
from server import ports
from server.fleet.models import Device, LinkType
from server.people.actions.journal import write_journal
from server.people.actions.office import holder_named
from server.people.models import User


def register_found(described: dict[str, Any], *, id: UUID | None, by: User) -> Device:
    """Called within the transaction that takes its backups in. What the store tells is cut to what the register holds."""
    now = ports.clock().now()
    word = {
        name: str(described.get(name, ""))[:most].strip() for name, most in (("name", 120), ("holder", 120), ("team", 80), ("serial", 100))
    }
    serial = word["serial"] if not Device.objects.filter(serial__iexact=word["serial"]).exists() else ""
    family = str(described.get("family", ""))
    device = Device(
        id=id if id is not None and not Device.objects.filter(id=id).exists() else uuid4(), name=word["name"] or "Found device",
        link=LinkType.NONE, family=family if family in FAMILIES else "", serial=serial, added_at=now,
    )  # fmt: skip
    device.holder, device.team = holder_named(word["holder"] or "unknown", word["team"])
    device.save(force_insert=True)
    write_journal(
        who=by, what="device.registered", way="found", facts={"device": device.name, "holder": device.holder.name}, at=now, device=device.id
    )
    return device
