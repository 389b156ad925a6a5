"""Stop a restore by hand. What was written already stays where it is."""

from django.db import transaction

from server import ports
from server.api.problems import Conflict
from server.live import publish
from server.people.actions.journal import write_journal
from server.people.models import User
from server.recovery.actions.ended import end_restore
from server.recovery.models import Restore, RestoreState
from server.transition import held


@transaction.atomic
def stop_restore(restore: Restore, *, by: User) -> Restore:
    """A waiting one ends at once, a running one within seconds. Raises Conflict when it has ended."""
    row, now = held(Restore, restore.id, "backup__device"), ports.clock().now()
    if row.state not in (RestoreState.WAITING, RestoreState.RUNNING):
        raise Conflict("This restore has ended already.", remedy="Nothing to do.")
    if row.state == RestoreState.WAITING:
        why = {"cause": "It was stopped before it began.", "remedy": "Restore again."}
        end_restore(row, RestoreState.STOPPED, finished_at=now, stop_asked=True, **why)
    else:
        row.stop_asked = True
        row.save(update_fields=["stop_asked"])
    write_journal(who=by, what="restore.stopped", facts={"device": row.backup.device.name}, at=now, device=row.backup.device_id)
    publish("restore", str(row.id))
    return row
