"""Mending the ledger (§9.7): notes that cannot be read any more, or that somebody took away.

From a copy of the same store, byte for byte; else anew from what lies there. What nobody can tell any more is said,
never guessed.
"""

import json
from dataclasses import dataclass, field

from core.vault import blobs as names
from core.vault.backups import Backups
from core.vault.chain import MOST_PUT, rolled, taken_away
from core.vault.errors import BlobMissing, Damaged
from core.vault.ledger import read_ledger, write_ledger

_NOTES = (names.LEDGERS, names.STAYS, names.SEEN, names.REMOVED)


@dataclass(slots=True, kw_only=True)
class NotesReport:
    fetched: list[str] = field(default_factory=list)
    """Notes that a copy of this store still had."""
    anew: list[str] = field(default_factory=list)
    """Notes that were damaged or taken away, and instead of which the ledger was written anew."""
    elsewhere: list[bytes] = field(default_factory=list)
    """Backups of which the other store knows and this one does not: whether they were removed here or are missing, nobody can tell."""

    @property
    def lost(self) -> bool:
        """Whether it can no longer be told what was removed here on purpose."""
        return bool(self.anew)


def mend_notes(vault: Backups, other: Backups | None = None) -> NotesReport:
    """Nothing happens to a ledger that is whole. Raises StoreError."""
    report = NotesReport()
    broken = _broken(vault)
    if other is not None:
        report.fetched = [name for name in sorted(broken) if _fetched(vault, other, name)]
    broken = _broken(vault) if report.fetched else broken
    if not broken:
        return report
    present = {manifest.id for manifest in vault.manifests()}
    ledger = read_ledger(vault)
    for id in present - ledger.seen.keys():
        ledger.tell("seen", id, ledger.stay(id))
    swallowed = [names.id_in(name) for name in ledger.objects if name.startswith((names.STAYS, names.LEDGERS))]
    put = rolled(vault).put + [one for one in swallowed if one is not None]
    write_ledger(vault, ledger, {"put": b"".join(list(dict.fromkeys(put))[-MOST_PUT:]).hex()})
    for name in broken:
        vault.blobs.delete(name)
    report.anew = sorted(broken)
    if other is not None:
        known = ledger.seen.keys() | ledger.ended.keys()
        report.elsewhere = sorted(set(other.backup_ids()) - known)
    return report


def _broken(vault: Backups) -> set[str]:
    """Names of notes that are damaged, or that were taken away."""
    vault.unreadable = {name: why for name, why in vault.unreadable.items() if not name.startswith(_NOTES)}
    read_ledger(vault)
    taken = taken_away(vault)
    return taken | {name for name in vault.unreadable if name.startswith(_NOTES)}


def _fetched(vault: Backups, other: Backups, name: str) -> bool:
    """Only what opens here is taken: notes are sealed for their own store, which the other one may be a copy of."""
    try:
        sealed = other.blobs.read(name)
        json.loads(vault.opened(name, sealed) or b"null")
    except (BlobMissing, Damaged, ValueError):
        return False
    vault.blobs.delete(name)
    vault.blobs.create(name, sealed)
    return True
