"""Keep after all what was leaving: it is back at once, and a hold says why it stays."""

from collections.abc import Sequence
from datetime import date
from uuid import UUID

from django.db import transaction

from server.live import publish
from server.locks import lock_devices
from server.people.models import User
from server.runs.actions.hold_backup import hold_backup
from server.runs.models import Backup


@transaction.atomic
def keep_backups(ids: Sequence[UUID], *, reason: str, by: User, until: date | None = None) -> int:
    """How many are kept; each in every store that it was leaving. Raises BadInput; BeingRemoved for one that comes too late."""
    backups = list(Backup.objects.filter(id__in=set(ids)).select_related("device").order_by("id"))
    lock_devices(backup.device_id for backup in backups)
    for backup in backups:
        hold_backup(backup, reason=reason, by=by, until=until)
    publish("changed", "devices")
    return len(backups)
