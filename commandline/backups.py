"""backup, list, show, restore."""

import argparse
import time
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any

from adapters.destinations.folder import FolderDestination
from adapters.links.tree import FAMILY, TreeLink
from commandline.answers import DAMAGE, DONE, answer, instant, remark
from commandline.progress import Meter
from commandline.stores import now, opened, unlocked
from core.content.kinds import KIND_CODES
from core.content.kinds import kind as kind_of
from core.content.left_out import matters, reason_of
from core.content.paths import path_of, shown_path
from core.errors import BadInput
from core.exchange.filenames import UniqueNames, safe_path
from core.recovery.extract import extract
from core.units import iec
from core.vault.capture import Capture, Captured, Progress, Request
from core.vault.errors import NoSuchBackup
from core.vault.manifests import Manifest, Stored
from core.vault.sealed_devices import key_of
from core.vault.vault import Vault
from core.vault.writer import Writer

_MOST_SHOWN = 20


def backup(given: argparse.Namespace) -> int:
    """Take a backup of a folder."""
    if not given.device.strip() or len(given.device) > 200:
        raise BadInput("The device has no usable name.", field="device", remedy="Give --device a name of up to 200 characters.")
    began = time.monotonic()
    vault = opened(given)
    unlocked(vault, given.device, given)
    folder = Path(given.folder)
    link = TreeLink(folder, leave_out=[] if given.store.startswith("s3://") else [Path(given.store)])
    key = key_of(vault, given.device)
    writer = Writer(vault, inner=vault.device_keys[key] if key else None)
    previous = newest_of(vault, given.device)
    request = Request(
        device=previous.device if previous else given.device,
        device_told={"name": given.device},
        kinds=tuple(KIND_CODES),
        note=given.note,
        zone="UTC",
    )
    meter = Meter("Backing up")

    def tell(progress: Progress) -> None:
        meter(progress.read_bytes, progress.to_read_bytes)

    try:
        captured = Capture(link, writer, request, clock=now, on_progress=tell).run(previous)
    finally:
        meter.close()
    return _told_backup(given, captured, seconds=time.monotonic() - began)


def _told_backup(given: argparse.Namespace, captured: Captured, *, seconds: float) -> int:
    manifest = captured.manifest
    skipped = [{"path": entry.name, "code": entry.code, "reason": reason_of(entry.code, entry.detail)} for entry in captured.skipped]
    document = {
        "backup": manifest.id.hex(),
        "items": manifest.items,
        "bytes": manifest.size_bytes,
        "read_bytes": captured.read_bytes,
        "stored_bytes": captured.stored_bytes,
        "skipped": skipped,
        "seconds": round(seconds, 3),
    }
    lines = [
        f"Backup {manifest.id.hex()} is complete: {manifest.items} items, {iec(manifest.size_bytes)}.",
        f"{iec(captured.read_bytes)} were read and {iec(captured.stored_bytes)} stored in {seconds:.1f} seconds.",
    ]
    answer(document, lines, as_json=given.json)
    for entry in skipped[:_MOST_SHOWN]:
        remark(f"left out: {entry['path']}: {entry['reason']}")
    if len(skipped) > _MOST_SHOWN:
        remark(f"… and {len(skipped) - _MOST_SHOWN} more; --json names them all")
    return DAMAGE if any(matters(entry.code) for entry in captured.skipped) else DONE


def list_backups(given: argparse.Namespace) -> int:
    """Every backup, newest first."""
    vault = opened(given)
    found = [manifest for manifest in vault.manifests() if given.device is None or given.device in names_of(manifest)]
    document = [
        {
            "backup": manifest.id.hex(),
            "device": device_name(manifest),
            "finished_at": instant(manifest.finished_at),
            "items": manifest.items,
            "bytes": manifest.size_bytes,
        }
        for manifest in found
    ]
    lines = [
        f"{row['backup']}  {row['finished_at']}  {row['items']:>9}  {iec(_count(row['bytes'])):>10}  {row['device']}" for row in document
    ]
    answer(document, lines or ["There is no backup here."], as_json=given.json)
    for name, reason in vault.unreadable.items():
        remark(f"cannot be read: {name}: {reason}")
    return DAMAGE if vault.unreadable else DONE


def show(given: argparse.Namespace) -> int:
    """What is in a backup."""
    vault = opened(given)
    manifest = ready(vault, given.backup, given)
    gone: dict[str, int] = {}
    wanted = list(_chosen(vault, manifest, [given.path] if given.path else [], [], gone))
    kinds = [{"kind": found.kind, "items": found.items, "bytes": found.size_bytes} for found in manifest.kinds]
    items = [
        {"kind": kind, "path": shown_path(path), "bytes": stored.item.size_bytes, "modified": stored.item.modified.isoformat()}
        for kind, path, stored in wanted
    ]
    document = {
        "backup": manifest.id.hex(),
        "device": device_name(manifest),
        "finished_at": instant(manifest.finished_at),
        "note": manifest.note,
        "kinds": kinds,
        "items": items,
    }
    lines = [f"{device_name(manifest)}, {instant(manifest.finished_at)}" + (f", {manifest.note}" if manifest.note else "")]
    lines += [f"{row['items']:>9}  {iec(_count(row['bytes'])):>10}  {kind_of(str(row['kind'])).label}" for row in kinds]
    lines += [f"{iec(_count(row['bytes'])):>10}  {row['modified']}  {row['path']}" for row in items]
    answer(document, lines, as_json=given.json)
    for kind, count in gone.items():
        remark(f"{count} items of {kind} cannot be named: their list is damaged")
    return DAMAGE if gone else DONE


def restore(given: argparse.Namespace) -> int:
    """Write a backup, or parts of it, into an empty folder."""
    vault = opened(given)
    manifest = ready(vault, given.backup, given)
    for code in given.kind or ():
        kind_of(code)
    paths = [path.strip("/") for path in given.path or ()]
    gone: dict[str, int] = {}
    items = [(path, stored) for _, path, stored in _chosen(vault, manifest, paths, given.kind or [], gone)]
    whole = not paths and not given.kind
    if not items and not whole and not gone:
        raise BadInput("Nothing in this backup fits.", field="path", remedy="Look with `show` what is in it.")
    trees = [manifest.folders] if manifest.folders else []
    folders = [(path_of(stored.item), stored) for tree in trees for stored in vault.items(manifest, tree.kind, lost=lambda count: None)]
    if not whole:
        needed = {path[:at] for path, _ in items for at, letter in enumerate(path) if letter == "/"}
        folders = [entry for entry in folders if entry[0] in needed]
    destination = FolderDestination(Path(given.dest))
    try:
        destination.prepare()
    except FileExistsError as error:
        raise BadInput(str(error), field="dest", remedy="Choose an empty folder, or one that does not exist yet.") from None
    meter = Meter("Restoring")
    try:
        found = extract(vault, items, folders, destination, on_progress=meter)
    finally:
        meter.close()
    damaged = [{"kind": lost.kind, "path": shown_path(lost.path), "reason": lost.reason} for lost in found.lost]
    for kind, count in gone.items():
        damaged.append({"kind": kind, "path": "", "reason": f"{count} items cannot even be named: their list is damaged."})
    answer(
        {"items": found.items, "bytes": found.size_bytes, "damaged": damaged},
        [f"{found.items} items, {iec(found.size_bytes)}, were restored to {given.dest}."],
        as_json=given.json,
    )
    for entry in damaged[:_MOST_SHOWN]:
        remark(f"not restored: {entry['path']}: {entry['reason']}")
    if len(damaged) > _MOST_SHOWN:
        remark(f"… and {len(damaged) - _MOST_SHOWN} more; --json names them all")
    return DAMAGE if damaged else DONE


# -- finding backups and items


def device_name(manifest: Manifest) -> str:
    return manifest.device_told.get("name") or manifest.device


def names_of(manifest: Manifest) -> set[str]:
    return {manifest.device, device_name(manifest)}


def newest_of(vault: Vault, device: str) -> Manifest | None:
    """The last backup of a device."""
    return next((manifest for manifest in vault.manifests() if device in names_of(manifest)), None)


def backup_id(vault: Vault, told: str) -> bytes:
    """From a whole id, a beginning that only one has, or `newest`. Raises NoSuchBackup, BadInput."""
    if told == "newest":
        found = vault.manifests()
        if not found:
            raise NoSuchBackup("There is no backup here.")
        return found[0].id
    ids = [id for id in vault.backup_ids() if told and id.hex().startswith(told.lower())]
    if len(ids) > 1:
        raise BadInput(f"{len(ids)} backups begin with {told}.", field="backup", remedy="Give more of its id.")
    if not ids:
        raise NoSuchBackup(f"The store holds no backup {told}.", remedy="Look with `list` which there are.")
    return ids[0]


def ready(vault: Vault, told: str, given: argparse.Namespace) -> Manifest:
    """The backup, with the index at hand and its device unlocked."""
    vault.refresh()
    manifest = vault.manifest(backup_id(vault, told))
    if manifest.sealed is not None:
        unlocked(vault, device_name(manifest), given)
    return vault.manifest(manifest.id)


def _chosen(
    vault: Vault, manifest: Manifest, paths: list[str], kinds: list[str], gone: dict[str, int]
) -> Iterator[tuple[str, str, Stored]]:
    """(kind, path, item) of everything that fits; `gone` gets the number of items by kind whose list is damaged."""
    names = UniqueNames()
    from_folder = manifest.device_told.get("family") == FAMILY
    for summary in manifest.kinds:
        if kinds and summary.kind not in kinds:
            continue
        for stored in vault.items(manifest, summary.kind, lost=partial(gone.__setitem__, summary.kind)):
            path = path_of(stored.item) if from_folder else names.take(f"{summary.kind}/{safe_path(stored.item.name)}")
            if not paths or any(path == wanted or path.startswith(wanted + "/") for wanted in paths):
                yield summary.kind, path, stored


def _count(value: Any) -> int:
    return int(value)
