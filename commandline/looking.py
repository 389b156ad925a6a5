"""list and show; and finding backups and items, for whoever works with them. Loads little, since it is called often."""

import argparse
from collections.abc import Iterator
from functools import partial
from typing import Any

from commandline.answers import DAMAGE, DONE, answer, instant, remark
from commandline.stores import opened, unlocked
from core.content.kinds import kind as kind_of
from core.content.paths import path_of, shown_path
from core.errors import BadInput
from core.exchange.filenames import UniqueNames, safe_path
from core.units import iec
from core.vault.errors import NoSuchBackup
from core.vault.manifests import Manifest, Stored
from core.vault.vault import Vault

FAMILY = "folder"
"""Of backups that were made of a folder: their items have paths."""


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
    wanted = list(chosen(vault, manifest, [given.path] if given.path else [], [], gone))
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


def chosen(vault: Vault, manifest: Manifest, paths: list[str], kinds: list[str], gone: dict[str, int]) -> Iterator[tuple[str, str, Stored]]:
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
