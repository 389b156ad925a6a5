"""Somebody looked at a backup that is damaged, or was brought in: from now on it needs nobody any more.

One that was brought in counts like any other. One that is damaged is not kept for its damage any longer.
"""

from django.db import transaction

from core.errors import BadInput
from server import ports
from server.live import publish
from server.locks import lock_device
from server.people.actions.journal import write_journal
from server.people.models import User
from server.people.moments import written
from server.runs.models import THERE, Backup


@transaction.atomic
def looked_at(backup: Backup, *, by: User) -> Backup:
    """Raises BadInput where nothing is strange about it."""
    lock_device(backup.device_id)
    damaged = backup.copies.filter(state__in=THERE, intact=False).exists()
    if not damaged and not backup.imported_from:
        raise BadInput("Nothing about this backup waits for somebody.", remedy="Load the page again.")
    backup.looked_at, backup.looked_by = ports.clock().now(), by
    backup.save(update_fields=["looked_at", "looked_by"])
    write_journal(
        who=by,
        what="backup.looked_at",
        facts={"device": backup.device.name, "moment": written(backup.finished_at), "damaged": damaged},
        at=backup.looked_at,
        device=backup.device_id,
    )
    publish("changed", "devices")
    return backup
