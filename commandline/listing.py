"""list, and finding backups by what people call them. Loads nothing that reads content, since it is called often."""

import argparse
from typing import Any

from commandline.answers import DAMAGE, DONE, answer, instant, remark
from commandline.stores import opened_backups
from core.errors import BadInput
from core.units import iec
from core.vault.backups import Backups
from core.vault.errors import NoSuchBackup
from core.vault.manifests import Manifest


def list_backups(options: argparse.Namespace) -> int:
    """Every backup, newest first."""
    vault = opened_backups(options)
    manifests = [manifest for manifest in vault.manifests() if options.device is None or options.device in names_of(manifest)]
    document = [
        {
            "backup": manifest.id.hex(),
            "device": device_name(manifest),
            "finished_at": instant(manifest.finished_at),
            "items": manifest.items,
            "bytes": manifest.size_bytes,
        }
        for manifest in manifests
    ]
    lines = [
        f"{row['backup']}  {row['finished_at']}  {row['items']:>9}  {iec(_count(row['bytes'])):>10}  {row['device']}" for row in document
    ]
    answer(document, lines or ["There is no backup here."], as_json=options.json)
    for name, reason in vault.unreadable.items():
        remark(f"cannot be read: {name}: {reason}")
    return DAMAGE if vault.unreadable else DONE


def device_name(manifest: Manifest) -> str:
    return manifest.device_told.get("name") or manifest.device


def names_of(manifest: Manifest) -> set[str]:
    return {manifest.device, device_name(manifest)}


def newest_of(vault: Backups, device: str) -> Manifest | None:
    """The last backup of a device."""
    return next((manifest for manifest in vault.manifests() if device in names_of(manifest)), None)


def backup_id(vault: Backups, begin: str) -> bytes:
    """From a whole id, a beginning that only one has, or `newest`. Raises NoSuchBackup, BadInput."""
    if begin == "newest":
        manifests = vault.manifests()
        if not manifests:
            raise NoSuchBackup("There is no backup here.")
        return manifests[0].id
    ids = [id for id in vault.backup_ids() if begin and id.hex().startswith(begin.lower())]
    if len(ids) > 1:
        raise BadInput(f"{len(ids)} backups begin with {begin}.", field="backup", remedy="Give more of its id.")
    if not ids:
        raise NoSuchBackup(f"The store holds no backup {begin}.", remedy="Look with `list` which there are.")
    return ids[0]


def _count(value: Any) -> int:
    return int(value)
