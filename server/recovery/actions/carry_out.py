"""Carry out a restore: to a device, or into a ZIP of open formats; end with a report that was counted."""

import time
from dataclasses import asdict
from typing import Any, cast
from uuid import UUID

from django.db import transaction
from django.db.models import QuerySet

from core.content.errors import DataAccessOff, DeviceAway, LinkCut
from core.content.link import DeviceLink, HoldsFiles, HoldsItems
from core.recovery.conflicts import WhenThere
from core.recovery.into_files import IntoFiles, WritableFiles
from core.recovery.into_items import IntoItems, ItemsLink
from core.recovery.report import KindReport
from core.recovery.restore import Going, Kinds, Place
from core.recovery.restore import restore as write_to_device
from core.recovery.selection import Selection, chosen, folders_of
from core.vault.errors import Stopped
from core.vault.manifests import Stored
from core.vault.vault import Vault
from server import ports
from server.fleet.convert import link_to, put_away
from server.fleet.models import Device
from server.live import publish
from server.recovery.actions.ended import end_restore
from server.recovery.actions.intents import RowIntents
from server.recovery.actions.write_export import write_export
from server.recovery.models import Restore, RestoreState, Target
from server.recovery.readers import opened_alone
from server.transition import held, move
from server.unforeseen import ending_of

PAUSES = (2, 5, 15)
"""Seconds until a restore goes on after each cut; after the last one it ends."""
TELL_EVERY_SECONDS = 0.4


def carry_out(restore_id: UUID) -> Restore:
    """The restore as it ended, whatever happens; one that has ended before is left as it is."""
    restore = _begun(restore_id)
    if restore.state != RestoreState.RUNNING:
        return restore
    try:
        report = _report(restore)
        whole = all(entry["whole"] for entry in report["kinds"])
        fields = {"report": report} | {name: getattr(restore, name) for name in ("file_name", "file_bytes", "file_start")}
        return _ended(restore_id, RestoreState.COMPLETE if whole else RestoreState.PARTIAL, **fields)
    except Stopped:
        remedy = "What was written already stays where it is; restore again when it suits."
        return _ended(restore_id, RestoreState.STOPPED, cause="It was stopped by hand.", remedy=remedy)
    except Exception as error:  # whatever it is, the restore ends with it
        ending = ending_of(error, f"restore {restore_id}")
        return _ended(restore_id, RestoreState.FAILED, cause=ending.cause, remedy=ending.remedy, reference=ending.reference)


@transaction.atomic
def _begun(restore_id: UUID) -> Restore:
    """Running from now on, unless it has ended."""
    restore, now = held(Restore, restore_id, "backup__device__holder", "device__holder", "by"), ports.clock().now()
    if restore.state == RestoreState.WAITING:
        move(restore, RestoreState.RUNNING, started_at=now, attempts=1)
    elif restore.state == RestoreState.RUNNING:
        restore.attempts += 1
        restore.save(update_fields=["attempts"])
    publish("restore", str(restore.id))
    return restore


@transaction.atomic
def _ended(restore_id: UUID, to: RestoreState, **fields: Any) -> Restore:
    """One that somebody has ended meanwhile stays as it is."""
    restore = held(Restore, restore_id, "backup__device__holder", "device__holder", "by")
    if restore.state == RestoreState.RUNNING:
        end_restore(restore, to, finished_at=ports.clock().now(), **fields)
    publish("restore", str(restore.id))
    return restore


def _report(restore: Restore) -> dict[str, Any]:
    selection = Selection(
        everything=restore.everything,
        kinds=frozenset(restore.kinds),
        items=frozenset((kind, id) for kind, id in restore.chosen_items),
    )
    vault, manifest = opened_alone(restore.backup)
    lost: dict[str, int] = {}
    kinds = list(chosen(vault, manifest, selection, lost=lost))
    folders = folders_of(vault, manifest, kinds, everything=selection.everything)
    if restore.target == Target.DEVICE:
        return _with_lost(_to_device(restore, vault, kinds, folders), lost)
    return _with_lost(write_export(restore, vault, kinds, folders, RestoreWatch(restore).tell), lost)


def _with_lost(report: dict[str, Any], lost: dict[str, int]) -> dict[str, Any]:
    """Items whose list is damaged have no names; their number stands among what could not be given back."""
    nothing = asdict(KindReport())
    kinds = {entry["kind"]: entry for entry in report["kinds"]}
    for kind, count in lost.items():
        entry = kinds.setdefault(kind, {"kind": kind} | nothing)
        entry["damaged"] = [*entry["damaged"], f"{count} items that cannot be named, because their list is damaged"]
        entry["whole"] = False
    return {**report, "kinds": list(kinds.values())}


def _wanted(restore_id: UUID) -> QuerySet[Restore]:
    """The restore, as long as it runs and nobody wants it to stop."""
    return Restore.objects.filter(id=restore_id, state=RestoreState.RUNNING, stop_asked=False)


class RestoreWatch:
    """Passes on how far it is, and ends the restore when somebody wants it to stop."""

    def __init__(self, restore: Restore) -> None:
        self._id, self._told = restore.id, 0.0

    def tell(self, kind: str, done_bytes: int, total_bytes: int) -> None:
        """Raises Stopped."""
        if time.monotonic() - self._told < TELL_EVERY_SECONDS:
            return
        self._told = time.monotonic()
        progress = {"kind": kind, "done_bytes": done_bytes, "total_bytes": total_bytes}
        if not _wanted(self._id).update(progress=progress):
            raise Stopped("The restore was stopped.")
        publish("restore", str(self._id), progress)


def _to_device(restore: Restore, vault: Vault, kinds: Kinds, folders: list[Stored]) -> dict[str, Any]:
    """Goes on after a cut; what was written until then is known and is not written again."""
    if restore.device is None:
        raise DeviceAway("The device of this restore is not in the register any more.", remedy="Choose another device.")
    for pause_seconds in (*PAUSES, None):
        try:
            return _once_to_device(restore, restore.device, vault, kinds, folders)
        except (LinkCut, DeviceAway):
            if pause_seconds is None:
                raise
            _wait(restore, pause_seconds)
    raise AssertionError("unreachable")


def _wait(restore: Restore, seconds: float) -> None:
    """How far it is stays as it was told last. Raises Stopped."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        if not _wanted(restore.id).exists():
            raise Stopped("The restore was stopped.")
        time.sleep(min(0.5, seconds))


def _once_to_device(restore: Restore, device: Device, vault: Vault, kinds: Kinds, folders: list[Stored]) -> dict[str, Any]:
    link, going = link_to(device), Going(tell=RestoreWatch(restore).tell)
    try:
        place = _place(restore, vault, link, folders, going)
        kind_reports = write_to_device(vault, link, place, kinds, intents=RowIntents(restore.id), going=going)
    finally:
        put_away(link)
    return {"kinds": [{"kind": kind} | asdict(counts) | {"whole": counts.whole} for kind, counts in kind_reports.items()]}


def _place(restore: Restore, vault: Vault, link: DeviceLink, folders: list[Stored], going: Going) -> Place:
    when_there = WhenThere(restore.when_there)
    if isinstance(link, HoldsFiles):
        return IntoFiles(vault, cast(WritableFiles, link), when_there=when_there, folders=folders, going=going)
    if isinstance(link, HoldsItems):
        same = restore.device_id == restore.backup.device_id
        return IntoItems(vault, cast(ItemsLink, link), when_there=when_there, same_device=same, going=going)
    raise DataAccessOff("Nothing can be written over this link.", remedy="Make an archive instead.")
