"""What was leaving stays after all."""

from server.runs.models import Backup, Copy, CopyState
from server.transition import held, move

NOT_LEAVING = {
    "removed_why": "", "removed_by_rule": "", "leaving_since": None, "leaves_on": None, "leaving_by": None, "by_hand": False,
}  # fmt: skip
"""Columns of a copy that does not leave any more."""


def come_back(backup: Backup) -> None:
    """Its copies stay after all. Called under the lock of its device."""
    rows = list(Copy.objects.filter(backup=backup, state=CopyState.LEAVING).values_list("id", flat=True))
    for id in rows:
        move(held(Copy, id), CopyState.PRESENT, **NOT_LEAVING)
