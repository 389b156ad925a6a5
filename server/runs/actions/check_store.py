"""Check a store: prove that its bytes are intact, and note on each copy what was found.

Works in pieces of minutes, so that shorter work of the store passes between; what a piece has read and found stands
in the store's row, and the next one goes on there.
"""

import time
from collections.abc import Callable
from datetime import timedelta
from typing import Any
from uuid import UUID

from django.db import transaction

from core.vault import blobs as names
from core.vault.chain import notes_in
from core.vault.check import CheckReport, check, note_damage
from core.vault.damage import damaged_kinds
from core.vault.errors import Damaged, DeviceSealed, NoSuchBackup, StoreReadOnly
from core.vault.reading import SHARE_BYTES_PER_SECOND, next_packs, slowed
from core.vault.vault import Vault
from server import ports
from server.api.problems import Conflict
from server.jobs import defer_check
from server.live import publish
from server.locks import lock_devices
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.actions.mend_store import mend_from_others
from server.runs.actions.note_read import note_proven, note_read, read_packs
from server.runs.models import THERE, Backup, Copy, CopyState
from server.storage.actions.note_trouble import note_trouble, note_well
from server.storage.models import Store
from server.storage.queries import must_be_here, opened

PIECE = timedelta(minutes=2)
"""How long a check works before it lets shorter work of the store pass."""
ROUND = -1
"""Instead of a percentage: the night's share, so that everything is read within the days that the store says."""


def ask_check(store: Store, *, percent: int, by: User) -> None:
    """Put it into the queue. Raises Conflict while one waits already, StoreAway."""
    must_be_here(store)
    if not defer_check(store.id, percent=percent, by=by.id):
        raise Conflict("A check of this store is waiting already.", remedy="Wait until it has ended; its result stands on this page.")


def check_store(
    store: Store,
    *,
    percent: int,
    by: User | None,
    clock: Callable[[], float] = time.monotonic,
    sleep: Callable[[float], None] = time.sleep,
) -> Store:
    """One piece; the last one says what was found. Reads `percent` of the packs in all; 100 proves everything, ROUND the night's share."""
    progress = store.check_progress if store.check_progress.get("percent") == percent else {}
    began, limit = clock(), store.check_limit_bytes_per_second or (SHARE_BYTES_PER_SECOND if percent == ROUND else None)
    until = began + PIECE.total_seconds()
    try:
        vault = opened(store)
        wanted = _wanted(vault, store, progress) if percent == ROUND else None
        report = _checked(
            vault,
            store,
            percent=max(0, percent),
            packs=wanted,
            without={bytes.fromhex(pack) for pack in progress.get("packs", ())},
            should_pause=lambda: clock() >= until,
            on_progress=slowed(limit, began, clock, sleep),
        )
        note_read(vault, store, report, now=ports.clock().now())
    except Exception as error:  # whatever it is, the store's page says it
        note_trouble(store.id, error)
        store.refresh_from_db()
        return store
    fields = _added(progress, report, percent)
    if wanted is not None:
        fields["wanted"] = [pack.hex() for pack in wanted]
    fields["damage"] = {**progress.get("damage", {}), **_damage(vault, [id for entry in report.damaged for id in entry.backups])}
    _noted(store, fields, finished=not report.paused, by=by)
    if not report.paused:
        note_proven(vault, store)
        if fields["touched"] and (mended := mend_from_others(store, {UUID(id) for id in fields["touched"]})):
            store.refresh_from_db(fields=["check_says"])
            progress = f"{store.check_says} {mended} of them {'is' if mended == 1 else 'are'} whole again, from another store."
            Store.objects.filter(id=store.id).update(check_says=progress[:300])
    note_well(store.id)
    store.refresh_from_db()
    return store


def _wanted(vault: Vault, store: Store, progress: dict[str, Any]) -> list[bytes]:
    """The night's share, chosen once however many pieces it takes."""
    if "wanted" in progress:
        return [bytes.fromhex(pack) for pack in progress["wanted"]]
    return next_packs(vault.ids(names.PACKS), read_packs(store), days=store.check_days or 1, now=ports.clock().now())


def _damage(vault: Vault, ids: list[str]) -> dict[str, Any]:
    """What of each touched backup cannot be given back; a backup whose root is unreadable has nothing that could be told."""
    fields: dict[str, Any] = {}
    for id in set(ids):
        try:
            kinds = damaged_kinds(vault, vault.manifest(bytes.fromhex(id)))
        except (Damaged, NoSuchBackup, DeviceSealed):
            continue
        fields[id] = {kind: {"items": one.items, "names": one.names} for kind, one in kinds.items()}
    return fields


def _checked(
    vault: Vault,
    store: Store,
    *,
    percent: int,
    packs: list[bytes] | None,
    without: set[bytes],
    should_pause: Callable[[], bool],
    on_progress: Callable[[int, int], None],
) -> CheckReport:
    expected = Copy.objects.filter(store=store, state__in=(*THERE, CopyState.MISSING)).values_list("backup_id", flat=True)
    report = check(
        vault,
        percent=percent,
        packs=packs,
        expected={id.bytes for id in expected},
        remembered=notes_in(store.remembered),
        without=without,
        should_pause=should_pause,
        on_progress=on_progress,
    )
    try:
        note_damage(vault, report)
    except StoreReadOnly:
        return report  # then there is nobody who could rely on it either
    return report


def _added(progress: dict[str, Any], report: CheckReport, percent: int) -> dict[str, Any]:
    """What all pieces so far have read and found."""
    touched = {id for entry in report.damaged for id in entry.backups}
    return {
        "percent": percent,
        "packs": sorted({*progress.get("packs", ()), *(pack.hex() for pack in report.read_packs)}),
        "touched": sorted({*progress.get("touched", ()), *touched}),
        "damaged": sorted({*progress.get("damaged", ()), *(entry.object for entry in report.damaged)}),
        "objects": report.objects,
    }


@transaction.atomic
def _noted(store: Store, progress: dict[str, Any], *, finished: bool, by: User | None) -> None:
    now, touched = ports.clock().now(), {UUID(id) for id in progress["touched"]}
    present = Copy.objects.filter(store=store, state__in=THERE)
    lock_devices(present.filter(backup_id__in=touched).values_list("backup__device_id", flat=True))
    news = present.filter(backup_id__in=touched, intact=True).values_list("backup_id", flat=True)
    Backup.objects.filter(id__in=list(news)).update(looked_at=None, looked_by=None)  # whoever looked at it saw something else
    present.filter(backup_id__in=touched).update(intact=False, checked_at=None)
    for id, kinds in progress["damage"].items():
        present.filter(backup_id=UUID(id)).update(damaged=kinds)
    if not finished:
        Store.objects.filter(id=store.id).update(check_progress=progress)
        defer_check(store.id, percent=progress["percent"], by=by.id if by else None)
        return
    if progress["percent"] == 100:
        present.exclude(backup_id__in=touched).update(intact=True, damaged={})
    if not progress["damaged"]:
        read = "the night’s share" if progress["percent"] == ROUND else f"{progress['percent']} %"
        share = "." if progress["percent"] == 100 else f" as far as {read} was read."
        says = f"{progress['objects']} objects are intact{share}"
    else:
        says = f"{len(progress['damaged'])} of {progress['objects']} objects are damaged; {len(touched)} backups are touched."
    Store.objects.filter(id=store.id).update(check_says=says, checked_at=now, check_progress={})
    if by is not None or progress["damaged"]:  # a line for every night on which all is well would bury what people did
        write_journal(who=by, what="store.checked", facts={"store": store.name, "says": says}, at=now, store=store.id)
    publish("changed", "stores")
