"""Hold a backup, so that no rule removes it; or release it. Decided under the lock of its device."""

from datetime import date

from django.db import transaction

from core.errors import BadInput
from server import ports
from server.locks import lock_device
from server.people.actions.journal import write_journal
from server.people.models import User
from server.people.queries import office_zone
from server.runs.actions.come_back import come_back
from server.runs.models import Backup
from server.runs.protection import still_there


@transaction.atomic
def hold_backup(backup: Backup, *, reason: str, by: User, until: date | None = None) -> Backup:
    """Until it is released, or until that day is over in the office; what was leaving is back at once.

    Raises BadInput; BeingRemoved when it comes too late.
    """
    if not reason.strip():
        raise BadInput("A hold needs a reason.", field="reason", remedy="Say why it must stay, for example “before the repair”.")
    if until is not None and until < ports.clock().now().astimezone(office_zone()).date():
        raise BadInput("The hold would be over already.", field="until", remedy="Give a day that lies ahead.")
    lock_device(backup.device_id)
    still_there(backup)
    _put(backup, reason=reason.strip()[:200], by=by, until=until)
    come_back(backup)
    facts = {"device": backup.device.name, "until": until, "reason": backup.hold_reason}
    write_journal(who=by, what="backup.held", facts=facts, at=ports.clock().now(), device=backup.device_id)
    return backup


@transaction.atomic
def release_backup(backup: Backup, *, by: User) -> None:
    """From now on the rule decides again. Nothing happens when nobody holds it."""
    lock_device(backup.device_id)
    if Backup.objects.filter(id=backup.id, hold_reason="").exists():
        return
    _put(backup, reason="", by=None, until=None)
    write_journal(who=by, what="backup.released", facts={"device": backup.device.name}, at=ports.clock().now(), device=backup.device_id)


def _put(backup: Backup, *, reason: str, by: User | None, until: date | None) -> None:
    backup.hold_reason, backup.hold_by, backup.hold_until = reason, by, until
    backup.hold_seen_at = ports.clock().now() if reason else None
    backup.save(update_fields=["hold_reason", "hold_by", "hold_until", "hold_seen_at"])
