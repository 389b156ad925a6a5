"""Copy a device's newest backup into a second store: sealed bytes are moved, the device is not read again."""

from uuid import UUID

from django.db import transaction

from core.errors import AtticError
from core.vault.copying import copy
from core.vault.errors import Damaged
from server.api.problems import Conflict
from server.outside import outside
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.live import tell
from server.runs.models import Backup, Copy
from server.storage.models import Store
from server.storage.queries import opened


def ask_copy(backup: Backup, store: Store, *, by: User) -> None:
    """Put it into the queue. Raises Conflict when it lies there already."""
    from server.runs.tasks import copy_backup_job

    if Copy.objects.filter(backup=backup, store=store, removed_at__isnull=True, intact=True).exists():
        raise Conflict(f"{store.name} holds this backup already.", remedy="Choose another store.")
    copy_backup_job.configure(lock=f"store {store.id}").defer(backup_id=str(backup.id), store_id=str(store.id), by=by.id)


def copy_backup(backup_id: UUID, store_id: UUID, *, by: User | None) -> bool:
    """Whether it lies there now. Idempotent. A store that cannot be reached is noted as such."""
    backup, store = Backup.objects.select_related("device").get(id=backup_id), Store.objects.get(id=store_id)
    source = Copy.objects.filter(backup=backup, removed_at__isnull=True, intact=True).exclude(store=store).select_related("store").first()
    if source is None:
        return False
    try:
        report = copy(opened(source.store), opened(store), backups=[backup.id.bytes])
        if report.damaged:
            raise Damaged(next(iter(report.damaged.values())))
    except AtticError as error:
        Store.objects.filter(id=store.id).update(trouble=error.message[:300])
        tell("changed", "stores")
        return False
    with transaction.atomic():
        Copy.objects.update_or_create(
            backup=backup, store=store, defaults={"intact": True, "removed_at": None, "removed_why": "", "checked_at": None}
        )
        says = f"A backup of {backup.device.name} was copied from {source.store.name} to {store.name}."
        write_journal(who=by, what="backup.copied", says=says, at=outside().now(), device=backup.device_id, store=store.id)
    tell("changed", "devices")
    return True
