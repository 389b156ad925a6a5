"""Reading stores."""

from typing import Any
from uuid import UUID

from django.db.models import Q, QuerySet, Sum
from django.shortcuts import get_object_or_404

from core.quota.admission import Room
from core.vault.address import Medium
from core.vault.errors import AnotherVault, OlderCopy, StoreAway, StoreClosed, StoreTwice
from core.vault.sweeper import Sweeper
from core.vault.vault import Vault
from server import ports
from server.people.queries import office_settings, server_id
from server.storage.convert import address
from server.storage.models import OUT_OF_USE, Drive, DriveState, Mode, Occupancy, Reading, Store

NOT_HERE = (DriveState.PARTING, DriveState.PARTED, DriveState.OUT)
AT_HAND = Q(trouble="") & ~Q(drive__state__in=NOT_HERE)
"""Stores that answered when they were asked last, and no drive that is elsewhere."""


def stores() -> QuerySet[Store]:
    """All but those that were retired."""
    return Store.objects.exclude(mode=Mode.RETIRED).select_related("drive__rotation")


def retired_stores() -> QuerySet[Store]:
    """The newest first."""
    return Store.objects.filter(mode=Mode.RETIRED).order_by("-retired_at", "name")


def drive_of(store_id: UUID) -> Drive | None:
    """None for a store that is no removable drive."""
    return Drive.objects.filter(store=store_id).first()


def is_here(store_id: UUID) -> bool:
    """Whether work may go on there: anything but a drive that is elsewhere, or about to be. One query."""
    return not Drive.objects.filter(store=store_id, state__in=NOT_HERE).exists()


def must_be_here(store: Store) -> None:
    """A drive that is elsewhere is not looked for at its last path: another may lie there. Raises StoreAway, StoreTwice."""
    drive = drive_of(store.id)
    if drive is None:
        return
    if drive.state == DriveState.OUT:
        rests = f" It rests in {drive.rests_in}." if drive.rests_in else ""
        raise StoreAway(f"{store.name} is not plugged in.{rests}")
    if drive.state != DriveState.HERE:
        raise StoreAway(f"{store.name} is about to be taken away.", remedy="Use it again on its page, or wait until it is back.")
    if drive.twins:
        raise StoreTwice(f"{store.name} is there twice: at {store.where} and at {drive.twins[0]}.")


def store(id: UUID) -> Store:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(Store, id=id)


def store_or_none(id: UUID | None) -> Store | None:
    """None for no id. Raises Http404 for one that there is not."""
    return None if id is None else store(id)


def opened(store: Store) -> Vault:
    """The store's vault, opened for unattended work. Raises StoreError, VaultError.

    It is proven to be the one that the row speaks of, in the state in which this server left it, or a later one: a
    store is known by its identity and never by its place.
    """
    if store.mode in OUT_OF_USE:
        raise StoreClosed(f"{store.name} is {store.get_mode_display().lower()}.")
    must_be_here(store)
    vault = ports.stores().open_vault(address(store))
    if vault.store.hex() != store.vault_id:
        other = Store.objects.filter(vault_id=vault.store.hex()).first()
        what = f"The store {other.name}" if other else "Another vault"
        raise AnotherVault(f"{what} lies where {store.name} should be: at {store.where}.")
    note = Store.objects.filter(id=store.id).values_list("newest_note", flat=True).first()  # the row in hand may be older
    if note and not vault.ledger().knows(bytes.fromhex(note)):
        raise OlderCopy(f"An older copy of {store.name} lies at {store.where}: it lacks what was stored there last.")
    return vault


def opened_to_write(store: Store) -> Vault:
    """The same, for whoever stores something or removes it. Raises StoreClosed, StoreError, VaultError."""
    if store.mode != Mode.IN_USE:
        raise StoreClosed(f"{store.name} is {store.get_mode_display().lower()}.")
    return opened(store)


def this_server() -> Sweeper:
    """As it is named in stores."""
    return Sweeper(who=server_id(), name=office_settings().name)


def offices_key() -> str:
    """Id of the key that the office's first store is sealed with; empty without a store."""
    return Store.objects.order_by("added_at", "id").values_list("key_id", flat=True).first() or ""


def of_the_offices_key() -> QuerySet[Store]:
    """Stores that are sealed with the same key as the office's first one."""
    first = Store.objects.order_by("added_at", "id").first()
    if first is None:
        return Store.objects.none()
    return Store.objects.filter(key_id=first.key_id) if first.key_id else Store.objects.filter(id=first.id)


def room_in(store: Store, vault: Vault) -> Room:
    """What the store has left, measured now."""
    stored, free = vault.stored_bytes(), vault.blobs.free_bytes()
    return Room(name=store.name, stored_bytes=stored, allowance_bytes=store.allowance_bytes, free_bytes=free)


def reading_of(store: Store) -> Reading | None:
    """How far it was read through; None before anything was. Without the record of each pack."""
    return Reading.objects.filter(store=store).only("read_bytes", "total_bytes", "oldest_at", "at").first()


def shares_by_team() -> dict[UUID, list[dict[str, Any]]]:
    """Store → [{team, bytes}] of what its teams need there, shared bytes divided; the largest first. One query."""
    rows = Occupancy.objects.order_by().values("store", "device__team__name").annotate(bytes=Sum("fair_bytes")).order_by("-bytes")
    fields: dict[UUID, list[dict[str, Any]]] = {}
    for row in rows:
        fields.setdefault(row["store"], []).append({"team": row["device__team__name"] or "", "bytes": row["bytes"]})
    return fields


def store_paths(*, besides: UUID | None = None) -> list[str]:
    """Where stores lie on this computer."""
    local = Store.objects.filter(medium__in=(Medium.FOLDER, Medium.DRIVE)).exclude(drive__state=DriveState.OUT)
    return list((local if besides is None else local.exclude(id=besides)).values_list("where", flat=True))
