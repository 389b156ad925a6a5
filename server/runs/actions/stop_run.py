"""Stop a run by hand. What it has stored stays and is used again."""

from django.db import transaction

from server import ports
from server.api.problems import Conflict
from server.live import publish
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.actions.end_run import run_ended
from server.runs.models import ACTIVE, Run, RunState
from server.transition import held, move


@transaction.atomic
def stop_run(run: Run, *, by: User) -> Run:
    """A waiting run ends at once, a running one within a second or two. Raises Conflict when it has ended."""
    row, now = held(Run, run.id, "device"), ports.clock().now()
    if row.state not in ACTIVE:
        raise Conflict("This run has ended already.", remedy="Nothing to do.")
    if row.state == RunState.WAITING:
        move(
            row, RunState.STOPPED, finished_at=now, stop_asked=True, next_try_at=None, cause_code="run.stopped",
            cause="It was stopped before it began.", remedy="Run again when it suits.",
        )  # fmt: skip
        run_ended(row)
    else:
        row.stop_asked = True
        row.save(update_fields=["stop_asked"])
    write_journal(who=by, what="run.stopped", facts={"device": row.device.name}, at=now, device=row.device_id)
    publish("run", str(run.id))
    return row
