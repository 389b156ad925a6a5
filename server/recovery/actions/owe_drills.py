"""What the clock owes: the day's drills, each device in its turn; and no drill is under way for ever."""

from datetime import datetime

from django.db import transaction
from procrastinate.contrib.django.models import ProcrastinateJob

from server import ports
from server.jobs import CARRY_OUT_DRILL, SILENT, defer_drill
from server.people.clock import in_doubt
from server.people.queries import office_zone
from server.recovery.actions.ask_drill import begin_drill
from server.recovery.drills import drill_rules, next_turns
from server.recovery.models import Drill, DrillRules, DrillState
from server.retention.actions.owe_maintenance import MORNING
from server.transition import held, move

MOST_ATTEMPTS = 3


def owe_drills(*, now: datetime) -> int:
    """How many were put into the queue."""
    again, local = _lost(now), now.astimezone(office_zone())
    rules = drill_rules()
    if in_doubt() or rules.a_day == 0 or local.hour < MORNING or rules.begun_on == local.date():
        return again
    turns = [begin_drill(copy, by=None) for copy in next_turns(rules.a_day, now=now)]
    begun = sum(drill is not None for drill in turns)
    if begun:
        DrillRules.objects.update_or_create(id=rules.id, defaults={"begun_on": local.date()})
    return again + begun


def _lost(now: datetime) -> int:
    """Drills that no job speaks of any more."""
    rows = list(Drill.objects.filter(state__in=(DrillState.WAITING, DrillState.RUNNING), asked_at__lt=now - SILENT))
    jobs = ProcrastinateJob.objects.filter(task_name=CARRY_OUT_DRILL.name, status__in=("todo", "doing"))
    known = set(jobs.values_list("args__drill_id", flat=True)) if rows else set()
    return sum(_taken_up(row, now) for row in rows if str(row.id) not in known)


@transaction.atomic
def _taken_up(lost: Drill, now: datetime) -> bool:
    row = held(Drill, lost.id)
    if row.state not in (DrillState.WAITING, DrillState.RUNNING):
        return False
    if row.attempts >= MOST_ATTEMPTS:
        cause = "It ended again and again without a word: its worker died."
        move(row, DrillState.FAILED, finished_at=now, cause=cause, remedy="The log of the worker has the details.")
        ports.results().scratch(str(row.id)).clear()  # nobody comes after it who would
    else:
        defer_drill(row.id)
    return True
