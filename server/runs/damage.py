"""Reading damage: which backups a check found damaged in a store, what of each cannot be given back, and where it lies whole."""

from django.db.models import Prefetch, QuerySet

from server.runs.models import THERE, Copy
from server.storage.models import OUT_OF_USE, Store


def damaged_in(store: Store) -> QuerySet[Copy]:
    """The newest first; `elsewhere` of each: its whole copies in other stores. Two queries."""
    whole = Copy.objects.filter(state__in=THERE, intact=True).exclude(store__mode__in=OUT_OF_USE).select_related("store")
    others = Prefetch("backup__copies", queryset=whole.exclude(store=store).order_by("store__name"), to_attr="whole_copies")
    rows = Copy.objects.filter(store=store, state__in=THERE, intact=False).select_related("backup__device__holder")
    return rows.prefetch_related(others).order_by("-backup__finished_at", "id")
