"""Reading stores."""

from uuid import UUID

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from core.quota.admission import Room
from core.vault.vault import Vault
from server.outside import outside
from server.storage.models import Occupancy, Store


def stores() -> QuerySet[Store]:
    return Store.objects.all()


def store(id: UUID) -> Store:
    return get_object_or_404(Store, id=id)


def opened(found: Store) -> Vault:
    """The store's vault, opened for unattended work. Raises StoreError, VaultError."""
    return outside().open_vault(found.path)


def room_in(found: Store, vault: Vault) -> Room:
    """What the store has left, measured now."""
    return Room(stored_bytes=vault.stored_bytes(), allowance_bytes=found.allowance_bytes, free_bytes=vault.blobs.free_bytes())


def occupancies(found: Store) -> QuerySet[Occupancy]:
    return found.occupancies.select_related("device__holder", "device__team").order_by("-fair_bytes", "device_id")
