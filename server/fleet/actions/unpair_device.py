"""Unpair a device, or withdraw the key of one that is lost: from this moment nothing that it says is believed."""

from django.db import transaction

from core.content.errors import LinkError
from server import ports
from server.api.problems import Conflict
from server.fleet.convert import key_purpose
from server.fleet.models import Device, LinkType
from server.people.actions.journal import write_journal
from server.people.models import User


def unpair_device(device: Device, *, by: User | None) -> bool:
    """Whether the device was told, too. The key is gone here either way. Raises Conflict."""
    if device.link != LinkType.AGENT or not device.agent_key:
        raise Conflict("This device is not paired.", remedy="Nothing to do.")
    key = ports.keys().unseal(key_purpose(device.agent_id), bytes(device.agent_key))
    withdraw_key(device, by=by, why="unpaired")
    try:
        ports.devices().unpair(device.agent_id, device.address, key)
    except LinkError:
        return False
    return True


@transaction.atomic
def withdraw_key(device: Device, *, by: User | None, why: str) -> None:
    """Forget the key at once, without reaching for the device."""
    if not device.agent_key:
        return
    device.agent_key, device.accepted = None, None
    device.save(update_fields=["agent_key", "accepted"])
    write_journal(who=by, what="device.unpaired", facts={"device": device.name, "why": why}, at=ports.clock().now(), device=device.id)
