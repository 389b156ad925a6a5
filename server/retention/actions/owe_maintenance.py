"""What the clock owes to each store: its rules once a night, sweeps, measures. Each waits in the queue once at the most.

Nothing here hangs on a run: a device without further runs, and a store without new ones, are looked after as well.
"""

import logging
from collections.abc import Callable, Iterable
from datetime import datetime, timedelta
from uuid import UUID

from django.db import transaction
from django.db.models import F, Max, OuterRef, Q, QuerySet, Subquery

from server.jobs import (
    defer_check,
    defer_compare,
    defer_copies,
    defer_erasing,
    defer_measure,
    defer_office,
    defer_owed_copies,
    defer_removals,
    defer_rules,
    defer_sweep,
)
from server.people.clock import in_doubt
from server.people.queries import office_zone
from server.retention.actions.erase_in import end_empty
from server.retention.models import ErasureState, StepState
from server.runs.actions.check_store import ROUND
from server.runs.actions.compare_store import COMPARED_EVERY
from server.runs.actions.heartbeat import heartbeat, last_heartbeat
from server.runs.models import CAME, Copy, CopyState
from server.storage.models import Mode, Store
from server.storage.queries import NOT_HERE, of_the_offices_key

log = logging.getLogger("attic.retention")
MORNING = 6
"""The office's hour after which the rules of a night are applied: by then its runs are over."""
SWEPT_EVERY = timedelta(hours=1)
"""While something waits out its grace period."""
OWED_EVERY = timedelta(minutes=10)
MEASURED_AGAIN = timedelta(minutes=10)
"""However many runs end, the whole store is read no more often to tell whose its bytes are."""


def owe_maintenance(*, now: datetime) -> int:
    """How many jobs were put into the queue. Each kind by itself: one that cannot be told holds up no other."""
    count, whole = 0, True
    doubt = in_doubt()
    sure = () if doubt else (_owed, _rules, _removals, _erasures, _sweeps, _offices, _rounds)
    for owed in (_copies, _measures, _comparisons, *sure):
        try:
            with transaction.atomic():
                count += owed(now)
        except Exception:
            log.exception("it could not be told which stores are owed%s", owed.__name__.replace("_", " "))
            whole = False
    if whole:
        heartbeat("maintenance", now=now)
    return count


def _owed(now: datetime) -> int:
    """All plans are looked at now and then; a run that has ended is looked at by itself, at once."""
    looked = last_heartbeat("copies owed")
    if looked is not None and looked <= now < looked + OWED_EVERY:
        return 0
    heartbeat("copies owed", now=now)
    return int(defer_owed_copies())


def _copies(now: datetime) -> int:
    due = _looked_after().filter(copies__state=CopyState.OWED, copies__due_at__lte=now)
    return _each(defer_copies, due.distinct())


def _rules(now: datetime) -> int:
    local = now.astimezone(office_zone())
    if local.hour < MORNING:
        return 0
    return _each(defer_rules, Store.objects.filter(mode=Mode.IN_USE).filter(Q(ruled_on=None) | ~Q(ruled_on=local.date())))


def _removals(now: datetime) -> int:
    return _each(defer_removals, _looked_after().filter(copies__state=CopyState.REMOVING, trouble="").distinct())


def _erasures(now: datetime) -> int:
    """Stores in which something is to be erased from today on, or is on its way out of the packs."""
    end_empty(now=now)
    today = now.astimezone(office_zone()).date()
    begun = Q(erasure_steps__erasure__state=ErasureState.ASKED, erasure_steps__erasure__begins_on__lte=today)
    due = begun | Q(erasure_steps__erasure__state=ErasureState.UNDER_WAY)
    waits = Q(erasure_steps__next_try_at=None) | Q(erasure_steps__next_try_at__lte=now)
    open_steps = ~Q(erasure_steps__state=StepState.GONE)
    return _each(defer_erasing, _looked_after().filter(due, waits, open_steps, trouble="").distinct())


def _sweeps(now: datetime) -> int:
    return _each(defer_sweep, _looked_after().filter(Q(swept_at=None) | Q(swept_at__lt=now - SWEPT_EVERY), waiting_bytes__gt=0))


def _measures(now: datetime) -> int:
    """Stores that gained a backup or a copy since they were measured; a first one is measured at once."""
    copied = Copy.objects.filter(store=OuterRef("pk")).order_by().values("store").annotate(newest=Max("copied_at")).values("newest")
    gained = _read().annotate(newest=Max("runs__finished_at", filter=Q(runs__state__in=CAME)), copied=Subquery(copied))
    changed = gained.filter(Q(measured_at=None) | Q(newest__gt=F("measured_at")) | Q(copied__gt=F("measured_at")))
    return _each(
        defer_measure, changed.filter(Q(occupancies=None) | Q(measured_at=None) | Q(measured_at__lt=now - MEASURED_AGAIN)).distinct()
    )


def _comparisons(now: datetime) -> int:
    return _each(
        defer_compare,
        _read().filter(Q(compared_at=None) | Q(compared_at__lt=now - COMPARED_EVERY)),
    )


def _offices(now: datetime) -> int:
    """Into each store of the office's key, once a night; into a new one at once."""
    local = now.astimezone(office_zone())
    stores = of_the_offices_key().filter(mode=Mode.IN_USE).exclude(drive__state__in=NOT_HERE)
    new = Q(office_on=None)
    return _each(defer_office, stores.filter(new | ~Q(office_on=local.date()) if local.hour >= MORNING else new))


STRUCTURE_EVERY = timedelta(days=7)
"""Of a store of which nothing is read by itself."""


def _rounds(now: datetime) -> int:
    """A share of each store a night, so that everything is read within its days; of the others the structure once a week."""
    local = now.astimezone(office_zone())
    if local.hour < MORNING:
        return 0
    fresh = Q(round_on=local.date())
    rounds = [store for store in _read().filter(check_days__isnull=False, trouble="").exclude(fresh) if _share(store.id)]
    old = Q(checked_at=None) | Q(checked_at__lt=now - STRUCTURE_EVERY)
    others = [store for store in _read().filter(old, check_days=None, trouble="").exclude(fresh) if _structure(store.id)]
    Store.objects.filter(id__in=[store.id for store in (*rounds, *others)]).update(round_on=local.date())
    return len(rounds) + len(others)


def _share(id: UUID) -> bool:
    return defer_check(id, percent=ROUND, by=None)


def _structure(id: UUID) -> bool:
    return defer_check(id, percent=0, by=None)


def _looked_after() -> QuerySet[Store]:
    """In use, and no drive that is elsewhere."""
    return Store.objects.filter(mode=Mode.IN_USE).exclude(drive__state__in=NOT_HERE)


def _read() -> QuerySet[Store]:
    return Store.objects.filter(mode__in=(Mode.IN_USE, Mode.READ_ONLY)).exclude(drive__state__in=NOT_HERE)


def _each(defer: Callable[[UUID], bool], stores: Iterable[Store]) -> int:
    return sum(defer(store.id) for store in stores)
