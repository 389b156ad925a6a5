"""Hold a backup, so that no rule removes it; or release it."""

from django.db import transaction

from core.errors import BadInput
from server.outside import outside
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.models import Backup


@transaction.atomic
def hold_backup(backup: Backup, *, reason: str, by: User) -> Backup:
    """Raises BadInput without a reason."""
    if not reason.strip():
        raise BadInput("A hold needs a reason.", field="reason", remedy="Say why it must stay, for example “before the repair”.")
    backup.hold_reason, backup.hold_by = reason.strip()[:200], by
    backup.save(update_fields=["hold_reason", "hold_by"])
    says = f"The backup of {backup.device.name} is on hold: {backup.hold_reason}"
    write_journal(who=by, what="backup.held", says=says, at=outside().now(), device=backup.device_id)
    return backup


@transaction.atomic
def release_backup(backup: Backup, *, by: User) -> Backup:
    """From now on the rule decides again."""
    backup.hold_reason, backup.hold_by = "", None
    backup.save(update_fields=["hold_reason", "hold_by"])
    says = f"The hold on a backup of {backup.device.name} was released."
    write_journal(who=by, what="backup.released", says=says, at=outside().now(), device=backup.device_id)
    return backup
