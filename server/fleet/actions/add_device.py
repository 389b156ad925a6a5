"""Add a device: pair with one on the office network, take a folder on the server, or one that runs an SFTP server.

A device that is in the register already is given its link; else it is put there.
"""

from collections.abc import Sequence
from datetime import timedelta
from uuid import UUID

from django.db import transaction

from core.content.errors import DeviceAway, PairingRefused
from core.content.families import FAMILIES
from core.errors import BadInput
from server import ports
from server.api.problems import Conflict
from server.fleet.convert import key_purpose, sftp_purpose
from server.fleet.models import Device, LinkType, PairingTry
from server.people.actions.journal import write_journal
from server.people.actions.office import holder_named
from server.people.models import User
from server.ports import Paired, SftpPlace

CODE_LENGTH = 8
WRONG_CODES = 10
WRONG_FOR = timedelta(minutes=10)
"""So many wrong codes for one device in this time, and nobody may try for as long as they are this young."""
AGENT_FIELDS = ("link", "agent_id", "address", "agent_key", "accepted")
SEEN_FIELDS = ("family", "make", "model", "os_version", "serial", "last_seen_at")
SFTP_FIELDS = ("sftp_host", "sftp_port", "sftp_username", "sftp_password", "sftp_uses_key", "sftp_folder", "sftp_host_key")


def pair_device(*, agent_id: str, code: str, name: str, holder: str, team: str, by: User, registered: UUID | None = None) -> Device:
    """Pair with a device that announces itself. Raises LinkError, BadInput, Conflict."""
    known = _unlinked(registered) if registered else None
    if known is None:
        _checked_name(name)
    if Device.objects.filter(agent_id=agent_id).exists():
        raise Conflict("This device is in the list already.", remedy="Open it under Devices.")
    offer = next((offer for offer in ports.devices().offers() if offer.device == agent_id), None)
    if offer is None:
        raise DeviceAway("This device is no longer on the office network.")
    now = ports.clock().now()
    if known is None:
        with transaction.atomic():  # a name or holder that cannot be used is said before the code is used up
            holder_named(holder, team)
            _checked_serial(offer.serial, None)
            transaction.set_rollback(True)
    paired = _paired(offer.address, agent_id, code)
    with transaction.atomic():
        device = known or Device(name=name.strip(), added_at=now)
        if known is None:
            device.holder, device.team = holder_named(holder, team)
        _checked_serial(offer.serial, known)
        device.link, device.agent_id, device.address = LinkType.AGENT, agent_id, offer.address
        device.agent_key, device.accepted = ports.keys().seal(key_purpose(agent_id), paired.key), paired.accepted
        device.family, device.make, device.model, device.os_version = offer.family, offer.make, offer.model, offer.os_version
        device.serial, device.last_seen_at = offer.serial or device.serial, now
        _put(device, new=known is None, fields=(*AGENT_FIELDS, *SEEN_FIELDS))
        write_journal(who=by, what="device.paired", facts={"device": device.name, "holder": device.holder.name}, at=now, device=device.id)
    return device


def pair_again(device: Device, *, code: str, by: User) -> Device:
    """New keys for a device that forgot this server, or whose key was withdrawn. Raises LinkError, Conflict."""
    if device.link != LinkType.AGENT:
        raise Conflict("Only a device with an agent is paired.", remedy="Nothing to do.")
    offer = next((offer for offer in ports.devices().offers() if offer.device == device.agent_id), None)
    paired = _paired(offer.address if offer else device.address, device.agent_id, code)
    with transaction.atomic():
        device.agent_key = ports.keys().seal(key_purpose(device.agent_id), paired.key)
        device.accepted = paired.accepted
        device.save(update_fields=["agent_key", "accepted"])
        write_journal(who=by, what="device.paired_again", facts={"device": device.name}, at=ports.clock().now(), device=device.id)
    return device


@transaction.atomic
def add_folder(*, path: str, name: str, holder: str, team: str, by: User, registered: UUID | None = None) -> Device:
    """A folder on the server as a device. Raises BadInput, Conflict."""
    known = _unlinked(registered) if registered else None
    if known is None:
        _checked_name(name)
    path = checked_folder(path, other_than=None)
    now = ports.clock().now()
    device = known or Device(name=name.strip(), added_at=now, family="folder", model="Folder")
    if known is None:
        device.holder, device.team = holder_named(holder, team)
    device.link, device.folder, device.last_seen_at = LinkType.FOLDER, path, now
    _put(device, new=known is None, fields=("link", "folder", "last_seen_at"))
    write_journal(who=by, what="device.added", way="folder", facts={"path": path, "device": device.name}, at=now, device=device.id)
    return device


def add_sftp(where: SftpPlace, *, name: str, holder: str, team: str, family: str, by: User, registered: UUID | None = None) -> Device:
    """A device that runs an SFTP server; `where` holds the key that a person has looked at. Raises LinkError, BadInput, Conflict."""
    known = _unlinked(registered) if registered else None
    if known is None:
        _checked_name(name)
        if family not in FAMILIES:
            raise BadInput(f"There is no family {family!r}.", field="family", remedy=f"Use one of: {', '.join(FAMILIES)}.")
    checked_sftp(where)
    now = ports.clock().now()
    with transaction.atomic():
        device = known or Device(name=name.strip(), added_at=now, family=family, model="SFTP")
        if known is None:
            device.holder, device.team = holder_named(holder, team)
        put_sftp(device, where)
        device.link, device.last_seen_at = LinkType.SFTP, now
        _put(device, new=known is None, fields=("link", *SFTP_FIELDS, "last_seen_at"))
        write_journal(
            who=by,
            what="device.added",
            way="sftp",
            facts={"device": device.name, "host": where.host, "port": where.port},
            at=now,
            device=device.id,
        )
    return device


def _put(device: Device, *, new: bool, fields: Sequence[str]) -> None:
    """A new row, or these fields of one that was in the register already."""
    if new:
        device.save(force_insert=True)
    else:
        device.save(update_fields=list(fields))


def checked_folder(path: str, *, other_than: Device | None) -> str:
    """The folder without links in its path. Raises BadInput, Conflict, LinkError."""
    path = str(ports.stores().place(path))
    ports.devices().folder_link(path).state()
    others = Device.objects.filter(folder=path)
    if (others.exclude(id=other_than.id) if other_than else others).exists():
        raise Conflict("This folder is in the list already.", remedy="Open it under Devices.")
    return path


def checked_sftp(where: SftpPlace) -> None:
    """Sign in there and look at the folder, before anything is kept. Raises BadInput, LinkError."""
    if not where.host_key:
        raise BadInput("Nobody has looked at the key of this device yet.", field="host_key", remedy="Connect first and compare its key.")
    if not where.password and not where.private_key:
        raise BadInput("Neither password nor key is given.", field="password", remedy="Type the password, or choose this server's key.")
    if not where.folder.startswith("/"):
        raise BadInput(f"{where.folder!r} is no absolute path.", field="folder", remedy="Begin it with /.")
    link = ports.devices().sftp_link(where, [])
    try:
        link.state()
    finally:
        link.close()


def put_sftp(device: Device, where: SftpPlace) -> None:
    """Into a row that the caller saves; the password sealed."""
    device.sftp_host, device.sftp_port, device.sftp_username = where.host, where.port, where.username
    device.sftp_folder, device.sftp_host_key = where.folder, where.host_key
    device.sftp_uses_key = not where.password and bool(where.private_key)
    device.sftp_password = ports.keys().seal(sftp_purpose(where.host, where.port), where.password.encode())


def _paired(address: str, agent_id: str, code: str) -> Paired:
    """Pair, counting wrong codes across attempts. Raises LinkError, BadInput, Conflict."""
    if len(code.replace(" ", "")) != CODE_LENGTH:
        remedy = "Type all of it, as the screen of the device shows it."
        raise BadInput(f"A pairing code has {CODE_LENGTH} characters.", field="code", remedy=remedy)
    now = ports.clock().now()
    PairingTry.objects.filter(at__lt=now - WRONG_FOR).delete()
    if PairingTry.objects.filter(agent_id=agent_id).count() >= WRONG_CODES:
        raise Conflict(f"{WRONG_CODES} wrong codes were typed for this device.", remedy="Wait ten minutes, then type its newest code.")
    try:
        paired = ports.devices().pair(address, code)
    except PairingRefused:
        PairingTry.objects.create(agent_id=agent_id, at=now)
        raise
    if paired.device != agent_id:
        raise Conflict("Another device answers at this address.", remedy="Look for devices again.")
    PairingTry.objects.filter(agent_id=agent_id).delete()
    return paired


def _unlinked(id: UUID) -> Device:
    device = Device.objects.select_related("holder", "team").filter(id=id).first()
    if device is None or device.link != LinkType.NONE:
        raise Conflict("This device of the register has a link already.", remedy="Choose another one, or none.")
    return device


def _checked_serial(serial: str, known: Device | None) -> None:
    """Two devices with one serial: one of them is not what it says. Raises Conflict."""
    others = Device.objects.filter(serial__iexact=serial)
    other = (others.exclude(id=known.id) if known else others).first() if serial else None
    if other is not None:
        step = "choose it above, so that it is linked to its entry" if other.link == LinkType.NONE else "look at both devices"
        says = f"{other.name} of {other.holder.name} has the serial {serial} in the register already."
        raise Conflict(says, remedy=f"If it is the same device, {step}; otherwise correct the serial there.")


def _checked_name(name: str) -> None:
    if not name.strip() or len(name) > 120:
        raise BadInput("The device has no usable name.", field="name", remedy="Give it a name of up to 120 characters.")
