"""Carry out a restore: to a device, or into a ZIP of open formats; end with a report that was counted."""

import os
import secrets
import time
from dataclasses import asdict
from typing import Any
from uuid import UUID

from django.db import transaction

from core.content.errors import DeviceAway
from core.content.items import Item
from core.exchange.archive import Archive, Content
from core.exchange.filenames import safe_part
from core.recovery.conflicts import WhenThere
from core.recovery.restore import Report
from core.recovery.restore import restore as write_to_device
from core.recovery.selection import Selection, chosen
from core.vault.errors import Stopped
from core.vault.manifests import Stored
from core.vault.vault import Vault
from server.fleet.convert import link_to, put_away
from server.live import tell
from server.outside import outside
from server.people.queries import office_zone
from server.recovery.models import Restore, RestoreState, Target
from server.recovery.readers import reading
from server.transition import held, move
from server.unforeseen import ending_of

TELL_EVERY_SECONDS = 0.4


def carry_out(restore_id: UUID) -> Restore:
    """The restore as it ended, whatever happens; one that has ended before is left as it is."""
    restore = _begun(restore_id)
    if restore.state != RestoreState.RUNNING:
        return restore
    try:
        report = _report(restore)
        whole = all(entry["expected"] == entry["found"] and not entry["damaged"] for entry in report["kinds"])
        told = {"report": report, "file_name": restore.file_name, "file_bytes": restore.file_bytes}
        return _ended(restore_id, RestoreState.COMPLETE if whole else RestoreState.PARTIAL, **told)
    except Stopped:
        remedy = "What was written already stays where it is; restore again when it suits."
        return _ended(restore_id, RestoreState.STOPPED, cause="It was stopped by hand.", remedy=remedy)
    except Exception as error:  # whatever it is, the restore ends with it
        ending = ending_of(error, f"restore {restore_id}")
        return _ended(restore_id, RestoreState.FAILED, cause=ending.cause, remedy=ending.remedy, reference=ending.reference)


@transaction.atomic
def _begun(restore_id: UUID) -> Restore:
    """Running from now on, unless it has ended."""
    restore, now = held(Restore, restore_id, "backup__device__holder", "device__holder", "by"), outside().now()
    if restore.state == RestoreState.WAITING:
        move(restore, RestoreState.RUNNING, started_at=now, attempts=1)
    elif restore.state == RestoreState.RUNNING:
        restore.attempts += 1
        restore.save(update_fields=["attempts"])
    tell("restore", str(restore.id))
    return restore


@transaction.atomic
def _ended(restore_id: UUID, to: RestoreState, **fields: Any) -> Restore:
    """One that somebody has ended meanwhile stays as it is."""
    restore = held(Restore, restore_id, "backup__device__holder", "device__holder", "by")
    if restore.state == RestoreState.RUNNING:
        move(restore, to, finished_at=outside().now(), **fields)
    tell("restore", str(restore.id))
    return restore


def _report(restore: Restore) -> dict[str, Any]:
    selection = Selection(
        everything=restore.everything,
        kinds=frozenset(restore.kinds),
        items=frozenset((kind, id) for kind, id in restore.chosen_items),
    )
    with reading(restore.backup) as (reader, manifest):
        lost: dict[str, int] = {}
        kinds = list(chosen(reader.vault, manifest, selection, lost=lost))
        write = _to_device if restore.target == Target.DEVICE else _to_archive
        return _with_lost(write(restore, reader.vault, kinds), lost)


def _with_lost(report: dict[str, Any], lost: dict[str, int]) -> dict[str, Any]:
    """Items whose list is damaged have no names; their number stands among what could not be given back."""
    nothing = {"chosen": 0, "written": 0, "expected": 0, "found": 0, "damaged": []}
    kinds = {entry["kind"]: entry for entry in report["kinds"]}
    for kind, count in lost.items():
        entry = kinds.setdefault(kind, {"kind": kind} | nothing)
        entry["damaged"] = [*entry["damaged"], f"{count} items that cannot be named, because their list is damaged"]
    return {**report, "kinds": list(kinds.values())}


class Watch:
    """Passes on how far it is, and ends the restore when somebody wants it to stop."""

    def __init__(self, restore: Restore) -> None:
        self._id, self._told = restore.id, 0.0

    def tell(self, kind: str, done_bytes: int, total_bytes: int) -> None:
        """Raises Stopped."""
        if time.monotonic() - self._told < TELL_EVERY_SECONDS:
            return
        self._told = time.monotonic()
        going = Restore.objects.filter(id=self._id, state=RestoreState.RUNNING, stop_asked=False)
        progress = {"kind": kind, "done_bytes": done_bytes, "total_bytes": total_bytes}
        if not going.update(progress=progress):
            raise Stopped("The restore was stopped.")
        tell("restore", str(self._id), progress)


def _to_device(restore: Restore, vault: Vault, kinds: list[tuple[str, list[Stored]]]) -> dict[str, Any]:
    if restore.device is None:
        raise DeviceAway("The device of this restore is not in the register any more.", remedy="Choose another device.")
    link = link_to(restore.device)
    try:
        same = restore.device_id == restore.backup.device_id
        when_there, watch = WhenThere(restore.when_there), Watch(restore)
        found: Report = write_to_device(vault, link, kinds, when_there=when_there, same_device=same, on_progress=watch.tell)
    finally:
        put_away(link)
    return {"kinds": [{"kind": kind} | asdict(counts) for kind, counts in found.items()]}


def _to_archive(restore: Restore, vault: Vault, kinds: list[tuple[str, list[Stored]]]) -> dict[str, Any]:
    """Written beside its place and renamed: a file that can be fetched is whole."""
    folder = outside().exports
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    unfinished = folder / f".unfinished-{secrets.token_hex(8)}"
    try:
        with unfinished.open("wb") as file:
            archive = Archive(file, now=outside().now())
            watch, done, total = Watch(restore), 0, sum(entry.item.size_bytes for _, stored in kinds for entry in stored)
            for kind, stored in kinds:
                watch.tell(kind, done, total)
                archive.add_kind(kind, [_opener(vault, entry) for entry in stored])
                done += sum(entry.item.size_bytes for entry in stored)
            found = archive.close()
            file.flush()
            os.fsync(file.fileno())
        unfinished.replace(folder / f"{restore.id}.zip")
    finally:
        unfinished.unlink(missing_ok=True)
    day = restore.backup.finished_at.astimezone(office_zone())
    restore.file_name = safe_part(f"{restore.backup.device.name} {day:%Y-%m-%d %H%M}.zip")
    restore.file_bytes = (folder / f"{restore.id}.zip").stat().st_size
    damaged: dict[str, list[str]] = {}
    for kind, name in found.damaged:
        damaged.setdefault(kind, []).append(name)
    return {
        "kinds": [
            {
                "kind": kind,
                "chosen": len(stored),
                "written": found.written.get(kind, 0),
                "expected": len(stored),
                "found": found.written.get(kind, 0),
                "damaged": damaged.get(kind, []),
            }
            for kind, stored in kinds
        ]
    }


def _opener(vault: Vault, stored: Stored) -> tuple[Item, Content]:
    return stored.item, lambda: vault.read(stored)
