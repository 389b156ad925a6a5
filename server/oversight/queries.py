"""Reading what needed a person, what looked wrong, and signed answers."""

from typing import Any
from uuid import UUID

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from server.oversight.models import Anomaly, Incident, WipeAnswer


def incidents(*, open: bool | None = None, device: UUID | None = None) -> QuerySet[Incident]:
    rows = Incident.objects.select_related("put_off_by").prefetch_related("devices__device__holder")
    if open is not None:
        rows = rows.filter(closed_at__isnull=open)
    return rows if device is None else rows.filter(devices__device=device).distinct()


def incident(id: UUID) -> Incident:
    return get_object_or_404(incidents().prefetch_related("events__who"), id=id)


def anomalies(*, open: bool | None = None, device: UUID | None = None) -> QuerySet[Anomaly]:
    rows = Anomaly.objects.select_related("device__holder", "backup", "settled_by")
    if open is not None:
        rows = rows.filter(settled_at__isnull=open)
    return rows if device is None else rows.filter(device=device)


def anomaly(id: Any) -> Anomaly:
    return get_object_or_404(anomalies(), id=id)


def wipe_answers(device: UUID) -> QuerySet[WipeAnswer]:
    return WipeAnswer.objects.filter(device=device).select_related("by")


def wipe_answer(id: UUID) -> WipeAnswer:
    return get_object_or_404(WipeAnswer.objects.select_related("by"), id=id)
