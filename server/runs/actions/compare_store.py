"""Compare the list with a store: copies that the store lacks, backups that the list does not know. Neither is believed blindly.

A copy that the store does not list is missing, with the step that mends it, and no promise counts it. A backup that
nobody knows is a stray, until somebody takes it into the list. A row is written after its bytes: what seems to be missing is
looked for a second time after its row was read, and rows are read again under the lock of their device, so that what
is being written or removed meanwhile is no finding.
"""

from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from django.db import transaction

from core.vault.chain import gone, lying_notes, notes_in, told_of
from core.vault.errors import OlderCopy
from core.vault.manifests import Manifest
from core.vault.vault import Vault
from server import ports
from server.api.problems import Conflict
from server.fleet.models import Device
from server.jobs import defer_compare
from server.live import publish
from server.locks import lock_device
from server.people.actions.journal import write_journal
from server.people.models import User
from server.people.moments import written
from server.runs.actions.take_in import take_in
from server.runs.models import THERE, Backup, Copy, CopyState, Run, RunState, Stray
from server.storage.actions.note_trouble import note_trouble, note_well
from server.storage.models import Store
from server.storage.queries import must_be_here, opened
from server.transition import held, move

COMPARED_EVERY = timedelta(hours=20)
SETTLED = timedelta(hours=1)
"""A stray that is younger may be about to get its row; the next comparison looks at it."""
MISSING = {
    "cause": "The store does not list this backup, although it was there.",
    "remedy": "Look whether the right drive lies there and run a check; copy it again from another store that has it, or give it up.",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class StoreComparison:
    """What a store holds beside what is known of it."""

    missing: int
    back: int
    strays: int


def ask_compare(store: Store) -> None:
    """Put a comparison into the queue, unless one waits there already. Raises StoreAway."""
    must_be_here(store)
    defer_compare(store.id)


def compare_store(store: Store, *, now: datetime) -> StoreComparison | None:
    """What differs now, as numbers; None when the store cannot be opened, which its page says."""
    try:
        vault = opened(store)
        there = {UUID(bytes=id) for id in vault.backup_ids()}
        absent = _absent(store, there)
        if absent:
            absent = _absent(store, {UUID(bytes=id) for id in vault.backup_ids()}, of=absent)
        missing = sum(_missing(id, store, now) for id in absent)
        back = sum(_back(id) for id in _returned(store, there))
        strays = _strays(store, vault, there, now)
        remembered, away = told_of(lying_notes(vault)), gone(vault, notes_in(store.remembered))
    except Exception as error:  # whatever it is, the store's page says it
        note_trouble(store.id, error)
        return None
    if away:
        Store.objects.filter(id=store.id).update(compared_at=now)
        note_trouble(store.id, _taken_away(store, away))
    else:
        Store.objects.filter(id=store.id).update(compared_at=now, remembered=remembered)
        note_well(store.id)
    if missing or back or strays:
        publish("changed", "stores")
    if missing or back:
        publish("changed", "devices")
    return StoreComparison(missing=missing, back=back, strays=strays)


def _taken_away(store: Store, away: set[str]) -> OlderCopy:
    """What this server remembers of the store and the store no longer has."""
    says = f"{len(away)} {'notes' if len(away) > 1 else 'note'} of what was stored and removed in {store.name} vanished: first {min(away)}."
    return OlderCopy(f"{says} Somebody removed them, or put an older state back.")


def _absent(store: Store, there: set[UUID], *, of: list[int] | None = None) -> list[int]:
    rows = Copy.objects.filter(store=store, state__in=THERE).exclude(backup_id__in=there)
    rows = rows if of is None else rows.filter(id__in=of)
    return list(rows.values_list("id", flat=True))


def _returned(store: Store, there: set[UUID]) -> list[int]:
    return list(Copy.objects.filter(store=store, state=CopyState.MISSING, backup_id__in=there).values_list("id", flat=True))


@transaction.atomic
def _missing(id: int, store: Store, now: datetime) -> bool:
    copy = Copy.objects.select_related("backup__device").get(id=id)
    lock_device(copy.backup.device_id)
    row = held(Copy, id)
    if row.state not in THERE:
        return False
    move(row, CopyState.MISSING, **MISSING, leaving_since=None, leaves_on=None)
    write_journal(
        who=None,
        what="backup.missing",
        facts={"store": store.name, "device": copy.backup.device.name, "moment": written(copy.backup.finished_at)},
        at=now,
        device=copy.backup.device_id,
        store=store.id,
    )
    return True


@transaction.atomic
def _back(id: int) -> bool:
    lock_device(Copy.objects.select_related("backup").get(id=id).backup.device_id)
    row = held(Copy, id)
    if row.state != CopyState.MISSING:
        return False
    move(row, CopyState.PRESENT, cause="", remedy="")
    return True


def _strays(store: Store, vault: Vault, there: set[UUID], now: datetime) -> int:
    known = set(Copy.objects.filter(store=store, backup_id__in=there).exclude(state=CopyState.REMOVED).values_list("backup_id", flat=True))
    rows, devices = [], {str(id): id for id in Device.objects.values_list("id", flat=True)}
    busy = {str(id) for id in Run.objects.filter(state=RunState.RUNNING).values_list("device_id", flat=True)}
    for id in there - known:
        manifest = vault.manifest(id.bytes)
        if manifest.device in busy or manifest.finished_at > now - SETTLED:
            continue
        words = " ".join(str(manifest.device_told.get(name, "")) for name in ("name", "holder", "team")).strip()
        rows.append(
            Stray(
                store=store, backup_id=id, device_id=devices.get(manifest.device), device_key=manifest.device[:200],
                told={name: str(value)[:200] for name, value in list(manifest.device_told.items())[:20]},
                device_words=(words or manifest.device)[:300],
                finished_at=manifest.finished_at, items=manifest.items, size_bytes=manifest.size_bytes, found_at=now,
            )
        )  # fmt: skip
    Stray.objects.filter(store=store).exclude(backup_id__in=[row.backup_id for row in rows]).delete()
    Stray.objects.bulk_create(
        rows, update_conflicts=True, unique_fields=["store", "backup_id"], update_fields=["device", "device_key", "told", "device_words"]
    )
    return len(rows)


def adopt(stray: Stray, *, device: Device, by: User) -> Backup:
    """Take it into the list as a backup of this device, with a copy where it lies. Raises StoreError, VaultError."""
    manifest: Manifest = opened(stray.store).manifest(stray.backup_id.bytes)
    now = ports.clock().now()
    with transaction.atomic():
        lock_device(device.id)
        backup = take_in(stray, manifest, device)
        write_journal(
            who=by,
            what="backup.adopted",
            facts={"device": device.name, "moment": written(manifest.finished_at), "store": stray.store.name},
            at=now,
            device=device.id,
            store=stray.store_id,
        )
    publish("changed", "devices")
    return backup


@transaction.atomic
def give_up_missing(copy: Copy, *, by: User) -> None:
    """It is lost for good: it stands in the list as removed from now on. Raises Conflict for one that is not missing, or is back."""
    lock_device(copy.backup.device_id)
    row, now = held(Copy, copy.id), ports.clock().now()
    if row.state != CopyState.MISSING:
        raise Conflict("This backup is not missing there.", remedy="Load the page again: it may be back.")
    move(row, CopyState.REMOVED, removed_at=now, removed_why=f"It was missing; {by.shown_name} gave it up."[:200])
    write_journal(
        who=by,
        what="backup.given_up",
        facts={"device": copy.backup.device.name, "store": copy.store.name},
        at=now,
        device=copy.backup.device_id,
        store=copy.store_id,
    )
    publish("changed", "devices")
    publish("changed", "stores")
