"""Remember what this server noted in a store last: an older copy of the store is told by what it lacks."""

from uuid import UUID

from server.storage.models import Store


def note_newest(store_id: UUID, backup_id: UUID) -> None:
    """Called with the row that says that the backup is there, in the same transaction."""
    Store.objects.filter(id=store_id).update(newest_note=backup_id.hex)
