"""What follows when a run has ended, and the end of one whose time is over."""

from datetime import datetime

from django.db import transaction
from procrastinate.contrib.django import app

from server.queue import defer_once
from server.runs.live import tell
from server.runs.models import Run, RunState
from server.runs.sentences import log_line


def give_up(run: Run, now: datetime) -> Run:
    """Its time is over: it ends with the cause of its last attempt, or as missed when there was none."""
    run.finished_at, run.next_try_at = now, None
    if run.cause_code:
        run.state = RunState.FAILED
    else:
        run.state, run.cause_code = RunState.MISSED, "schedule.missed"
        run.cause = "Other runs took up its time until the window closed."
        run.remedy = "Let the plan's window close later, allow more runs at a time under Office, or spread the devices over more plans."
    run.log.append(log_line(now, "Its time was over."))
    with transaction.atomic():
        run.save()
        run_ended(run)
    return run


def run_ended(run: Run) -> None:
    """What follows the end of a run: viewers learn of it; the pile is looked after."""
    tell("run", str(run.id))
    tell("changed", "devices")
    job = app.configure_task("look_after", queue="care", lock=f"store {run.store_id}")
    job.defer(device_id=str(run.device_id), store_id=str(run.store_id))
    app.configure_task("after_run", queue="care").defer(run_id=str(run.id))
    defer_once("tick", queue="clock", timestamp=0)  # its place is free for the next one
