"""Reading copies on their way: what is owed to which store, since when, and how far it is."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from uuid import UUID

from django.db.models import Case, Count, F, Min, Q, QuerySet, Sum, When

from server.runs.models import Copy, CopyState
from server.storage.queries import NOT_HERE

COMING = (CopyState.OWED, CopyState.COPYING, CopyState.FAILED)
"""Not there, and to be there."""
COMING_CODES = [(state.value, state.value) for state in COMING]


def coming(*, store: UUID | None = None, state: str = "", words: str = "") -> QuerySet[Copy]:
    """What is under way first, then what failed, then what is owed in the order in which it is carried; what waits for a drive last."""
    rows = Copy.objects.filter(state__in=COMING).select_related("backup__device__holder", "store__drive", "by")
    if store is not None:
        rows = rows.filter(store=store)
    if state:
        rows = rows.filter(state=state)
    for word in words.split()[:8]:
        rows = rows.filter(
            Q(backup__device__name__icontains=word) | Q(backup__device__holder__name__icontains=word) | Q(store__name__icontains=word)
        )
    away = Case(When(store__drive__state__in=NOT_HERE, then=1), default=0)
    return rows.order_by(away, "state", F("due_at").asc(nulls_first=True), "-backup__finished_at", "id")


def sums_by_store(*, now: datetime) -> list[Mapping[str, Any]]:
    """[{store, owed, due, under_way, failed, owed_since, owed_bytes, arrived_at}]. One query.

    `owed_bytes` counts the whole content of each backup: what is sent is less, as most of it lies there already.
    """
    rows = Copy.objects.filter(state__in=COMING).order_by().values("store")
    owed = Q(state=CopyState.OWED)
    return list(
        rows.annotate(
            owed=Count("id", filter=owed),
            due=Count("id", filter=owed & Q(due_at__lte=now)),
            under_way=Count("id", filter=Q(state=CopyState.COPYING)),
            failed=Count("id", filter=Q(state=CopyState.FAILED)),
            owed_since=Min("asked_at", filter=owed),
            owed_bytes=Sum("backup__size_bytes", filter=owed),
        )
    )
