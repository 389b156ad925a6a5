"""What was to leave a drive that came back has left: what it is owed comes next."""

from uuid import UUID

from django.db import transaction

from server.jobs import defer_copies, defer_sweep
from server.storage.models import Drive


@transaction.atomic
def end_settling(store_id: UUID) -> None:
    """A drive that was back has been looked through: it counts again."""
    if Drive.objects.filter(store=store_id, settling_until__isnull=False).update(settling_until=None):
        defer_sweep(store_id)
        defer_copies(store_id)
