"""What may still be protected, and what is in use. Asked under the lock of the device: then the answer holds."""

from uuid import UUID

from django.db.models import Q

from server.api.problems import Conflict
from server.runs.models import THERE, Backup, Copy, CopyState


class BeingRemoved(Conflict):
    """The decision to remove it was taken before."""

    code = "backup.being_removed"
    remedy = "Choose another moment: this one cannot be kept any more."


def still_there(backup: Backup) -> list[Copy]:
    """Its copies that nobody has decided to remove. Raises BeingRemoved when there are none."""
    if Backup.objects.filter(id=backup.id, being_erased=True).exists():
        raise BeingRemoved("This backup is being erased on request.")
    copies = list(backup.copies.filter(state__in=THERE).select_related("store"))
    if not copies:
        leaving = backup.copies.filter(state=CopyState.REMOVING).exists()
        raise BeingRemoved("This backup is being removed." if leaving else "No store holds this backup any more.")
    return copies


def in_use(*devices: UUID) -> set[UUID]:
    """Backups of these devices that a restore or a copy waits for or works on: no rule removes them."""
    backups = Backup.objects.filter(device__in=devices)
    # through the column's own name: restores belong to an app further right
    restoring = backups.filter(restores__state__in=("waiting", "running")).values_list("id", flat=True)
    asked = Q(copies__state=CopyState.COPYING) | Q(copies__state=CopyState.OWED, copies__by__isnull=False)
    copying = backups.filter(asked).values_list("id", flat=True)
    return {*restoring, *copying}
