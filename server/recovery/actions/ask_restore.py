"""Ask for a restore; and say beforehand what stands in its way."""

from django.db import transaction

from core.content.errors import LinkError
from core.errors import BadInput
from core.exchange.vcard import CardForm
from core.recovery.conflicts import WhenThere
from core.recovery.preflight import Finding, preflight
from core.recovery.selection import Selection
from server.api.problems import Conflict
from server.fleet.convert import link_to
from server.fleet.models import Device, DeviceState
from server.jobs import defer_restore
from server.locks import lock_device
from server.outside import outside
from server.people.actions.journal import write_journal
from server.people.models import User
from server.people.queries import office_zone
from server.recovery.models import Restore, Target
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
        return [Finding(code=error.code, blocks=True, says=error.message, remedy=error.remedy)]
    finally:
        if link is not None:
            link.close()
    whose, to = backup.device.holder, device.holder
    holders = (whose.name, to.name) if whose.id != to.id and device.state == DeviceState.IN_USE else None
    told = {"source_family": backup.family, "source_version": backup.os_version, "needed_bytes": needed, "holders": holders}
    return preflight(state, kinds=kinds, **told)  # type: ignore[arg-type]


def ask_restore(
    backup: Backup, selection: Selection, *, target: str, device: Device | None, when_there: str, by: User | None, cards: str = CardForm.V4
) -> Restore:
    """Raises BadInput; Conflict with the first finding that blocks; BeingRemoved when it comes too late."""
    if target not in Target.values:
        raise BadInput("Where should it go?", field="target", remedy="Choose a device or a ZIP archive.")
    if when_there not in set(WhenThere):
        raise BadInput("What should happen to what is there?", field="when_there", remedy="Keep both, replace, or skip.")
    if cards not in set(CardForm):
        raise BadInput("Contacts leave in no such form.", field="cards", remedy=f"Use one of: {', '.join(CardForm)}.")
    if len(selection.items) > MAX_ITEMS:
        raise BadInput(f"More than {MAX_ITEMS} single items are chosen.", field="selection", remedy="Choose the whole kind.")
    if target == Target.DEVICE:
        if device is None:
            raise BadInput("No device is chosen.", field="device", remedy="Choose one.")
        blocking = [finding for finding in findings(backup, device, selection) if finding.blocks]
        if blocking:
            raise Conflict(blocking[0].says, remedy=blocking[0].remedy)
    now = outside().now()
    with transaction.atomic():
        lock_device(backup.device_id)  # from here on no rule removes what it needs
        still_there(backup)
        restore = Restore.objects.create(
            backup=backup, target=target, device=device if target == Target.DEVICE else None, everything=selection.everything,
            kinds=sorted(selection.kinds), chosen_items=sorted(map(list, selection.items)), when_there=when_there, cards=cards, by=by,
            asked_at=now,
        )  # fmt: skip
        where = f"to {device.name}, {device.holder.name}" if device and target == Target.DEVICE else "into an archive"
        moment = backup.finished_at.astimezone(office_zone())
        says = f"Restore of {_what(selection)} of {backup.device.name}, {backup.device.holder.name}, from {moment:%Y-%m-%d %H:%M} {where}."
        write_journal(who=by, what="restore.asked", says=says, at=now, device=backup.device_id)
        defer_restore(restore.id, restore.device_id)
    return restore


def _what(selection: Selection) -> str:
    if selection.everything:
        return "everything"
    kinds, items = len(selection.kinds), len(selection.items)
    parts = [f"{kinds} {'kind' if kinds == 1 else 'kinds'}"] if kinds else []
    parts += [f"{items} single {'item' if items == 1 else 'items'}"] if items else []
    return " and ".join(parts)
