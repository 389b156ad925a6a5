"""What the clock owes to each store: its rules once a night, sweeps, measures. Each waits in the queue once at the most.

Nothing here hangs on a run: a device without further runs, and a store without new ones, are looked after as well.
"""

import logging
from collections.abc import Callable, Iterable
from datetime import datetime, timedelta
from uuid import UUID

from django.db import transaction
from django.db.models import F, Max, Q

from server.jobs import defer_compare, defer_measure, defer_removals, defer_rules, defer_sweep
from server.people.clock import in_doubt
from server.people.queries import office_zone
from server.runs.actions.beat import beat
from server.runs.actions.compare_store import COMPARED_EVERY
from server.runs.models import CAME, CopyState
from server.storage.models import Store

log = logging.getLogger("attic.retention")
MORNING = 6
"""The office's hour after which the rules of a night are applied: by then its runs are over."""
SWEPT_EVERY = timedelta(hours=1)
"""While something waits out its grace period."""
MEASURED_AGAIN = timedelta(minutes=10)
"""However many runs end, the whole store is read no more often to tell whose its bytes are."""


def owe_maintenance(*, now: datetime) -> int:
    """How many jobs were put into the queue. Each kind by itself: one that cannot be told holds up no other."""
    found, whole = 0, True
    doubt = in_doubt()
    for owed in (_measures, _comparisons) if doubt else (_rules, _removals, _sweeps, _measures, _comparisons):
        try:
            with transaction.atomic():
                found += owed(now)
        except Exception:
            log.exception("it could not be told which stores are owed%s", owed.__name__.replace("_", " "))
            whole = False
    if whole:
        beat("maintenance", now=now)
    return found


def _rules(now: datetime) -> int:
    local = now.astimezone(office_zone())
    if local.hour < MORNING:
        return 0
    return _each(defer_rules, Store.objects.filter(Q(ruled_on=None) | ~Q(ruled_on=local.date())))


def _removals(now: datetime) -> int:
    return _each(defer_removals, Store.objects.filter(copies__state=CopyState.REMOVING, trouble="").distinct())


def _sweeps(now: datetime) -> int:
    return _each(defer_sweep, Store.objects.filter(Q(swept_at=None) | Q(swept_at__lt=now - SWEPT_EVERY), waiting_bytes__gt=0))


def _measures(now: datetime) -> int:
    """Stores that gained a backup since they were measured; a first one is measured at once."""
    gained = Store.objects.annotate(newest=Max("runs__finished_at", filter=Q(runs__state__in=CAME)))
    changed = gained.filter(Q(measured_at=None) | Q(newest__gt=F("measured_at")))
    return _each(
        defer_measure, changed.filter(Q(occupancies=None) | Q(measured_at=None) | Q(measured_at__lt=now - MEASURED_AGAIN)).distinct()
    )


def _comparisons(now: datetime) -> int:
    return _each(defer_compare, Store.objects.filter(Q(compared_at=None) | Q(compared_at__lt=now - COMPARED_EVERY)))


def _each(defer: Callable[[UUID], bool], stores: Iterable[Store]) -> int:
    return sum(defer(store.id) for store in stores)
