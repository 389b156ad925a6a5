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
    _note(what, {"kind": KINDS[kind].label, **_which(backup)}, backup.device_id, by)


def note_saved(backup: Backup, kind: str, *, by: User) -> None:
    """Somebody takes single items out."""
    _note("content.saved", {"kind": KINDS[kind].label.lower(), **_which(backup)}, backup.device_id, by)


def note_weighed(device: Device, *, by: User) -> None:
    """Somebody looks at what fills a device: names of its items."""
    _note("content.looked_into", {"way": "weighed", "device": device.name, "holder": device.holder.name}, device.id, by)


def note_fetched(restore: Restore, *, by: User) -> None:
    """Somebody takes an archive away."""
    _note("content.fetched", {"file": restore.file_name, **_which(restore.backup)}, restore.backup.device_id, by)


def _which(backup: Backup) -> dict[str, str]:
    return {"device": backup.device.name, "holder": backup.device.holder.name, "moment": written(backup.finished_at)}


@transaction.atomic
def _note(what: str, facts: dict[str, str], device: UUID, by: User) -> None:
    lock_alone(f"look {by.id}")
    now = ports.clock().now()
    said = JournalEntry.objects.filter(who=by, what=what, facts=facts, device=device, at__gt=now - SAME_FOR, at__lte=now)
    if not said.exists():
        write_journal(who=by, what=what, facts=facts, at=now, device=device)
