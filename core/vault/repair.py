"""Repair (§10.2): what a check found damaged or missing is fetched from another store that has it.

What the other store lacks as well comes from the device at its next run, because noted damage is not relied
on. Bad packs go with the next sweep. Raises nothing for what cannot be mended; it says what is left.
"""

from dataclasses import dataclass, field

import numpy as np

from core.vault import blobs as names
from core.vault.copying import moved, raw_manifest, resealed, same_key, send_chunks
from core.vault.errors import Damaged, NoSuchBackup
from core.vault.keys import ID_BYTES
from core.vault.ledger import note_seen
from core.vault.manifests import encode_manifest, parted_branch
from core.vault.mending import NotesReport, mend_notes
from core.vault.needs import needs_of
from core.vault.revisions import Revision, encoded
from core.vault.vault import Vault
from core.vault.writer import Writer

_MOST_ROUNDS = 8


@dataclass(slots=True, kw_only=True)
class RepairReport:
    mended_chunks: int = 0
    mended_manifests: int = 0
    left: list[bytes] = field(default_factory=list)
    """Backups of which something is still missing."""
    notes: NotesReport = field(default_factory=NotesReport)


def repair(vault: Vault, other: Vault) -> RepairReport:
    """Mend `vault` from `other`. Damage must have been noted first. Raises StoreError."""
    other.refresh()
    vault.refresh()
    report = RepairReport(notes=mend_notes(vault, other))
    writer = Writer(vault, fresh=False)
    try:
        _mend_manifests(vault, other, writer, report)
        if same_key(vault, other):
            # a mended branch may tell of more that is missing
            for _ in range(_MOST_ROUNDS):
                missing = missing_chunks(vault)
                if not missing or not send_chunks(other, vault, writer, missing):
                    break
                writer.flush()
        else:
            _mend_from_another_key(vault, other, writer)
        _take_their_trees(vault, other, writer)
        report.mended_chunks = writer.stored_chunks
    finally:
        writer.close()
    report.left = damaged_backups(vault)
    return report


def _take_their_trees(vault: Vault, other: Vault, writer: Writer) -> None:
    """Where a sweep of one of the two has bundled items anew, the same items lie in other chunks there: what cannot be mended
    chunk by chunk is had with the other store's trees, as a revision."""
    theirs_by_backup, ledger = dict[bytes, Revision](), vault.ledger()
    damaged = damaged_backups(vault)
    revisions = vault.revisions.now()
    unreadable = [name for name in vault.unreadable if name.startswith(names.REVISIONS)]
    for id in damaged:
        try:
            raw = raw_manifest(other, id)
            theirs = moved(other, vault, raw, writer) if same_key(vault, other) else resealed(other, vault, raw, writer)
        except (NoSuchBackup, Damaged):
            continue
        number = 1 + (revisions[id].number if id in revisions else 0)
        theirs_by_backup[id] = Revision(number=number, stay=ledger.stay(id), tops={summary.kind: summary.tops for summary in theirs.trees})
    if theirs_by_backup:
        writer.commit_revisions(encoded(theirs_by_backup))
    if unreadable and not damaged_backups(vault):
        for name in unreadable:  # nothing needs them any more
            vault.blobs.delete(name)


def missing_chunks(vault: Vault) -> set[bytes]:
    """Chunks that backups need and the index lacks."""
    manifests = vault.manifests()
    vault.refresh()
    needs = needs_of(vault, manifests)
    missing = set(needs.damaged)
    for branch, numbers in needs.branches.items():
        if (numbers < 0).any():
            ids, _ = parted_branch(vault.chunk(branch))
            missing |= {ids[at * ID_BYTES : (at + 1) * ID_BYTES] for at in np.flatnonzero(numbers < 0).tolist()}
    return missing


def damaged_backups(vault: Vault) -> list[bytes]:
    """Backups that cannot be restored whole, as far as the index tells."""
    vault.unreadable.clear()
    manifests = vault.manifests()
    unreadable = [bytes.fromhex(name.removeprefix(names.MANIFESTS)) for name in vault.unreadable if name.startswith(names.MANIFESTS)]
    vault.refresh()
    needs = needs_of(vault, manifests)
    bad = {branch for branch, numbers in needs.branches.items() if (numbers < 0).any()} | needs.damaged.keys()
    return sorted([*unreadable, *(backup for backup in needs.kinds if needs.trees(backup) & bad)])


def _mend_manifests(vault: Vault, other: Vault, writer: Writer, report: RepairReport) -> None:
    vault.unreadable.clear()
    present = {manifest.id for manifest in vault.manifests()}
    ledger = vault.ledger()
    for id in sorted((ledger.expected | vault.ids(names.MANIFESTS).keys()) - ledger.removed - present):
        try:
            manifest = raw_manifest(other, id)
            if same_key(vault, other):
                name = names.MANIFESTS + id.hex()
                sealed = vault.sealed_object(name, encode_manifest(manifest))
                vault.blobs.delete(name)
                vault.blobs.create(name, sealed)
                note_seen(vault, id, ledger.stay(id))
            else:
                anew = resealed(other, vault, manifest, writer)
                vault.blobs.delete(names.MANIFESTS + id.hex())
                writer.commit(anew, again=True)
        except (NoSuchBackup, Damaged):
            continue
        report.mended_manifests += 1


def _mend_from_another_key(vault: Vault, other: Vault, writer: Writer) -> None:
    """Sealing a backup of the other store anew gives chunks the ids that they have here; only missing ones are stored."""
    for id in damaged_backups(vault):
        try:
            resealed(other, vault, raw_manifest(other, id), writer)
        except (NoSuchBackup, Damaged):
            continue  # what it had of it mends other backups all the same
    writer.flush()
