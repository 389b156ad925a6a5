"""Between rows and the core's words."""

import logging
from collections.abc import Sequence
from datetime import date, datetime
from typing import Any

from core.content.accounts import Account
from core.content.classify import FileRule
from core.content.errors import DeviceAway, NotPaired
from core.content.link import DeviceLink
from core.content.link import DeviceReport as Told
from core.content.links import LINKS
from core.content.own_cloud import OwnCloud, OwnCloudPart, OwnCloudState
from core.schedule.promise import Standing
from server import ports
from server.fleet.models import Device, DeviceState, LinkType, SshKey
from server.ports import FilesLink, SftpPlace

log = logging.getLogger("attic.fleet")

SSH_PURPOSE = "ssh key of this server"
"""What its sealed private half is bound to."""
ASIDE = {
    DeviceState.AWAY: Standing.AWAY, DeviceState.LOST: Standing.LOST, DeviceState.IN_REPAIR: Standing.AWAY,
    DeviceState.LEFT: Standing.AWAY, DeviceState.RETIRED: Standing.RETIRED,
}  # fmt: skip


def link_to(device: Device) -> DeviceLink:
    """An open link; the caller closes it. Raises LinkError."""
    if device.link == LinkType.NONE:
        raise DeviceAway("This device is in the register only and has no link.", remedy=LINKS["none"].limits[0])
    if device.link in (LinkType.FOLDER, LinkType.SFTP):
        return files_link(device, rules_of(device.file_rules))
    if not device.agent_key:
        raise NotPaired("This device is not paired (any more).")
    return ports.devices().agent_link(device.agent_id, device.address, paired_key(device))


def paired_key(device: Device) -> bytes:
    """Empty where it is not paired."""
    return ports.keys().unseal(key_purpose(device.agent_id), bytes(device.agent_key)) if device.agent_key else b""


def put_away(link: DeviceLink) -> None:
    """Close it. What goes wrong there changes nothing about what was read or written; it is logged."""
    try:
        link.close()
    except Exception:
        log.exception("a link did not close")


def files_link(device: Device, rules: Sequence[FileRule]) -> FilesLink:
    """A folder or SFTP device, its files sorted by these rules."""
    if device.link == LinkType.FOLDER:
        return ports.devices().folder_link(device.folder, rules)
    where = SftpPlace(
        host=device.sftp_host, port=device.sftp_port or 22, username=device.sftp_username, password=known_password(device),
        folder=device.sftp_folder or "/", host_key=device.sftp_host_key, private_key=private_ssh_key() if device.sftp_uses_key else "",
    )  # fmt: skip
    return ports.devices().sftp_link(where, rules)


def known_password(device: Device) -> str:
    """Empty where it is signed in to with a key."""
    if device.sftp_uses_key or not device.sftp_password:
        return ""
    return ports.keys().unseal(sftp_purpose(device.sftp_host, device.sftp_port), bytes(device.sftp_password)).decode()


def private_ssh_key() -> str:
    """Of this server, in OpenSSH's format; empty while none was made."""
    ssh_key = SshKey.objects.first()
    return ports.keys().unseal(SSH_PURPOSE, bytes(ssh_key.private)).decode() if ssh_key else ""


def rules_of(entries: Sequence[dict[str, str]]) -> list[FileRule]:
    """Raises BadInput."""
    return [FileRule(pattern=entry["pattern"], kind=entry["kind"]) for entry in entries]


def key_purpose(agent_id: str) -> str:
    """What the sealed key of a device is bound to."""
    return f"agent key of {agent_id}"


def sftp_purpose(host: str, port: int | None) -> str:
    """What the sealed password of an SFTP device is bound to."""
    return f"sftp password of {host}:{port}"


def aside(device: Device) -> Standing | None:
    """Away, lost or retired; None for a device in use. A device in repair counts as away."""
    return ASIDE.get(DeviceState(device.state))


def told_card(reported: Told) -> dict[str, Any]:
    """What it says of its removable card; empty when it says nothing."""
    if reported.card is None:
        return {}
    card = reported.card
    return {"present": card.present, "size_bytes": card.size_bytes, "used_bytes": card.used_bytes, "encrypted": card.encrypted}


def told_account(account: Account) -> dict[str, Any]:
    """As rows keep it."""
    synced = account.last_sync.isoformat() if account.last_sync else None
    fields = {"kind": account.kind, "service": account.service, "is_default": account.is_default, "last_sync": synced}
    return fields | {"off_by_policy": account.off_by_policy}


def account_of(entry: dict[str, Any]) -> Account:
    """As the core knows it, of what a device's row keeps."""
    last = entry["last_sync"]
    return Account(
        kind=entry["kind"], service=entry["service"], is_default=entry["is_default"],
        last_sync=datetime.fromisoformat(last) if last else None, off_by_policy=entry["off_by_policy"],
    )  # fmt: skip


def register_values(device: Device) -> dict[str, str]:
    """A device as the register writes it: every column but the id, all texts."""
    return {
        "name": device.name, "holder": device.holder.name, "team": device.team.name if device.team else "", "state": device.state,
        "away_until": _day(device.away_until), "family": device.family, "make": device.make, "model": device.model,
        "serial": device.serial, "asset_tag": device.asset_tag, "os_version": device.os_version,
        "storage_total_bytes": "" if device.storage_total_bytes is None else str(device.storage_total_bytes),
        "purchased_on": _day(device.purchased_on), "handed_over_on": _day(device.handed_over_on), "note": device.note,
    }  # fmt: skip


def _day(day: date | None) -> str:
    return day.isoformat() if day else ""


def own_cloud_of(entry: dict[str, Any] | None) -> OwnCloud | None:
    """What was told, in the core's words; None for a device that has none."""
    if entry is None:
        return None
    last = entry.get("last_success")
    return OwnCloud(
        state=OwnCloudState(entry["state"]),
        service=entry["service"],
        account=entry["account"],
        last_success=datetime.fromisoformat(last) if last else None,
        used_bytes=entry["used_bytes"],
        allowed_bytes=entry["allowed_bytes"],
        kinds=tuple(OwnCloudPart(name=part["name"], size_bytes=part["bytes"]) for part in entry["kinds"]),
        devices=tuple(OwnCloudPart(name=part["name"], size_bytes=part["bytes"]) for part in entry["devices"]),
    )
