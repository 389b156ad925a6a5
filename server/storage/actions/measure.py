"""Measure a store: what lies in it and whose it is. Changes only figures."""

from collections import Counter
from datetime import datetime
from typing import Any
from uuid import UUID

from django.db import transaction

from core.quota.shares import shares
from core.vault.accounting import Accounts
from core.vault.vault import Vault
from server.fleet.models import Device
from server.storage.actions.note_trouble import note_trouble, note_well
from server.storage.models import Occupancy, Store
from server.storage.queries import opened


def totals(vault: Vault, *, now: datetime) -> dict[str, Any]:
    """Today's totals, by column."""
    return {"stored_bytes": vault.stored_bytes(), "free_bytes": vault.blobs.free_bytes(), "measured_at": now, "key_id": vault.keys.id.hex()}


def measure_store(store: Store, *, now: datetime) -> Store:
    """Totals and each device's part. A store that cannot be reached is noted as such."""
    try:
        vault = opened(store)
        accounts = Accounts(vault)
        counts = Counter(manifest.device for manifest in accounts.manifests)
        found = shares(accounts.needs_by_device(), accounts.sizes())
        measured = totals(vault, now=now)
    except Exception as error:  # whatever it is, the store's page says it
        note_trouble(store.id, error)
        store.refresh_from_db()
        return store
    known = set(Device.objects.filter(id__in=[id for owner in found if (id := _id(owner))]).values_list("id", flat=True))
    with transaction.atomic():
        Store.objects.select_for_update().filter(id=store.id).update(**measured)
        Occupancy.objects.filter(store=store).delete()
        Occupancy.objects.bulk_create(
            Occupancy(
                store=store,
                device_id=id,
                alone_bytes=share.alone_bytes,
                shared_bytes=share.shared_bytes,
                fair_bytes=share.fair_bytes,
                backups=counts[owner],
            )
            for owner, share in found.items()
            if (id := _id(owner)) in known
        )
    note_well(store.id)
    store.refresh_from_db()
    return store


def _id(owner: str) -> UUID | None:
    """The device that a manifest names; None for one that another program wrote, whose names are its own."""
    try:
        return UUID(owner)
    except ValueError:
        return None
