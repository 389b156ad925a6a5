"""Jobs that belong to runs. Thin: each calls one action."""

import logging
from datetime import timedelta
from uuid import UUID

from procrastinate import JobContext
from procrastinate.exceptions import UniqueViolation
from procrastinate.jobs import Status

from server import ports
from server.jobs import (
    ASK_CLOCKS,
    CARRY_COPIES,
    CARRY_OUT_RUN,
    CHECK_STORE,
    COMPARE_STORE,
    LINE_UP,
    LOOK_FOR_DRIVES,
    REVIVE,
    SCAN_IMPORT,
    TAKE_IMPORT,
    TICK,
    defer_line_up,
    fulfils,
)
from server.people.actions.clock import ask_outer_clocks, look_at_clock
from server.people.clock import time_to_plan_by
from server.people.queries import user_or_none
from server.runs.actions.carry_copies import carry_copies
from server.runs.actions.carry_out import carry_out
from server.runs.actions.check_store import check_store
from server.runs.actions.compare_store import compare_store
from server.runs.actions.heartbeat import heartbeat, last_heartbeat
from server.runs.actions.line_up_night import line_up_night
from server.runs.actions.look_for_drives import look_for_drives
from server.runs.actions.settle_dates import confirm_doubted
from server.runs.actions.start_due import start_due
from server.runs.actions.take_import import scan_import, take_import
from server.storage.actions.ask_clocks import ask_stores_clocks
from server.storage.queries import store

log = logging.getLogger("attic.runs")
STALLED_SECONDS = 30
LINE_UP_EVERY = timedelta(minutes=10)


@fulfils(CARRY_OUT_RUN)
def carry_out_run(run_id: str) -> None:
    """The job of this name; its action says what it does."""
    run = carry_out(UUID(run_id))
    log.info("run %s of %s ended as %s %s", run.id, run.device.name, run.state, run.cause_code)


@fulfils(CHECK_STORE)
def check_store_job(store_id: str, percent: int, by: int | None) -> None:
    """The job of this name; its action says what it does."""
    check_store(store(UUID(store_id)), percent=percent, by=user_or_none(by))


@fulfils(COMPARE_STORE)
def compare_store_job(store_id: str) -> None:
    """The job of this name; its action says what it does."""
    compare_store(store(UUID(store_id)), now=ports.clock().now())


@fulfils(TICK)
def tick(timestamp: int) -> None:
    """Start what is due, and keep the line-up of the coming night up to date."""
    state = look_at_clock(now=ports.clock().now())
    confirm_doubted(state)
    now = None if ports.keys().key_state().trouble else time_to_plan_by(state, now=ports.clock().now())
    if now is None:
        heartbeat("scheduler", now=ports.clock().now())  # it works; it has nothing to plan by
        return
    for run in start_due(now=now):
        log.info("run %s of %s is due", run.id, run.device.name)
    lined_up = last_heartbeat("line_up")
    if lined_up is None or now - lined_up > LINE_UP_EVERY or lined_up > now:
        defer_line_up()


@fulfils(LINE_UP)
def line_up_job() -> None:
    """The job of this name; its action says what it does."""
    now = time_to_plan_by(look_at_clock(now=ports.clock().now()), now=ports.clock().now())
    if now is not None:
        line_up_night(now=now)


@fulfils(ASK_CLOCKS)
def ask_clocks(timestamp: int) -> None:
    """What time it is elsewhere. By itself: who is asked may take seconds."""
    look_at_clock(now=ports.clock().now())  # who speaks from now on has seen the jump, if there was one
    ask_outer_clocks(now=ports.clock().now())
    ask_stores_clocks(now=ports.clock().now())


@fulfils(REVIVE, pass_context=True)
async def revive(context: JobContext, timestamp: int) -> None:
    """Give jobs whose worker died to another one."""
    manager = context.app.job_manager
    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_SECONDS):
        try:
            await manager.retry_job(job)
            log.warning("job %s (%s) lost its worker and is tried again", job.id, job.task_name)
        except UniqueViolation:  # one like it waits in the queue already, and would wait behind this one for ever
            assert job.id is not None
            await manager.finish_job_by_id_async(job.id, status=Status.FAILED, delete_job=True)
            log.warning("job %s (%s) lost its worker; another one like it goes on", job.id, job.task_name)
        except Exception:  # one that cannot be revived takes no other with it
            log.exception("job %s (%s) lost its worker and cannot be revived", job.id, job.task_name)


@fulfils(SCAN_IMPORT)
def scan_import_job(bringing_id: str) -> None:
    """The name of its argument is that of jobs which wait from before."""
    scan_import(UUID(bringing_id))


@fulfils(TAKE_IMPORT)
def take_import_job(bringing_id: str) -> None:
    """The job of this name; its action says what it does."""
    take_import(UUID(bringing_id))


@fulfils(CARRY_COPIES)
def carry_copies_job(store_id: str) -> None:
    """The job of this name; its action says what it does."""
    arrived = carry_copies(UUID(store_id))
    log.info("%s copies arrived in store %s", arrived, store_id)


@fulfils(LOOK_FOR_DRIVES)
def look_for_drives_job(timestamp: int) -> None:
    """The job of this name; its action says what it does."""
    look_for_drives(now=ports.clock().now())
