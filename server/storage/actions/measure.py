"""Measure a store: what lies in it and whose it is. Changes only figures."""

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from uuid import UUID

from django.db import transaction

from core.quota.books import BookRow, Books, Nobodys
from core.quota.shares import ByteShare
from core.vault.accounting import Accounts
from core.vault.remembered_trees import RememberedTrees
from core.vault.vault import Vault
from server.fleet.models import Device
from server.people.actions.journal import write_journal
from server.people.queries import office_zone
from server.storage.actions.note_allowances import note_allowances
from server.storage.actions.note_trouble import note_trouble, note_well
from server.storage.convert import limit_of
from server.storage.held import held_packs
from server.storage.models import BackupOccupancy, GroupOccupancy, KindOccupancy, Occupancy, Store, StoreDay, SumOf
from server.storage.queries import opened
from server.storage.trees import keep, recalled

WRITTEN_AT_ONCE = 2000


@dataclass(frozen=True, slots=True, kw_only=True)
class KnownStore:
    """What the store cannot know by itself."""

    leaving: Collection[UUID] = ()
    """Backups that are about to leave it."""
    plans: Mapping[UUID, tuple[UUID, str]] = field(default_factory=dict)
    """Device → id and name of the plan that it follows."""


def totals(vault: Vault, *, now: datetime) -> dict[str, Any]:
    """Today's totals, by column."""
    return {"stored_bytes": vault.stored_bytes(), "free_bytes": vault.blobs.free_bytes(), "measured_at": now, "key_id": vault.keys.id.hex()}


def measure_store(store: Store, *, now: datetime, known: KnownStore = KnownStore(), anew: bool = False) -> Store:
    """Totals, and what each part of the office has there. A store that cannot be reached is noted as such. `anew`: all its trees are
    read, and compared with what was remembered of them."""
    devices = {str(row.id): row for row in Device.objects.select_related("team", "holder")}
    try:
        vault = opened(store)
        before = recalled(store)
        accounts = Accounts(vault, lambda: None if anew else before)
        teams = {id: str(row.team_id) for id, row in devices.items() if row.team_id is not None}
        books = Books(accounts, teams, {id.bytes for id in known.leaving}, held_packs(store.id))
        rows = list(_rows(store, books, devices, known))
        measured = totals(vault, now=now) | {"stored_bytes": accounts.stored_bytes}
    except Exception as error:  # whatever it is, the store's page says it
        note_trouble(store.id, error)
        store.refresh_from_db()
        return store
    with transaction.atomic():
        store = Store.objects.select_for_update().get(id=store.id)
        Store.objects.filter(id=store.id).update(**measured)
        _written(store, rows)
        store.refresh_from_db()
        note_allowances(store, _note_day(store, books, rows, now), now=now)
    note_well(store.id)
    _remember(store, before, accounts.trees(), anew=anew, now=now)
    store.refresh_from_db()
    return store


def _remember(store: Store, before: RememberedTrees, trees: RememberedTrees, *, anew: bool, now: datetime) -> None:
    differing = before.differing(trees) if anew else 0
    if differing:
        write_journal(who=None, what="store.remembered_wrong", facts={"store": store.name, "differing": differing}, at=now)
    if set(trees.branches) != set(before.branches) or differing:
        keep(store, trees)


def _written(store: Store, rows: Iterable[Any]) -> None:
    by_model: dict[Any, list[Any]] = {model: [] for model in (Occupancy, KindOccupancy, BackupOccupancy, GroupOccupancy)}
    for row in rows:
        by_model[type(row)].append(row)
    for model, mine in by_model.items():
        model.objects.filter(store=store).delete()
        model.objects.bulk_create(mine, batch_size=WRITTEN_AT_ONCE)


def _rows(store: Store, books: Books, devices: Mapping[str, Device], known: KnownStore) -> Iterator[Any]:
    """Of devices of the list; what other programs wrote counts among those of no team, and stands under no device."""
    groups: dict[tuple[SumOf, str, str], list[str]] = defaultdict(list)
    for key, row in books.devices.items():
        device = devices.get(key)
        for group in _groups_of(device, known):
            groups[group].append(key)
        if device is None:
            continue
        yield Occupancy(store=store, device=device, **_figures(row))
        for kind, one in books.kinds_of(key).items():
            yield KindOccupancy(store=store, device=device, kind=kind[:40], **_figures(one))
        for id, one in books.backups_of(key).items():
            yield BackupOccupancy(store=store, device=device, backup_id=UUID(bytes=id), **_shares(one.share))
    for (of, key, name), members in groups.items():
        if (together := books.together(members)) is not None:
            yield GroupOccupancy(store=store, of=of, key=key, name=name, **_figures(together))
    for code, held in nobodys_parts(books.nobodys).items():
        yield GroupOccupancy(store=store, of=SumOf.NOBODY, key=code, fair_bytes=held)


def _groups_of(device: Device | None, known: KnownStore) -> Iterator[tuple[SumOf, str, str]]:
    """What it is one of: of which sort, id and name; without both for one of none."""
    team, holder = (device.team, device.holder) if device is not None else (None, None)
    plan = known.plans.get(device.id) if device is not None else None
    yield SumOf.TEAM, str(team.id) if team else "", team.name if team else ""
    yield SumOf.HOLDER, str(holder.id) if holder else "", holder.name if holder else ""
    yield SumOf.PLAN, str(plan[0]) if plan else "", plan[1] if plan else ""


def nobodys_parts(nobodys: Nobodys) -> dict[str, int]:
    """What is nobody's, by code."""
    return {
        "leaving": nobodys.leaving_bytes, "unneeded": nobodys.remains.unneeded_bytes, "marked": nobodys.remains.marked_bytes,
        "held": nobodys.remains.held_bytes, "packing": nobodys.remains.packing_bytes, "arriving": nobodys.remains.arriving_bytes,
        "lists": nobodys.remains.lists_bytes,
    }  # fmt: skip


def _shares(share: ByteShare) -> dict[str, int]:
    return {"alone_bytes": share.alone_bytes, "shared_bytes": share.shared_bytes, "fair_bytes": share.fair_bytes}


def _figures(row: BookRow) -> dict[str, int]:
    return {**_shares(row.share), "logical_bytes": row.logical_bytes, "backups": row.backups}


def _note_day(store: Store, books: Books, rows: Iterable[Any], now: datetime) -> StoreDay:
    kinds: dict[str, int] = defaultdict(int)
    devices: dict[str, int] = {}
    for row in rows:
        if isinstance(row, KindOccupancy):
            kinds[row.kind] += row.fair_bytes
        elif isinstance(row, Occupancy):
            devices[str(row.device_id)] = row.fair_bytes
    nobodys = books.nobodys
    day, _ = StoreDay.objects.update_or_create(
        store=store,
        day=now.astimezone(office_zone()).date(),
        defaults={
            "stored_bytes": store.stored_bytes,
            "going_bytes": nobodys.leaving_bytes + nobodys.remains.unneeded_bytes + nobodys.remains.marked_bytes,
            "limit_bytes": limit_of(store),
            "teams": {team: row.share.fair_bytes for team, row in books.teams.items()},
            "devices": devices,
            "kinds": dict(kinds),
            "drawn": False,
        },
    )
    return day
