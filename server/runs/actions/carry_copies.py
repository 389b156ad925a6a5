"""Carry into a store the copies that it is owed: the newest of each device first, as long as its hours and limits allow.

Works for a while and ends; the clock puts it into the queue again as long as anything is due. While the store is away
everything waits, and flows when it is back.
"""

import time
from collections.abc import Callable
from datetime import datetime, timedelta
from uuid import UUID

from django.db.models import F, Window
from django.db.models.functions import RowNumber

from core.schedule.quiet import not_before
from core.vault.errors import Stopped, StoreError
from server import ports
from server.live import publish
from server.people.queries import office_zone, on_metered_line
from server.plans.models import PlanTarget
from server.runs.actions.copy_backup import OpenStores, copy_backup
from server.runs.models import Copy, CopyState
from server.storage.actions.note_trouble import note_trouble, note_well
from server.storage.models import Drive, Mode, Store
from server.storage.queries import NOT_HERE, is_here, opened

SLICE_SECONDS = 300.0
TELL_EVERY_SECONDS = 1.0
METERED = "The office's line is metered now."
METERED_FOR = timedelta(minutes=10)
LEAST_TOLD = 64 * 1024
AWAY_FOR = timedelta(minutes=5)
"""How long nothing is tried again in a store that could not be opened."""


def carry_copies(store_id: UUID, *, seconds: Callable[[], float] = time.monotonic, sleep: Callable[[float], None] = time.sleep) -> int:
    """How many copies arrived."""
    store, began, arrived = Store.objects.get(id=store_id), seconds(), 0
    if store.mode != Mode.IN_USE or next_copy(store, now=ports.clock().now()) is None:
        return 0
    if not is_here(store_id) or _settling(store):  # what waits for a drive waits until it is back, and is due then
        return 0
    stores = OpenStores()
    try:
        stores.put(store, opened(store))
    except Exception as error:  # whatever it is, the store's page says it
        note_trouble(store.id, error)
        _wait(store, error)
        return 0
    note_well(store.id)
    while seconds() - began < SLICE_SECONDS and (row := next_copy(store, now=ports.clock().now())) is not None:
        target = _target(store, row)
        if target is not None and (opens := _opens(target, ports.clock().now())) > ports.clock().now():
            Copy.objects.filter(id=row.id, state=CopyState.OWED).update(due_at=opens)
            continue
        if (minds := target is not None and target.not_metered) and on_metered_line():
            later = ports.clock().now() + METERED_FOR
            Copy.objects.filter(id=row.id, state=CopyState.OWED).update(due_at=later, cause=METERED, remedy="")
            continue
        pace = Paced(target.limit_bytes_per_second if target else None, minds_metered=minds, seconds=seconds, sleep=sleep)
        arrived += copy_backup(row.id, stores=stores, pace=pace)
        pace.note_speed(row)
        if (
            (state := Store.objects.filter(id=store_id).values_list("mode", "trouble").first()) is None
            or state != (Mode.IN_USE, "")
            or not is_here(store_id)
        ):
            break
    return arrived


def _settling(store: Store) -> bool:
    """Whether what is to leave a drive that came back goes first."""
    return Drive.objects.filter(store=store, settling_until__gt=ports.clock().now()).exists()


def next_copy(store: Store, *, now: datetime) -> Copy | None:
    """The copy that is carried next: the newest of each device before the second newest of any."""
    owed = Copy.objects.filter(store=store, state=CopyState.OWED, due_at__lte=now)
    ranked = owed.annotate(rank=Window(RowNumber(), partition_by=[F("backup__device_id")], order_by=F("backup__finished_at").desc()))
    return ranked.select_related("backup").order_by("rank", "-backup__finished_at", "id").first()


def _target(store: Store, row: Copy) -> PlanTarget | None:
    """What the device's plan says of this store; nothing for what somebody asked for."""
    if row.by_id is not None:
        return None
    return PlanTarget.objects.filter(store=store, plan__assignments__device=row.backup.device_id).first()


def _opens(target: PlanTarget, now: datetime) -> datetime:
    """`now`, or when the hours of this target begin."""
    return not_before(now, quiet_from=target.copies_until, quiet_until=target.copies_from, zone=office_zone())


def _wait(store: Store, error: Exception) -> None:
    """Everything that is owed there waits for the store, and says so."""
    cause, remedy = (error.message, error.remedy) if isinstance(error, StoreError) else ("It could not be opened.", "")
    Copy.objects.filter(store=store, state=CopyState.OWED).update(
        due_at=ports.clock().now() + AWAY_FOR, cause=cause[:600], remedy=remedy[:600]
    )
    publish("changed", "copies")


class Paced:
    """Tells of a copy's progress, holds it to its limit, and stops it when its store is not to be written any more."""

    def __init__(
        self, limit: int | None, *, minds_metered: bool = False, seconds: Callable[[], float], sleep: Callable[[float], None]
    ) -> None:
        self._limit, self._minds_metered, self._seconds, self._sleep = limit, minds_metered, seconds, sleep
        self._began = self._told = seconds()
        self._done_bytes = 0

    def __call__(self, row: Copy, done_bytes: int, total_bytes: int) -> None:
        """Raises Stopped."""
        self._done_bytes = done_bytes
        took = self._seconds() - self._began
        if self._limit and took < (owed := done_bytes / self._limit):
            self._sleep(owed - took)
        if (now := self._seconds()) - self._told < TELL_EVERY_SECONDS:
            return
        self._told = now
        progress = {
            "done_bytes": done_bytes,
            "total_bytes": total_bytes,
            "bytes_per_second": round(done_bytes / max(0.1, now - self._began)),
        }
        if (
            not Copy.objects.filter(id=row.id, state=CopyState.COPYING, store__mode=Mode.IN_USE)
            .exclude(store__drive__state__in=NOT_HERE)
            .update(progress=progress)
        ):
            raise Stopped("Nothing is written into this store any more.", remedy="Take the store into use again.")
        if self._minds_metered and on_metered_line():
            raise Stopped(METERED, remedy="It goes on by itself once the line is not metered any more; what arrived is used again.")
        publish("changed", "copies")

    def note_speed(self, row: Copy) -> None:
        """How fast a drive took it, smoothed: for how long it is needed the next time. A few bytes tell nothing."""
        took = self._seconds() - self._began
        if self._done_bytes < LEAST_TOLD or took <= 0:
            return
        drive = Drive.objects.filter(store=row.store_id).first()
        if drive is not None:
            now = self._done_bytes / took
            drive.bytes_per_second = now if drive.bytes_per_second is None else 0.7 * drive.bytes_per_second + 0.3 * now
            drive.save(update_fields=["bytes_per_second"])
