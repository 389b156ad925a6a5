"""Stop a run by hand. What it has stored stays and is used again."""

from django.db import transaction

from server.api.problems import Conflict
from server.outside import outside
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.live import tell
from server.runs.models import ACTIVE, Run, RunState


@transaction.atomic
def stop_run(run: Run, *, by: User) -> Run:
    """A waiting run ends at once, a running one within a second or two. Raises Conflict when it has ended."""
    found = Run.objects.select_for_update().get(id=run.id)
    if found.state not in ACTIVE:
        raise Conflict("This run has ended already.", remedy="Nothing to do.")
    now = outside().now()
    if found.state == RunState.WAITING:
        found.state, found.finished_at = RunState.STOPPED, now
        found.cause_code, found.cause, found.remedy = "run.stopped", "It was stopped before it began.", "Run again when it suits."
    found.stop_asked = True
    found.save()
    write_journal(who=by, what="run.stopped", says=f"The run of {run.device.name} was stopped.", at=now, device=run.device_id)
    tell("run", str(run.id))
    return found
