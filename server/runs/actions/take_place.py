"""Take one of the places that the office and a store have for runs."""

from datetime import datetime
from uuid import UUID

from django.db import transaction

from server.people.models import Office
from server.runs.models import ACTIVE, Run, RunState
from server.runs.sentences import log_line
from server.transition import held, move

WAIT_SECONDS = 15
"""How long a run that finds no place waits before it looks again."""


@transaction.atomic
def took_place(run_id: UUID, *, now: datetime) -> bool:
    """Whether the run reads from now on; it is marked as running then. One at a time decides, so that no limit is passed.

    A run whose worker died has its place already and begins another attempt.
    """
    office = Office.objects.select_for_update().first()
    run = held(Run, run_id, "store")
    others = list(Run.objects.filter(state=RunState.RUNNING).exclude(id=run_id).values_list("store_id", flat=True))
    if run.state not in ACTIVE:
        return False  # somebody has ended it meanwhile
    if office is not None and len(others) >= office.max_runs:
        return False
    if others.count(run.store_id) >= max(1, run.store.max_writers):
        return False
    attempt = run.attempts + 1
    run.log.append(log_line(now, "Started." if attempt == 1 else f"Attempt {attempt}: what is stored already is used again."))
    begun = {"started_at": run.started_at or now, "attempts": attempt, "log": run.log, "stages": [], "next_try_at": None}
    if run.state == RunState.RUNNING:
        for name, value in begun.items():
            setattr(run, name, value)
        run.save(update_fields=list(begun))
    else:
        move(run, RunState.RUNNING, **begun)
    return True
