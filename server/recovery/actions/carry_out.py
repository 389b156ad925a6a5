"""Carry out a restore: to a device, or into a ZIP of open formats; end with a report that was counted."""

import os
import secrets
import time
from dataclasses import asdict
from typing import Any
from uuid import UUID

from core.content.items import Item
from core.errors import AtticError
from core.exchange.archive import Archive, Content
from core.exchange.filenames import safe_part
from core.recovery.conflicts import WhenThere
from core.recovery.restore import Report
from core.recovery.restore import restore as write_to_device
from core.recovery.selection import Selection, chosen
from core.vault.manifests import Stored
from core.vault.vault import Vault
from server.fleet.convert import link_to
from server.outside import outside
from server.people.queries import office_zone
from server.recovery.models import Restore, RestoreState, Target
from server.recovery.queries import restore as restore_by_id
from server.recovery.readers import reading
from server.runs.live import tell

ENDED = (RestoreState.COMPLETE, RestoreState.PARTIAL, RestoreState.FAILED)
TELL_EVERY_SECONDS = 0.4


def carry_out(restore_id: UUID) -> Restore:
    """The restore as it ended; one that has ended before is left as it is."""
    restore = restore_by_id(restore_id)
    if restore.state in ENDED:
        return restore
    restore.state, restore.started_at = RestoreState.RUNNING, outside().now()
    restore.save(update_fields=["state", "started_at"])
    tell("restore", str(restore.id))
    try:
        selection = Selection(
            everything=restore.everything,
            kinds=frozenset(restore.kinds),
            items=frozenset((kind, id) for kind, id in restore.chosen_items),
        )
        with reading(restore.backup) as (reader, manifest):
            lost: dict[str, int] = {}
            kinds = list(chosen(reader.vault, manifest, selection, lost=lost))
            write = _to_device if restore.target == Target.DEVICE else _to_archive
            restore.report = _with_lost(write(restore, reader.vault, kinds), lost)
        whole = all(entry["expected"] == entry["found"] and not entry["damaged"] for entry in restore.report["kinds"])
        restore.state = RestoreState.COMPLETE if whole else RestoreState.PARTIAL
    except AtticError as error:
        restore.state, restore.cause, restore.remedy = RestoreState.FAILED, error.message[:600], error.remedy[:600]
    restore.finished_at = outside().now()
    restore.save()
    tell("restore", str(restore.id))
    return restore


def _with_lost(report: dict[str, Any], lost: dict[str, int]) -> dict[str, Any]:
    """Items whose list is damaged have no names; their number stands among what could not be given back."""
    nothing = {"chosen": 0, "written": 0, "expected": 0, "found": 0, "damaged": []}
    kinds = {entry["kind"]: entry for entry in report["kinds"]}
    for kind, count in lost.items():
        entry = kinds.setdefault(kind, {"kind": kind} | nothing)
        entry["damaged"] = [*entry["damaged"], f"{count} items that cannot be named, because their list is damaged"]
    return {**report, "kinds": list(kinds.values())}


def _to_device(restore: Restore, vault: Vault, kinds: list[tuple[str, list[Stored]]]) -> dict[str, Any]:
    assert restore.device is not None
    told = 0.0

    def on_progress(kind: str, done_bytes: int, total_bytes: int) -> None:
        nonlocal told
        if time.monotonic() - told < TELL_EVERY_SECONDS:
            return
        told = time.monotonic()
        progress = {"kind": kind, "done_bytes": done_bytes, "total_bytes": total_bytes}
        Restore.objects.filter(id=restore.id).update(progress=progress)
        tell("restore", str(restore.id), progress)

    link = link_to(restore.device)
    try:
        same = restore.device_id == restore.backup.device_id
        found: Report = write_to_device(
            vault, link, kinds, when_there=WhenThere(restore.when_there), same_device=same, on_progress=on_progress
        )
    finally:
        link.close()
    return {"kinds": [{"kind": kind} | asdict(counts) for kind, counts in found.items()]}


def _to_archive(restore: Restore, vault: Vault, kinds: list[tuple[str, list[Stored]]]) -> dict[str, Any]:
    """Written beside its place and renamed: a file that can be fetched is whole."""
    folder = outside().exports
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    unfinished = folder / f".unfinished-{secrets.token_hex(8)}"
    try:
        with unfinished.open("wb") as file:
            archive = Archive(file, now=outside().now())
            for kind, stored in kinds:
                archive.add_kind(kind, [_opener(vault, entry) for entry in stored])
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
