"""Whoever joins a team follows its plan: devices in use that have no plan, of a team that has one. Asked at every tick."""

from datetime import datetime

from django.db import transaction
from django.db.models import F

from server.fleet.models import Device, DeviceState
from server.people.actions.journal import write_journal
from server.plans.models import Assignment, Plan


def join_by_team(*, now: datetime) -> int:
    """How many devices follow a plan from now on. One query when there are none."""
    free = Device.objects.filter(state=DeviceState.IN_USE, assignment=None, team__default_plan__isnull=False)
    rows = list(free.values_list("id", "name", "holder__name", "team__name", "team__default_plan__plan_id"))
    for device, name, holder, team, plan in rows:
        with transaction.atomic():
            _, new = Assignment.objects.get_or_create(device_id=device, defaults={"plan_id": plan, "since": now})
            if new:
                # somebody may be editing it: the list of who follows it is another one now
                Plan.objects.filter(id=plan).update(revision=F("revision") + 1, changed_at=now, changed_by=None)
                write_journal(who=None, what="plan.joined", facts={"name": name, "holder": holder, "team": team}, at=now, device=device)
    return len(rows)
