"""Change how a device is reached: rules for its files, its folder, its SFTP place, how fast it may be read."""

from collections.abc import Callable, Sequence
from dataclasses import replace

from django.db import transaction

from core.content.classify import MAX_RULES, Sorted, sorted_files
from core.errors import BadInput
from server import ports
from server.api.problems import Conflict
from server.fleet.actions.add_device import SFTP_FIELDS, checked_folder, checked_sftp, put_sftp
from server.fleet.convert import files_link, known_password, rules_of
from server.fleet.models import Device, LinkType
from server.people.actions.journal import write_journal
from server.people.models import User
from server.ports import SftpPlace

SLOWEST_BYTES_PER_SECOND = 1024


def change_link(
    device: Device,
    *,
    rules: Sequence[dict[str, str]],
    limit_bytes_per_second: int | None,
    folder: str,
    sftp: SftpPlace | None,
    by: User,
    same: Callable[[], None] | None = None,
) -> Device:
    """`folder` and `sftp` count only for devices of that link; an empty password keeps the one that is known.

    `same` is called in the transaction that saves, and raises when it is not as it was read. Raises BadInput, LinkError.
    """
    if len(rules) > MAX_RULES:
        raise BadInput(f"There are more than {MAX_RULES} rules.", field="rules", remedy="Use fewer, wider ones.")
    rules_of(rules)
    if limit_bytes_per_second is not None and limit_bytes_per_second < SLOWEST_BYTES_PER_SECOND:
        remedy = "Give at least 1 KiB a second, or leave it empty."
        raise BadInput("Nothing would ever finish at that speed.", field="limit_bytes_per_second", remedy=remedy)
    if rules and device.link not in (LinkType.FOLDER, LinkType.SFTP):
        raise BadInput("Only links that see files have rules.", field="rules", remedy="Leave them out.")
    folder = checked_folder(folder, other_than=device) if device.link == LinkType.FOLDER and folder != device.folder else device.folder
    where = _checked_place(device, sftp) if device.link == LinkType.SFTP and sftp is not None else None
    with transaction.atomic():
        if same is not None:
            same()
        return _changed(device, rules, limit_bytes_per_second, folder, where, by)


def _changed(
    device: Device, rules: Sequence[dict[str, str]], limit_bytes_per_second: int | None, folder: str, where: SftpPlace | None, by: User
) -> Device:
    device.file_rules = [{"pattern": rule["pattern"].strip(), "kind": rule["kind"]} for rule in rules]
    device.limit_bytes_per_second = limit_bytes_per_second
    device.folder = folder
    if where is not None:
        put_sftp(device, where)
    device.save(update_fields=["file_rules", "limit_bytes_per_second", "folder", *SFTP_FIELDS])
    write_journal(who=by, what="device.link_changed", facts={"device": device.name}, at=ports.clock().now(), device=device.id)
    return device


def _checked_place(device: Device, place: SftpPlace) -> SftpPlace:
    """Where it answers from now on, after it was signed in to there. Raises BadInput, LinkError."""
    if not place.password and not place.private_key and (place.host, place.port) != (device.sftp_host, device.sftp_port):
        remedy = "Type it again: it is not sent to another place."
        raise BadInput("The password is only known for the place that it was given for.", field="password", remedy=remedy)
    password = place.password if place.password or place.private_key else known_password(device)
    where = replace(place, password=password, host_key=place.host_key or device.sftp_host_key)
    checked_sftp(where)
    return where


def preview_rules(device: Device, rules: Sequence[dict[str, str]]) -> list[Sorted]:
    """What the rules would do with the files that are there now. Changes nothing. Raises BadInput, LinkError, Conflict."""
    if device.link not in (LinkType.FOLDER, LinkType.SFTP):
        raise Conflict("This link has no files of its own to sort.", remedy="Its agent names the kinds itself.")
    wanted = rules_of(rules)
    link = files_link(device, [])
    try:
        return sorted_files(link.files(), wanted)
    finally:
        link.close()
