"""Measure a store: what lies in it and whose it is. Changes only figures."""

from collections import Counter
from datetime import datetime
from uuid import UUID

from django.db import transaction

from core.errors import AtticError
from core.quota.shares import shares
from core.vault.accounting import Accounts
from core.vault.vault import Vault
from server.fleet.models import Device
from server.storage.models import Occupancy, Store
from server.storage.queries import opened


def measured(store: Store, vault: Vault, *, now: datetime) -> Store:
    """Put today's totals into the row; the caller saves it."""
    store.stored_bytes, store.free_bytes = vault.stored_bytes(), vault.blobs.free_bytes()
    store.measured_at, store.trouble = now, ""
    return store


def measure_store(store: Store, *, now: datetime) -> Store:
    """Totals and each device's part. A store that cannot be reached is noted as such."""
    try:
        vault = opened(store)
        accounts = Accounts(vault)
        counts = Counter(manifest.device for manifest in accounts.manifests)
        found = shares(accounts.needs_by_device(), accounts.sizes())
        measured(store, vault, now=now)
    except AtticError as error:
        store.trouble = error.message[:300]
        store.save(update_fields=["trouble"])
        return store
    known = set(Device.objects.filter(id__in=[UUID(owner) for owner in found]).values_list("id", flat=True))
    with transaction.atomic():
        store.save(update_fields=["stored_bytes", "free_bytes", "measured_at", "trouble"])
        Occupancy.objects.filter(store=store).delete()
        Occupancy.objects.bulk_create(
            Occupancy(
                store=store,
                device_id=UUID(owner),
                alone_bytes=share.alone_bytes,
                shared_bytes=share.shared_bytes,
                fair_bytes=share.fair_bytes,
                backups=counts[owner],
            )
            for owner, share in found.items()
            if UUID(owner) in known
        )
    return store
