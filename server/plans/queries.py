"""Reading plans and pauses."""

from dataclasses import dataclass
from datetime import datetime, time, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db.models import Count, Prefetch, Q, QuerySet
from django.shortcuts import get_object_or_404

from server.fleet.models import Device
from server.plans.models import Assignment, Pause, Plan, PlanTarget

REMEMBERED = timedelta(days=70)
"""Pauses that ended longer ago have no bearing on what is owed: windows and catching up reach back less far."""


WITH_TARGETS = Prefetch("targets", PlanTarget.objects.select_related("store"))
"""For plans; `OF_THEIR_PLANS` is the same for what has a plan."""
OF_THEIR_PLANS = Prefetch("plan__targets", PlanTarget.objects.select_related("store"))


def plans() -> QuerySet[Plan]:
    """With targets and `device_count`."""
    return Plan.objects.prefetch_related(WITH_TARGETS).annotate(device_count=Count("assignments")).order_by("name")


def plan(id: UUID) -> Plan:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(plans(), id=id)


def devices_of(plan: Plan) -> QuerySet[Device]:
    """Those that follow the plan."""
    return Device.objects.filter(assignment__plan=plan).select_related("holder", "team")


def device_ids_of(plan: Plan) -> list[UUID]:
    """The same, as ids. One query."""
    return list(devices_of(plan).values_list("id", flat=True))


def team_ids_of(plan: Plan) -> list[int]:
    """Teams whose new devices join it. One query."""
    return list(plan.team_plans.values_list("team_id", flat=True))


def assignment_of(device: Device) -> Assignment | None:
    """Which plan a device follows; None for none. Two queries."""
    return Assignment.objects.select_related("plan").prefetch_related(OF_THEIR_PLANS).filter(device=device).first()


@dataclass(frozen=True, slots=True)
class Pauses:
    """Pauses that last, and when others ended, by whom they are of; the key None is everything."""

    lasting: dict[UUID | None, Pause]
    ended: dict[UUID | None, datetime]

    def of(self, plan_id: UUID, device_id: UUID | None = None) -> Pause | None:
        """The pause that holds back a plan, or a device that follows it; the one that ends last."""
        lasting = [self.lasting[key] for key in _keys(plan_id, device_id) if key in self.lasting]
        return max(lasting, key=lambda pause: (pause.until is None, pause.until), default=None)

    def resumed(self, plan_id: UUID, device_id: UUID) -> datetime | None:
        """When the last pause of it ended; occurrences before are not owed."""
        return max((self.ended[key] for key in _keys(plan_id, device_id) if key in self.ended), default=None)


def _keys(plan_id: UUID, device_id: UUID | None) -> tuple[UUID | None, ...]:
    return (None, plan_id, device_id) if device_id is not None else (None, plan_id)


def pauses(*, now: datetime) -> Pauses:
    """One query."""
    lasting: dict[UUID | None, Pause] = {}
    ended: dict[UUID | None, datetime] = {}
    for pause in Pause.objects.filter(Q(ended_at__isnull=True) | Q(ended_at__gt=now - REMEMBERED)).select_related("by"):
        key = pause.plan_id or pause.device_id
        if pause.ended_at is None:
            lasting[key] = pause
        else:
            ended[key] = max(pause.ended_at, ended.get(key, pause.ended_at))
    return Pauses(lasting=lasting, ended=ended)


def begins_again(pause: Pause, zone: ZoneInfo) -> datetime | None:
    """The first instant after a pause; None when it lasts until somebody ends it."""
    return None if pause.until is None else datetime.combine(pause.until, time(), zone)


def lasting_pauses() -> QuerySet[Pause]:
    """Those that have not ended."""
    return Pause.objects.filter(ended_at__isnull=True).select_related("plan", "device__holder", "by")


def pause(id: UUID) -> Pause:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(Pause.objects.select_related("plan", "device__holder"), id=id)


def plan_of_feed(digest: str) -> Plan | None:
    """The plan whose secret link has this digest."""
    return Plan.objects.filter(feed_digest=digest).first()
