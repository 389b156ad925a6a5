"""Ask for a restore; and say beforehand what stands in its way."""

from dataclasses import dataclass, field
from datetime import date
from pathlib import PurePosixPath

from django.db import transaction

from core.content.errors import LinkError
from core.content.readiness import Finding, Level, blockers
from core.errors import BadInput
from core.exchange.locked import check_passphrase
from core.exchange.vcard import CardForm
from core.recovery.conflicts import WhenThere
from core.recovery.preflight import preflight
from core.recovery.selection import Selection
from server import ports
from server.api.problems import Conflict
from server.fleet.convert import link_to
from server.fleet.models import Device, DeviceState
from server.jobs import defer_restore
from server.locks import lock_device
from server.people.actions.journal import write_journal
from server.people.models import User
from server.people.queries import office_zone
from server.recovery.actions.end_exports import check_until
from server.recovery.actions.write_export import PASSPHRASES, lacking_room
from server.recovery.models import ExportFolder, Layout, Restore, Target
from server.runs.models import Backup
from server.runs.protection import still_there

MAX_ITEMS = 20_000


def findings(backup: Backup, device: Device, selection: Selection) -> list[Finding]:
    """What blocks writing this to the device now, and what to know. Reaches for the device."""
    kinds = [entry["kind"] for entry in backup.kinds if selection.touches(entry["kind"])]
    needed = sum(entry["size_bytes"] for entry in backup.kinds if selection.everything or entry["kind"] in selection.kinds)
    link = None
    try:
        link = link_to(device)
        state = link.state()
    except LinkError as error:
        return [Finding(code=error.code, level=Level.BLOCKS, says=error.message, step=error.remedy)]
    finally:
        if link is not None:
            link.close()
    whose, to = backup.device.holder, device.holder
    holders = (whose.name, to.name) if whose.id != to.id and device.state == DeviceState.IN_USE else None
    fields = {"source_family": backup.family, "source_version": backup.os_version, "needed_bytes": needed, "holders": holders}
    return preflight(state, kinds=kinds, **fields)


@dataclass(frozen=True, slots=True, kw_only=True)
class Export:
    """How what is exported leaves. Of an archive: `passphrase`, when it is to be locked. Of a folder: where, whose, until which day."""

    cards: str = CardForm.V4
    layout: str = Layout.FILES
    passphrase: str = field(default="", repr=False)
    passphrase_again: str = field(default="", repr=False)
    folder: str = ""
    keeper: User | None = None
    until: date | None = None


def ask_restore(
    backup: Backup, selection: Selection, *, target: str, device: Device | None, when_there: str, by: User | None, export: Export = Export()
) -> Restore:
    """Raises BadInput; Conflict with the first finding that blocks; BeingRemoved when it comes too late."""
    if target not in Target.values:
        raise BadInput("Where should it go?", field="target", remedy="Choose a device, a ZIP archive, or a folder of the server.")
    if when_there not in set(WhenThere):
        raise BadInput("What should happen to what is there?", field="when_there", remedy="Keep both, replace, or skip.")
    if len(selection.items) > MAX_ITEMS:
        raise BadInput(f"More than {MAX_ITEMS} single items are chosen.", field="selection", remedy="Choose the whole kind.")
    blocking: list[Finding] = []
    if target == Target.DEVICE:
        if device is None:
            raise BadInput("No device is chosen.", field="device", remedy="Choose one.")
        blocking = blockers(findings(backup, device, selection))
    else:
        _check_export(export, target)
        blocking = room_findings(backup, selection, target=target, locked=bool(export.passphrase))
    if blocking:
        raise Conflict(blocking[0].says, remedy=blocking[0].step)
    now = ports.clock().now()
    with transaction.atomic():
        lock_device(backup.device_id)  # from here on no rule removes what it needs
        still_there(backup)
        restore = Restore.objects.create(
            backup=backup, target=target, device=device if target == Target.DEVICE else None, everything=selection.everything,
            kinds=sorted(selection.kinds), chosen_items=sorted(map(list, selection.items)), when_there=when_there, cards=export.cards,
            by=by, asked_at=now, layout=export.layout, locked=target == Target.ARCHIVE and bool(export.passphrase),
            passphrase=_sealed(export.passphrase) if target == Target.ARCHIVE else None,
        )  # fmt: skip
        where = _where(target, device, export)
        if target == Target.FOLDER and (keeper := export.keeper or by) is not None and export.until is not None:
            ExportFolder.objects.create(restore=restore, path=export.folder, keeper=keeper, until=export.until)
        facts = {
            "what": _what(selection), "device": backup.device.name, "holder": backup.device.holder.name,
            "moment": f"{backup.finished_at.astimezone(office_zone()):%Y-%m-%d %H:%M}", "where": where,
        }  # fmt: skip
        write_journal(who=by, what="restore.asked", facts=facts, at=now, device=backup.device_id)
        defer_restore(restore.id, restore.device_id)
    return restore


def room_findings(backup: Backup, selection: Selection, *, target: str, locked: bool) -> list[Finding]:
    """Whether the server's disk has room for the archive. Single items are not counted: they are few."""
    if target != Target.ARCHIVE:
        return []
    size_bytes = sum(entry["size_bytes"] for entry in backup.kinds if selection.everything or entry["kind"] in selection.kinds)
    lacking = lacking_room(size_bytes, locked=locked)
    return [] if lacking is None else [Finding(code=lacking.code, level=Level.BLOCKS, says=lacking.message, step=lacking.remedy)]


def _check_export(export: Export, target: str) -> None:
    """Raises BadInput."""
    if export.cards not in set(CardForm):
        raise BadInput("Contacts leave in no such form.", field="cards", remedy=f"Use one of: {', '.join(CardForm)}.")
    if export.layout not in Layout.values:
        raise BadInput("An export is laid out in no such way.", field="layout", remedy=f"Use one of: {', '.join(Layout.values)}.")
    if target == Target.FOLDER:
        if export.passphrase or export.passphrase_again:
            remedy = "Leave the passphrase empty, or make an archive under it."
            raise BadInput("A folder lies open on the server.", field="passphrase", remedy=remedy)
        if export.until is None:
            raise BadInput("Until when should the folder stay?", field="until", remedy="Choose its last day.")
        check_until(export.until, ports.clock().now())
        taken = ExportFolder.objects.filter(gone_at__isnull=True).values_list("path", flat=True)
        ports.results().export_folder(export.folder)
        if any(_touch(PurePosixPath(export.folder), PurePosixPath(path)) for path in taken):
            raise BadInput("Another export lies there.", field="folder", remedy="Choose another folder, or erase that one first.")
    elif export.passphrase or export.passphrase_again:
        check_passphrase(export.passphrase, export.passphrase_again)


def _touch(one: PurePosixPath, other: PurePosixPath) -> bool:
    return one.is_relative_to(other) or other.is_relative_to(one)


def _sealed(passphrase: str) -> bytes | None:
    return ports.keys().seal(PASSPHRASES, passphrase.encode()) if passphrase else None


def _where(target: str, device: Device | None, export: Export) -> str:
    if target == Target.DEVICE and device is not None:
        return f"to {device.name}, {device.holder.name}"
    if target == Target.FOLDER:
        return f"into the folder {export.folder}, until {export.until}"
    return "into an archive under a passphrase" if export.passphrase else "into an archive"


def _what(selection: Selection) -> str:
    if selection.everything:
        return "everything"
    kinds, items = len(selection.kinds), len(selection.items)
    parts = [f"{kinds} {'kind' if kinds == 1 else 'kinds'}"] if kinds else []
    parts += [f"{items} single {'item' if items == 1 else 'items'}"] if items else []
    return " and ".join(parts)
