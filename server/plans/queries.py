"""Reading plans."""

from uuid import UUID

from django.db.models import Count, QuerySet
from django.shortcuts import get_object_or_404

from server.fleet.models import Device
from server.plans.models import Assignment, Plan


def plans() -> QuerySet[Plan]:
    return Plan.objects.select_related("store").annotate(device_count=Count("assignments")).order_by("name")


def plan(id: UUID) -> Plan:
    return get_object_or_404(plans(), id=id)


def devices_of(found: Plan) -> QuerySet[Device]:
    return Device.objects.filter(assignment__plan=found).select_related("holder", "team")


def assignment_of(device: Device) -> Assignment | None:
    return Assignment.objects.select_related("plan__store").filter(device=device).first()
