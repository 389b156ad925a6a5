"""The register of all jobs: name, pool, what it is not run beside, its arguments, and how it is put into the queue.

Nothing else names a job or a queue. Actions call a `defer_…` function inside the transaction that records why; the
apps' `tasks.py` fulfil the jobs with `@fulfils`. Arguments are identifiers: whoever carries a job out reads the rest.

Pools keep what must be quick from waiting behind what may take hours. No job that holds a lock is ever put into the
queue for later: the queue would hold up everything behind it. What has to wait stands in its row with an instant,
and the clock puts it into the queue when that has come.
"""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from enum import StrEnum
from typing import Any
from uuid import UUID

from django.conf import settings
from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued


class Pool(StrEnum):
    """A queue with workers of its own."""

    CLOCK = "clock"
    """Clock, watch and messages: short, and never behind anything."""
    RUNS = "runs"
    """Runs, restores and imports: as many at once as the office allows."""
    MAINTENANCE = "maintenance"
    """Checks, rules, sweeps, measures, copies: may take long, so they work in pieces."""


AT_ONCE = {Pool.CLOCK: 9, Pool.RUNS: 40, Pool.MAINTENANCE: 6}
"""Jobs of a pool that one worker process carries out side by side. Runs are held to the office's number elsewhere."""

SILENT = timedelta(seconds=20)
"""A row that is under way without a job is taken up after so long. A row and its job are written together and the row
ends first, so this could be nothing; it is for what nobody foresaw, such as a database that went away in between."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Job:
    """One kind of job: its name, its pool and the names of its arguments."""

    name: str
    pool: Pool
    arguments: tuple[str, ...] = ()
    every: str = ""
    """A cron line, seconds last; empty when it is only asked for."""


REGISTER: dict[str, Job] = {}


def _job(name: str, pool: Pool, *arguments: str, every: str = "") -> Job:
    REGISTER[name] = Job(name=name, pool=pool, arguments=arguments, every=every)
    return REGISTER[name]


TICK = _job("tick", Pool.CLOCK, "timestamp", every=f"* * * * * */{settings.ATTIC_ENV.tick_seconds}")
REVIVE = _job("revive", Pool.CLOCK, "timestamp", every="* * * * * */10")
WATCH = _job("watch", Pool.CLOCK, "timestamp", every="* * * * * */30")
SEND_MESSAGES = _job("send_messages", Pool.CLOCK, "timestamp", every="* * * * * */30")
OWE_MAINTENANCE = _job("owe_maintenance", Pool.CLOCK, "timestamp", every="* * * * * */20")
REQUEUE = _job("requeue", Pool.CLOCK, "timestamp", every="* * * * * */10")
ASK_CLOCKS = _job("ask_clocks", Pool.MAINTENANCE, "timestamp", every="*/2 * * * * 15")
LINE_UP = _job("line_up", Pool.CLOCK)
AFTER_RUN = _job("after_run", Pool.CLOCK, "run_id")
CARRY_OUT_RUN = _job("carry_out_run", Pool.RUNS, "run_id")
CARRY_OUT_RESTORE = _job("carry_out_restore", Pool.RUNS, "restore_id")
TAKE_IMPORT = _job("bring_in_old", Pool.RUNS, "bringing_id")
SCAN_IMPORT = _job("look_into_old", Pool.RUNS, "bringing_id")
AGE_OUT = _job("age_out", Pool.MAINTENANCE, "timestamp", every="40 4 * * * 0")
OWE_DRILLS = _job("owe_drills", Pool.CLOCK, "timestamp", every="0 */5 * * * 30")
CARRY_OUT_DRILL = _job("carry_out_drill", Pool.MAINTENANCE, "drill_id")
LOOK_EVERY = min(15, 2 * settings.ATTIC_ENV.tick_seconds)
LOOK_FOR_DRIVES = _job("look_for_drives", Pool.MAINTENANCE, "timestamp", every=f"* * * * * */{LOOK_EVERY}")
OWE_COPIES = _job("owe_copies", Pool.MAINTENANCE)
CARRY_COPIES = _job("carry_copies", Pool.MAINTENANCE, "store_id")
CHECK_STORE = _job("check_store", Pool.MAINTENANCE, "store_id", "percent", "by")
APPLY_RULES = _job("apply_rules", Pool.MAINTENANCE, "store_id")
FINISH_REMOVALS = _job("finish_removals", Pool.MAINTENANCE, "store_id")
ERASE = _job("erase", Pool.MAINTENANCE, "store_id")
SWEEP_STORE = _job("sweep_store", Pool.MAINTENANCE, "store_id")
MEASURE_STORE = _job("measure_store", Pool.MAINTENANCE, "store_id")
COMPARE_STORE = _job("compare_store", Pool.MAINTENANCE, "store_id")
WRITE_OFFICE = _job("write_office", Pool.MAINTENANCE, "store_id")


def fulfils(job: Job, **options: Any) -> Callable[[Callable[..., Any]], Any]:
    """Declare the function that carries the job out. What is repeated waits once in the queue at the most."""

    def declare(function: Callable[..., Any]) -> Any:
        once: dict[str, Any] = {"queueing_lock": job.name} if job.every or not job.arguments else {}
        task = app.task(name=job.name, queue=str(job.pool), pass_context=options.pop("pass_context", False), **once)(function)  # type: ignore[no-untyped-call]
        return app.periodic(cron=job.every)(task) if job.every else task

    return declare


def defer_tick() -> bool:
    """False when one like it waits already."""
    return _once(TICK, timestamp=0)


def defer_watch() -> bool:
    """False when one like it waits already."""
    return _once(WATCH, timestamp=0)


def defer_messages() -> bool:
    """False when one like it waits already."""
    return _once(SEND_MESSAGES, timestamp=0)


def defer_line_up() -> bool:
    """False when one like it waits already."""
    return _once(LINE_UP)


def defer_after_run(run_id: UUID) -> None:
    """On commit."""
    _put(AFTER_RUN, run_id=str(run_id))


def defer_run(run_id: UUID, device_id: UUID) -> None:
    """Jobs of one device never run side by side."""
    _put(CARRY_OUT_RUN, lock=_device(device_id), run_id=str(run_id))


def defer_restore(restore_id: UUID, device_id: UUID | None) -> None:
    """Into a device: not beside its runs. Into a file: beside everything."""
    _put(CARRY_OUT_RESTORE, lock=_device(device_id) if device_id else f"restore {restore_id}", restore_id=str(restore_id))


def defer_look_for_drives() -> bool:
    """False when one like it waits already."""
    return _once(LOOK_FOR_DRIVES, timestamp=0)


def defer_drill(drill_id: UUID) -> None:
    """One at a time: a drill is in no hurry. It reads only, so nothing of the store waits for it."""
    _put(CARRY_OUT_DRILL, lock="drills", drill_id=str(drill_id))


def defer_import(import_id: UUID, device_id: UUID) -> None:
    """On commit."""
    _put(TAKE_IMPORT, lock=_device(device_id), bringing_id=str(import_id))


def defer_import_scan(import_id: UUID) -> None:
    """On commit."""
    _put(SCAN_IMPORT, bringing_id=str(import_id))


def defer_owed_copies() -> bool:
    """Find out anew which copies are owed."""
    return _once(OWE_COPIES)


def defer_copies(store_id: UUID) -> bool:
    """Carry out what a store is owed. A writer like any other, so nothing else of the store waits for it."""
    return _once(CARRY_COPIES, str(store_id), lock=f"copies {store_id}", store_id=str(store_id))


def defer_check(store_id: UUID, *, percent: int, by: int | None) -> bool:
    """False when one like it waits already."""
    return _once(CHECK_STORE, str(store_id), lock=_store(store_id), store_id=str(store_id), percent=percent, by=by)


def defer_rules(store_id: UUID) -> bool:
    """False when one like it waits already."""
    return _once(APPLY_RULES, str(store_id), lock=_store(store_id), store_id=str(store_id))


def defer_removals(store_id: UUID) -> bool:
    """False when one like it waits already."""
    return _once(FINISH_REMOVALS, str(store_id), lock=_store(store_id), store_id=str(store_id))


def defer_erasing(store_id: UUID) -> bool:
    """False when one like it waits already."""
    return _once(ERASE, str(store_id), lock=_store(store_id), store_id=str(store_id))


def defer_sweep(store_id: UUID) -> bool:
    """False when one like it waits already."""
    return _once(SWEEP_STORE, str(store_id), lock=_store(store_id), store_id=str(store_id))


def defer_measure(store_id: UUID) -> bool:
    """Reads only, so nothing of the store waits for it."""
    return _once(MEASURE_STORE, str(store_id), store_id=str(store_id))


def defer_office(store_id: UUID) -> bool:
    """One small object: nothing of the store waits for it."""
    return _once(WRITE_OFFICE, str(store_id), store_id=str(store_id))


def defer_compare(store_id: UUID) -> bool:
    """False when one like it waits already."""
    return _once(COMPARE_STORE, str(store_id), store_id=str(store_id))


def _device(id: UUID) -> str:
    return f"device {id}"


def _store(id: UUID) -> str:
    return f"store {id}"


def _put(job: Job, *, lock: str | None = None, queueing_lock: str | None = None, **arguments: Any) -> None:
    app.configure_task(job.name, queue=str(job.pool), lock=lock, queueing_lock=queueing_lock).defer(**arguments)


def _once(job: Job, about: str = "", *, lock: str | None = None, **arguments: Any) -> bool:
    """Whether it was put there; one that waits already will do the same work."""
    try:
        with transaction.atomic():
            _put(job, lock=lock, queueing_lock=f"{job.name} {about}".strip(), **arguments)
    except AlreadyEnqueued:
        return False
    return True
