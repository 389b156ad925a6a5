"""Reading what needed a person, what looked wrong, and signed answers."""

from typing import Any
from uuid import UUID

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from server.oversight.models import Anomaly, Incident, WipeAnswer


def incidents(*, open: bool | None = None, device: UUID | None = None) -> QuerySet[Incident]:
    """With devices and who put them off; only those that last, and only of one device, where that is asked."""
    rows = Incident.objects.select_related("put_off_by").prefetch_related("devices__device__holder")
    if open is not None:
        rows = rows.filter(closed_at__isnull=open)
    return rows if device is None else rows.filter(devices__device=device).distinct()


def incident(id: UUID) -> Incident:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(incidents().prefetch_related("events__who"), id=id)


def anomalies(*, open: bool | None = None, device: UUID | None = None) -> QuerySet[Anomaly]:
    """With device, backup and who settled them."""
    rows = Anomaly.objects.select_related("device__holder", "backup", "settled_by")
    if open is not None:
        rows = rows.filter(settled_at__isnull=open)
    return rows if device is None else rows.filter(device=device)


def anomaly(id: Any) -> Anomaly:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(anomalies(), id=id)


def wipe_answers(device: UUID) -> QuerySet[WipeAnswer]:
    """Signed ones of a device, the newest first."""
    return WipeAnswer.objects.filter(device=device).select_related("by")


def wipe_answer(id: UUID) -> WipeAnswer:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(WipeAnswer.objects.select_related("by"), id=id)
