"""Take up active runs that no job in the queue speaks of any more, so that nothing waits for ever.

A job can end without its run: an error that nobody foresaw, a queue that was emptied, a worker that was told to stop. Jobs whose worker
died are another matter (`revive` gives those to another worker).
"""

from datetime import datetime, timedelta

from django.db import transaction
from procrastinate.contrib.django.models import ProcrastinateJob

from server.runs.actions.ask_run import defer_run
from server.runs.actions.end_run import run_ended
from server.runs.models import ACTIVE, Run, RunState
from server.runs.sentences import log_line

SILENT = timedelta(seconds=90)
MOST_ATTEMPTS = 8


def take_up_lost(*, now: datetime) -> int:
    """How many were taken up, or ended because they have been tried often enough. Two queries when there are none."""
    active = list(Run.objects.filter(state__in=ACTIVE, asked_at__lt=now - SILENT).select_related("device"))
    if not active:
        return 0
    jobs = ProcrastinateJob.objects.filter(task_name="carry_out_run", status__in=("todo", "doing"))
    known = set(jobs.values_list("args__run_id", flat=True))
    lost = [run for run in active if str(run.id) not in known and (run.next_try_at is None or run.next_try_at < now)]
    return sum(_taken_up(run, now) for run in lost)


@transaction.atomic
def _taken_up(lost: Run, now: datetime) -> bool:
    run = Run.objects.select_for_update(of=("self",)).select_related("device", "store").get(id=lost.id)
    last = datetime.fromisoformat(run.log[-1]["at"]) if run.log else run.asked_at
    if run.state not in ACTIVE or now - last < SILENT:
        return False
    if run.attempts >= MOST_ATTEMPTS:
        run.state, run.finished_at, run.next_try_at, run.cause_code = RunState.FAILED, now, None, "run.lost"
        run.cause = "It ended again and again in a way that nobody foresaw."
        run.remedy = "The log of the worker has the details; run it by hand once that is mended."
        run.log.append(log_line(now, run.cause))
        run.save()
        run_ended(run)
        return True
    run.state, run.next_try_at = RunState.WAITING, None
    run.log.append(log_line(now, "Its job was lost; it is taken up again."))
    run.save(update_fields=["state", "next_try_at", "log"])
    defer_run(run)
    return True
