"""Write a note beside a backup, or change it: for whoever looks for this moment later."""

from django.db import transaction

from server import ports
from server.locks import lock_device
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.models import Backup

MAX_CHARACTERS = 200


@transaction.atomic
def note_backup(backup: Backup, *, note: str, by: User) -> None:
    """Empty takes it away. The one in the store stays as it was when the backup was made."""
    lock_device(backup.device_id)
    row = Backup.objects.select_for_update().select_related("device").get(id=backup.id)
    before, row.note = row.note, note.strip()[:MAX_CHARACTERS]
    if row.note != before:
        row.save(update_fields=["note"])
        write_journal(
            who=by,
            what="backup.noted",
            facts={"device": row.device.name, "note": row.note, "before": before},
            at=ports.clock().now(),
            device=row.device_id,
        )
