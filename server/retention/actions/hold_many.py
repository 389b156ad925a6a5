"""Put a hold on all that a device, a holder, a team or some days have. What is on hold already keeps the hold that it has."""

from collections.abc import Sequence
from datetime import date
from uuid import UUID

from django.db import transaction

from core.errors import BadInput
from server import ports
from server.api.problems import Conflict
from server.live import publish
from server.locks import lock_devices
from server.people.actions.journal import write_journal
from server.people.models import User
from server.retention.holding import HoldReach
from server.retention.removal import MOST_AT_ONCE
from server.runs.actions.hold_backup import hold_backup
from server.runs.models import Backup


@transaction.atomic
def hold_many(reach: HoldReach, *, reason: str, by: User, until: date | None = None) -> int:
    """How many are on hold now that were not. Raises BadInput, Conflict."""
    free = list(reach.backups().filter(hold_reason="").select_related("device").order_by("id")[: MOST_AT_ONCE + 1])
    if len(free) > MOST_AT_ONCE:
        raise Conflict(f"More than {MOST_AT_ONCE} at once are not possible.", remedy="Hold fewer days at a time, or let nothing leave.")
    if not free:
        raise Conflict("Nothing of that waits for a hold.", remedy="Choose more, or look at what is on hold already.")
    lock_devices(backup.device_id for backup in free)
    for backup in free:
        hold_backup(backup, reason=reason, by=by, until=until)
    publish("changed", "devices")
    return len(free)


@transaction.atomic
def still_needed(ids: Sequence[UUID], *, why: str, by: User) -> int:
    """Somebody has looked: these holds stand, and are asked about again a year on. How many. Raises BadInput."""
    if not why.strip():
        raise BadInput("This needs a reason.", field="why", remedy="Say why: whoever looks the next time has to know.")
    backups = list(Backup.objects.filter(id__in=set(ids)).exclude(hold_reason="").select_related("device").order_by("id"))
    lock_devices(backup.device_id for backup in backups)
    now = ports.clock().now()
    Backup.objects.filter(id__in=[backup.id for backup in backups]).exclude(hold_reason="").update(hold_seen_at=now)
    for name, device in sorted({(backup.device.name, backup.device_id) for backup in backups}):
        write_journal(who=by, what="backup.hold_seen", facts={"name": name, "why": why.strip()[:200]}, at=now, device=device)
    publish("changed", "devices")
    return len(backups)
