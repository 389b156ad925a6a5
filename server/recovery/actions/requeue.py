"""Take up restores, imports and copies that no job speaks of any more, so that nothing is under way for ever."""

from datetime import datetime

from django.db import transaction
from procrastinate.contrib.django.models import ProcrastinateJob

from server.jobs import CARRY_OUT_RESTORE, SILENT, defer_restore
from server.live import publish
from server.recovery.actions.ended import end_restore
from server.recovery.models import Restore, RestoreState
from server.runs.actions.copy_backup import requeue_lost_copies
from server.runs.actions.take_import import lost_imports
from server.transition import held

MOST_ATTEMPTS = 3
ACTIVE = (RestoreState.WAITING, RestoreState.RUNNING)


def requeue_lost(*, now: datetime) -> int:
    """How many were taken up, or ended because they have been tried often enough."""
    return _restores(now) + lost_imports(now=now) + requeue_lost_copies()


def _restores(now: datetime) -> int:
    rows = list(Restore.objects.filter(state__in=ACTIVE, asked_at__lt=now - SILENT))
    if not rows:
        return 0
    jobs = ProcrastinateJob.objects.filter(task_name=CARRY_OUT_RESTORE.name, status__in=("todo", "doing"))
    known = set(jobs.values_list("args__restore_id", flat=True))
    return sum(_taken_up(row, now) for row in rows if str(row.id) not in known)


@transaction.atomic
def _taken_up(lost: Restore, now: datetime) -> bool:
    row = held(Restore, lost.id)
    if row.state not in ACTIVE:
        return False
    if row.attempts >= MOST_ATTEMPTS:
        cause = "It ended again and again without a word: its worker died."
        remedy = "The log of the worker has the details. What was written stays; compare it before you restore again."
        end_restore(row, RestoreState.FAILED, finished_at=now, cause=cause, remedy=remedy)
        publish("restore", str(row.id))
    else:
        defer_restore(row.id, row.device_id)
    return True
