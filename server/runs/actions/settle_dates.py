"""Settle the dates of backups that were made while the clock was in doubt: all at once when it was found right, or one by hand."""

from datetime import datetime

from django.db import transaction

from core.errors import BadInput
from server import ports
from server.live import publish
from server.locks import lock_device
from server.people.actions.journal import write_journal
from server.people.models import ClockState, User
from server.people.moments import written
from server.runs.models import Backup


def confirm_doubted(state: ClockState) -> None:
    """The clock was found right, so the dates of what was made in that doubt are. One query when there is nothing to do."""
    if state.doubt_since is not None or not state.settled_right or state.doubted_from is None or state.settled_at is None:
        return
    doubted = Backup.objects.filter(in_doubt=True, finished_at__gte=state.doubted_from, finished_at__lte=state.settled_at)
    count = doubted.update(in_doubt=False)
    if count:
        write_journal(who=None, what="backup.dates_confirmed", facts={"count": count}, at=ports.clock().now())
        publish("changed", "devices")


@transaction.atomic
def settle_date(backup: Backup, *, at: datetime | None, by: User) -> None:
    """Somebody knows when it was made; None: its date is right. From now on promise and rule count it. Raises BadInput."""
    lock_device(backup.device_id)
    row = Backup.objects.select_for_update().get(id=backup.id)
    now = ports.clock().now()
    if at is not None and at > now:
        raise BadInput("That lies in the future.", field="at", remedy="Give the moment at which it was made.")
    if at is None and row.finished_at > now:
        raise BadInput("Its date lies in the future.", field="at", remedy="Correct it: give the moment at which it was made.")
    row.finished_at, row.in_doubt = at or row.finished_at, False
    row.save(update_fields=["finished_at", "in_doubt"])
    write_journal(
        who=by,
        what="backup.date_settled",
        facts={"device": backup.device.name, "moment": written(row.finished_at)},
        at=now,
        device=backup.device_id,
    )
    publish("changed", "devices")
