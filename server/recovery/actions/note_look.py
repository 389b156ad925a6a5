"""Leave a line about who looked into content, searched it, or took it away. Once a while for the same, not once a click."""

from datetime import timedelta
from uuid import UUID

from django.db import transaction

from core.content.kinds import KINDS
from server import ports
from server.fleet.models import Device
from server.locks import lock_alone
from server.people.actions.journal import write_journal
from server.people.models import JournalEntry, User
from server.people.moments import written
from server.recovery.models import Restore
from server.runs.models import Backup

SAME_FOR = timedelta(minutes=15)
"""Turning pages of one list is one look."""


def note_look(backup: Backup, kind: str, *, words: str, by: User) -> None:
    """Somebody reads a list of content; `words`: what was searched for, which is content itself and is not written down."""
    what = "content.searched" if words else "content.looked_into"
    deed = "searched in" if words else "looked into"
    _note(what, f"{KINDS[kind].label} of {_which(backup)} were {deed}.", backup, by)


def note_saved(backup: Backup, kind: str, *, by: User) -> None:
    """Somebody takes single items out."""
    _note("content.saved", f"Single items ({KINDS[kind].label.lower()}) of {_which(backup)} were saved.", backup, by)


def note_weighed(device: Device, *, by: User) -> None:
    """Somebody looks at what fills a device: names of its items."""
    _noted("content.looked_into", f"What fills {device.name}, {device.holder.name}, was looked at, item by item.", device.id, by)


def note_fetched(restore: Restore, *, by: User) -> None:
    """Somebody takes an archive away."""
    _note("content.fetched", f"The archive {restore.file_name} of {_which(restore.backup)} was fetched.", restore.backup, by)


def _which(backup: Backup) -> str:
    return f"the backup of {backup.device.name}, {backup.device.holder.name}, of {written(backup.finished_at)}"


def _note(what: str, says: str, backup: Backup, by: User) -> None:
    _noted(what, says, backup.device_id, by)


@transaction.atomic
def _noted(what: str, says: str, device: UUID, by: User) -> None:
    lock_alone(f"look {by.id}")
    now = ports.clock().now()
    said = JournalEntry.objects.filter(who=by, what=what, says=says, device=device, at__gt=now - SAME_FOR, at__lte=now)
    if not said.exists():
        write_journal(who=by, what=what, says=says, at=now, device=device)
