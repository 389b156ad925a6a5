"""The end of what exports left on the server: files of an earlier start, folders whose day is over, and either by hand."""

from datetime import date, datetime
from uuid import UUID

from django.db import transaction
from django.db.models import Q

from core.errors import AtticError, BadInput
from server import ports
from server.api.problems import Conflict
from server.live import publish
from server.locks import lock_alone
from server.people.actions.journal import write_journal
from server.people.models import User
from server.people.queries import office_zone
from server.recovery.models import ExportFolder, Restore, RestoreState, Target

MOST_DAYS = 366
"""How long a folder may lie on the server at most, from the day on which it is asked."""
_ACTIVE = (RestoreState.WAITING, RestoreState.RUNNING)


def end_exports(*, now: datetime) -> int:
    """How many files and folders are gone. Files of an earlier start of the server cannot be opened any more."""
    over = ExportFolder.objects.filter(gone_at__isnull=True, until__lt=_today(now)).select_related("restore__backup")
    return _clear_files() + sum(_end_folder(row, now) for row in over)


def _today(now: datetime) -> date:
    return now.astimezone(office_zone()).date()


def _clear_files() -> int:
    downloads = ports.results().downloads
    ours = Q(file_start__startswith=downloads.home) | Q(file_start="")  # those of another host are for it to end
    Restore.objects.exclude(file_name="").filter(ours).exclude(file_start=downloads.start).update(file_name="")
    # those that work first: one that ends meanwhile is in the second list
    working = list(Restore.objects.filter(state__in=_ACTIVE, target=Target.ARCHIVE).values_list("id", flat=True))
    kept = {str(id) for id in Restore.objects.exclude(file_name="").values_list("id", flat=True)}
    return downloads.clear(kept | {f"{id}{part}" for id in working for part in ("", ".inner")})


def erase_export(restore: Restore, *, by: User) -> None:
    """Before its time, by hand. Raises Conflict when it is being made or is not there; BadInput, StoreError when it cannot be erased."""
    if restore.state in _ACTIVE:
        raise Conflict("It is still being made.", remedy="Stop the restore first.")
    row = ExportFolder.objects.filter(restore=restore, gone_at__isnull=True).first()
    if row is not None:
        _erase_folder(row, ports.clock().now(), by=by)
        return
    _erase_file(restore.id, by=by)


@transaction.atomic
def _erase_file(restore_id: UUID, *, by: User) -> None:
    lock_alone(f"export {restore_id}")
    restore = Restore.objects.select_related("backup__device").get(id=restore_id)
    if not restore.file_name:
        raise Conflict("It is gone already.", remedy="Make it again from the backup.")
    ports.results().downloads.remove(str(restore.id))
    Restore.objects.filter(id=restore_id).update(file_name="")
    write_journal(
        who=by,
        what="export.erased",
        way="file",
        facts={"file_name": restore.file_name},
        at=ports.clock().now(),
        device=restore.backup.device_id,
    )
    publish("restore", str(restore.id))


def _end_folder(row: ExportFolder, now: datetime) -> bool:
    """Its day is over. Why it could not be erased is told where it is listed, and once in the journal."""
    try:
        return _erase_folder(row, now, by=None)
    except AtticError as error:
        _note_trouble(row, error.message[:300], now)
        return False


@transaction.atomic
def _erase_folder(row: ExportFolder, now: datetime, *, by: User | None) -> bool:
    lock_alone(f"export {row.restore_id}")
    row = ExportFolder.objects.select_related("restore__backup__device__holder").get(pk=row.pk)
    if row.gone_at is not None:
        return False
    there = bool(row.identity) and ports.results().export_folder(row.path).erase(row.identity)
    ExportFolder.objects.filter(pk=row.pk).update(gone_at=now, trouble="")
    device = row.restore.backup.device
    write_journal(
        who=by,
        what="export.erased",
        facts={"path": row.path, "device": device.name, "holder": device.holder.name, "there": there},
        at=now,
        device=device.id,
    )
    publish("restore", str(row.restore_id))
    return True


@transaction.atomic
def _note_trouble(row: ExportFolder, says: str, now: datetime) -> None:
    lock_alone(f"export {row.restore_id}")
    if ExportFolder.objects.filter(pk=row.pk, gone_at__isnull=True).exclude(trouble=says).update(trouble=says):
        device = row.restore.backup.device_id
        write_journal(who=None, what="export.stays", facts={"path": row.path, "says": says}, at=now, device=device)
        publish("restore", str(row.restore_id))


@transaction.atomic
def keep_folder(restore: Restore, *, until: date, keeper: User, by: User) -> None:
    """Another last day, or another person whose it is. Raises Conflict, BadInput."""
    lock_alone(f"export {restore.id}")
    now = ports.clock().now()
    check_until(until, now)
    row = ExportFolder.objects.filter(restore=restore, gone_at__isnull=True).first()
    if row is None:
        raise Conflict("The folder is gone already.", remedy="Export it again from the backup.")
    ExportFolder.objects.filter(pk=row.pk).update(until=until, keeper=keeper)
    write_journal(
        who=by,
        what="export.kept",
        facts={"path": row.path, "until": until, "keeper": keeper.shown_name},
        at=now,
        device=restore.backup.device_id,
    )
    publish("restore", str(restore.id))


def check_until(until: date, now: datetime) -> None:
    """Raises BadInput."""
    days = (until - _today(now)).days
    if not 0 <= days <= MOST_DAYS:
        remedy = f"Choose a day from today on, at most {MOST_DAYS} days ahead."
        raise BadInput("On that day the folder cannot be erased.", field="until", remedy=remedy)
