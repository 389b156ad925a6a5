"""Measure a store with what is known of it besides: what leaves it, and who follows which plan."""

from datetime import datetime

from server.plans.models import Assignment
from server.runs.models import Copy, CopyState
from server.storage.actions.measure import KnownStore, measure_store
from server.storage.models import Store


def measure(store: Store, *, now: datetime, anew: bool = False) -> None:
    """A store that cannot be reached is noted as such. `anew`: without what is remembered of it."""
    leaving = Copy.objects.filter(store=store, state__in=(CopyState.LEAVING, CopyState.REMOVING)).values_list("backup_id", flat=True)
    followed = Assignment.objects.values_list("device_id", "plan_id", "plan__name")
    plans = {device: (plan, name) for device, plan, name in followed}
    measure_store(store, now=now, known=KnownStore(leaving=set(leaving), plans=plans), anew=anew)
