"""Jobs of the queue that belong to runs. Thin: each calls one action."""

import logging
from datetime import timedelta
from uuid import UUID

from django.conf import settings
from procrastinate import JobContext
from procrastinate.contrib.django import app

from server.outside import outside
from server.queue import defer_once
from server.runs.actions.beat import last_beat

log = logging.getLogger("attic.runs")
STALLED_SECONDS = 30
LINE_UP_EVERY = timedelta(minutes=10)


@app.task(name="carry_out_run", queue="runs")
def carry_out_run(run_id: str) -> None:
    from server.runs.actions.carry_out import carry_out

    run = carry_out(UUID(run_id))
    log.info("run %s of %s ended as %s %s", run.id, run.device.name, run.state, run.cause_code)


@app.task(name="check_store", queue="care")
def check_store_job(store_id: str, percent: int, by: int | None) -> None:
    from server.people.models import User
    from server.runs.actions.check_store import check_store
    from server.storage.queries import store

    check_store(store(UUID(store_id)), percent=percent, by=User.objects.filter(id=by).first())


@app.periodic(cron=f"* * * * * */{settings.ATTIC_ENV.tick_seconds}")
@app.task(name="tick", queue="clock", queueing_lock="tick", pass_context=False)
def tick(timestamp: int) -> None:
    """Start what is due, and keep the line-up of the coming night up to date."""
    from server.runs.actions.start_due import start_due

    now = outside().now()
    for run in start_due(now=now):
        log.info("run %s of %s is due", run.id, run.device.name)
    lined_up = last_beat("line_up")
    if lined_up is None or now - lined_up > LINE_UP_EVERY or lined_up > now:
        defer_once("line_up", queue="clock")


@app.task(name="line_up", queue="clock", queueing_lock="line_up")
def line_up_job() -> None:
    from server.runs.actions.line_up_night import line_up_night

    line_up_night(now=outside().now())


@app.periodic(cron="* * * * * */20")
@app.task(name="revive", queue="clock", queueing_lock="revive", pass_context=True)
async def revive(context: JobContext, timestamp: int) -> None:
    """Give jobs whose worker died to another one."""
    manager = context.app.job_manager
    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_SECONDS):
        log.warning("job %s (%s) lost its worker and is tried again", job.id, job.task_name)
        await manager.retry_job(job)


@app.task(name="look_into_old", queue="care")
def look_into_old(bringing_id: str) -> None:
    from server.runs.actions.bring_in import look_into

    look_into(UUID(bringing_id))


@app.task(name="bring_in_old", queue="runs")
def bring_in_old(bringing_id: str) -> None:
    from server.runs.actions.bring_in import bring_in

    bring_in(UUID(bringing_id))


@app.task(name="copy_backup", queue="care")
def copy_backup_job(backup_id: str, store_id: str, by: int | None) -> None:
    from server.people.models import User
    from server.runs.actions.copy_backup import copy_backup

    copy_backup(UUID(backup_id), UUID(store_id), by=User.objects.filter(id=by).first())
