"""show; and finding items, for whoever works with them."""

import argparse
from collections.abc import Iterator
from functools import partial
from typing import Any

from commandline.answers import DAMAGE, DONE, answer, instant, remark
from commandline.listing import backup_id, device_name
from commandline.stores import unlocked_backup
from commandline.vaults import opened
from core.content.kinds import kind as kind_of
from core.content.paths import path_of, shown_path
from core.exchange.filenames import UniqueNames, safe_path
from core.units import iec
from core.vault.manifests import Manifest, Stored
from core.vault.vault import Vault

FAMILY = "folder"
"""Of backups that were made of a folder: their items have paths."""


def show(options: argparse.Namespace) -> int:
    """What is in a backup."""
    vault = opened(options)
    manifest = ready(vault, options.backup, options)
    gone: dict[str, int] = {}
    wanted = list(chosen(vault, manifest, [options.path] if options.path else [], [], gone))
    kinds = [{"kind": summary.kind, "items": summary.items, "bytes": summary.size_bytes} for summary in manifest.kinds]
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
    answer(document, lines, as_json=options.json)
    for kind, count in gone.items():
        remark(f"{count} items of {kind} cannot be named: their list is damaged")
    return DAMAGE if gone else DONE


def ready(vault: Vault, begin: str, options: argparse.Namespace) -> Manifest:
    """The backup, with the index at hand and its device unlocked."""
    vault.refresh()
    manifest = vault.manifest(backup_id(vault, begin))
    unlocked_backup(vault, manifest, device_name(manifest), options)
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
