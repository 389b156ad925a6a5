"""Packs that a store's place did not let go of when they were last to go: they lie there, and are no room that anybody can make."""

from uuid import UUID

from core.vault.keys import ID_BYTES
from server.storage.models import HeldPacks


def held_packs(store_id: UUID) -> frozenset[bytes]:
    """Names of packs that the store cannot let go of; empty when there are none. One query."""
    packs = HeldPacks.objects.filter(store=store_id).values_list("packs", flat=True).first()
    held = bytes(packs or b"")
    return frozenset(held[at : at + ID_BYTES] for at in range(0, len(held), ID_BYTES))
