"""Add a device: pair with one on the office network, or take a folder on the server."""

from pathlib import Path

from django.db import transaction

from core.content.errors import DeviceAway
from core.errors import BadInput
from server.api.problems import Conflict
from server.fleet.convert import key_purpose
from server.fleet.models import Device, LinkType
from server.outside import outside
from server.people.actions.journal import write_journal
from server.people.actions.office import holder_named
from server.people.models import User

CODE_LENGTH = 8


def pair_device(*, agent_id: str, code: str, name: str, holder: str, team: str, by: User) -> Device:
    """Pair with a device that announces itself. Raises LinkError, BadInput, Conflict."""
    _checked_name(name)
    if len(code.replace(" ", "")) != CODE_LENGTH:
        remedy = "Type all of it, as the screen of the device shows it."
        raise BadInput(f"A pairing code has {CODE_LENGTH} characters.", field="code", remedy=remedy)
    if Device.objects.filter(agent_id=agent_id).exists():
        raise Conflict("This device is in the list already.", remedy="Open it under Devices.")
    offer = next((offer for offer in outside().offers() if offer.device == agent_id), None)
    if offer is None:
        raise DeviceAway("This device is no longer on the office network.")
    now = outside().now()
    with transaction.atomic():
        found_holder, found_team = holder_named(holder, team)
        told_id, key = outside().pair(offer.address, code)
        if told_id != agent_id:
            raise Conflict("Another device answers at this address.", remedy="Look for devices again.")
        device = Device.objects.create(
            name=name.strip(), holder=found_holder, team=found_team, link=LinkType.AGENT, agent_id=agent_id, address=offer.address,
            agent_key=outside().seal(key_purpose(agent_id), key), family=offer.family, make=offer.make, model=offer.model,
            os_version=offer.os_version, last_seen_at=now, added_at=now,
        )  # fmt: skip
        says = f"{device.name} of {found_holder.name} was paired."
        write_journal(who=by, what="device.paired", says=says, at=now, device=device.id)
    return device


def pair_again(device: Device, *, code: str, by: User) -> Device:
    """New keys for a device that forgot this server. Raises LinkError, Conflict."""
    if device.link != LinkType.AGENT:
        raise Conflict("A folder needs no pairing.", remedy="Nothing to do.")
    offer = next((offer for offer in outside().offers() if offer.device == device.agent_id), None)
    told_id, key = outside().pair(offer.address if offer else device.address, code)
    if told_id != device.agent_id:
        raise Conflict("Another device answers at this address.", remedy="Look for devices again.")
    with transaction.atomic():
        device.agent_key = outside().seal(key_purpose(device.agent_id), key)
        device.save(update_fields=["agent_key"])
        write_journal(who=by, what="device.paired_again", says=f"{device.name} was paired again.", at=outside().now(), device=device.id)
    return device


@transaction.atomic
def add_folder(*, path: str, name: str, holder: str, team: str, by: User) -> Device:
    """A folder on the server as a device. Raises BadInput, Conflict."""
    _checked_name(name)
    folder = Path(path)
    if not folder.is_absolute() or ".." in folder.parts or "\x00" in path:
        remedy = "Give the whole path, beginning with /."
        raise BadInput(f"{path!r} is no absolute path.", field="path", remedy=remedy)
    outside().folder_link(path).state()
    path = str(folder.resolve())
    if Device.objects.filter(folder=path).exists():
        raise Conflict("This folder is in the list already.", remedy="Open it under Devices.")
    now = outside().now()
    found_holder, found_team = holder_named(holder, team)
    device = Device.objects.create(
        name=name.strip(), holder=found_holder, team=found_team, link=LinkType.FOLDER, folder=path, family="folder", model="Folder",
        last_seen_at=now, added_at=now,
    )  # fmt: skip
    write_journal(who=by, what="device.added", says=f"The folder {path} was added as {device.name}.", at=now, device=device.id)
    return device


def _checked_name(name: str) -> None:
    if not name.strip() or len(name) > 120:
        raise BadInput("The device has no usable name.", field="name", remedy="Give it a name of up to 120 characters.")
