"""Backups and copies as retention sees them."""

from core.retention.rule import Claim, Moment
from server.runs.models import Copy

_WORDS = {
    "last": "one of the newest: {}",
    "day": "newest of the day {}",
    "week": "newest of the week {}",
    "month": "newest of the month {}",
    "year": "newest of the year {}",
    "hold": "on hold: {}",
    "last_restorable": "the only restorable one left",
}


def moment_of(copy: Copy) -> Moment:
    backup = copy.backup
    held = {"hold": backup.hold_reason, "hold_until": backup.hold_until}
    return Moment(id=str(backup.id), at=backup.finished_at, restorable=copy.intact, **held)


def claim_words(claim: Claim) -> str:
    """`newest of the week 2026-W10`."""
    return _WORDS[claim.bucket].format(claim.label)
