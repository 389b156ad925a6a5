"""What a sweep was told about packs that stay."""

from collections.abc import Collection
from datetime import datetime
from uuid import UUID

from server.storage.models import HeldPacks


def note_held(store_id: UUID, packs: Collection[bytes], *, now: datetime) -> None:
    """Packs that a store cannot let go of yet."""
    if packs:
        HeldPacks.objects.update_or_create(store_id=store_id, defaults={"packs": b"".join(sorted(packs)), "at": now})
    else:
        HeldPacks.objects.filter(store=store_id).delete()
