"""Put waiting runs into the queue when their instant has come, and take up those that no job speaks of any more.

A job can end without its run: a queue that was emptied, a worker that was told to stop. Jobs whose worker died are
another incident (`revive` gives those to another worker). Nothing waits in the queue for later: it would hold up what
comes behind it.
"""

from datetime import datetime, timedelta

from django.db import transaction
from procrastinate.contrib.django.models import ProcrastinateJob

from server.fleet.queries import seen_on_network
from server.jobs import CARRY_OUT_RUN, SILENT, defer_run
from server.live import publish
from server.runs.actions.end_run import give_up, run_ended
from server.runs.models import ACTIVE, Run, RunState
from server.runs.sentences import log_line
from server.transition import held, move

MOST_ATTEMPTS = 8
WOKEN_AFTER = timedelta(seconds=45)
"""A device that was away and is announced again is tried after so long, without waiting for the end of the pause."""


def requeue_due(*, now: datetime) -> int:
    """Waiting runs whose next try has come, and those whose device is back; how many."""
    ids = list(Run.objects.filter(state=RunState.WAITING, next_try_at__lte=now).values_list("id", flat=True))
    return sum(_requeued(id, now) for id in [*ids, *_back_on_network(now)])


def _back_on_network(now: datetime) -> list[object]:
    away = Run.objects.filter(state=RunState.WAITING, next_try_at__gt=now + WOKEN_AFTER, cause_code="link.away", device__link="agent")
    waiting = list(away.select_related("device"))
    seen = seen_on_network() if waiting else set()
    return [run.id for run in waiting if run.device.agent_id in seen and now - _last_sign(run, now) >= WOKEN_AFTER]


@transaction.atomic
def _requeued(id: object, now: datetime) -> bool:
    run = held(Run, id)
    if run.state != RunState.WAITING or run.next_try_at is None:
        return False
    run.next_try_at = None
    run.save(update_fields=["next_try_at"])
    defer_run(run.id, run.device_id)
    return True


def let_go(*, now: datetime) -> None:
    """End waiting runs that nobody wants any more: their time is over, or their device follows another plan now."""
    waiting = Run.objects.filter(state=RunState.WAITING, planned_for__isnull=False).select_related("device__assignment")
    for run in waiting:
        if run.gives_up_at is not None and run.gives_up_at <= now:
            give_up(run.id, now)
            continue
        assignment = getattr(run.device, "assignment", None)
        if assignment is None or assignment.plan_id != run.plan_id:
            _moved(run.id, now)


@transaction.atomic
def _moved(id: object, now: datetime) -> None:
    run = held(Run, id, "device")
    if run.state == RunState.WAITING:  # a worker may just have begun it
        move(
            run, RunState.STOPPED, finished_at=now, stop_asked=True, next_try_at=None, cause_code="schedule.moved",
            cause="Its device follows another plan now, or none.", remedy="Nothing to do: the runs of the new plan take everything.",
        )  # fmt: skip
        publish("run", str(run.id))


def requeue_lost_runs(*, now: datetime) -> int:
    """How many were taken up, or ended because they have been tried often enough. Two queries when there are none."""
    active = list(Run.objects.filter(state__in=ACTIVE, asked_at__lt=now - SILENT).select_related("device"))
    if not active:
        return 0
    jobs = ProcrastinateJob.objects.filter(task_name=CARRY_OUT_RUN.name, status__in=("todo", "doing"))
    known = set(jobs.values_list("args__run_id", flat=True))
    lost = [run for run in active if str(run.id) not in known and run.next_try_at is None]
    return sum(_taken_up(run, now) for run in lost)


@transaction.atomic
def _taken_up(lost: Run, now: datetime) -> bool:
    run = held(Run, lost.id, "device", "store")
    if run.state not in ACTIVE or run.next_try_at is not None or now - _last_sign(run, run.asked_at) < SILENT:
        return False
    if run.attempts >= MOST_ATTEMPTS:
        cause = "It ended again and again in a way that nobody foresaw."
        run.log.append(log_line(now, cause))
        remedy = "The log of the worker has the details; run it by hand once that is mended."
        move(run, RunState.FAILED, finished_at=now, next_try_at=None, cause_code="run.lost", cause=cause, remedy=remedy, log=run.log)
        run_ended(run)
        return True
    run.log.append(log_line(now, "Its job was lost; it is taken up again."))
    if run.state == RunState.RUNNING:
        move(run, RunState.WAITING, next_try_at=None, log=run.log)
    else:
        run.save(update_fields=["log"])
    defer_run(run.id, run.device_id)
    return True


def _last_sign(run: Run, otherwise: datetime) -> datetime:
    return datetime.fromisoformat(run.log[-1]["at"]) if run.log else otherwise
