"""Put a hold on all that a device, a holder, a team or some days have. What is on hold already keeps the hold that it has."""

from datetime import date

from django.db import transaction

from server.api.problems import Conflict
from server.live import tell
from server.locks import lock_devices
from server.people.models import User
from server.retention.holding import Reach
from server.retention.removal import MOST_AT_ONCE
from server.runs.actions.hold_backup import hold_backup


@transaction.atomic
def hold_many(reach: Reach, *, reason: str, by: User, until: date | None = None) -> int:
    """How many are on hold now that were not. Raises BadInput, Conflict."""
    free = list(reach.backups().filter(hold_reason="").select_related("device").order_by("id")[: MOST_AT_ONCE + 1])
    if len(free) > MOST_AT_ONCE:
        raise Conflict(f"More than {MOST_AT_ONCE} at once are not possible.", remedy="Hold fewer days at a time, or let nothing leave.")
    if not free:
        raise Conflict("Nothing of that waits for a hold.", remedy="Choose more, or look at what is on hold already.")
    lock_devices(backup.device_id for backup in free)
    for backup in free:
        hold_backup(backup, reason=reason, by=by, until=until)
    tell("changed", "devices")
    return len(free)
