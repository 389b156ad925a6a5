"""Remove files that were made to be fetched, and those that nobody can fetch any more."""

from django.db.models import QuerySet

from server.outside import outside
from server.people.actions.let_go import BATCH
from server.recovery.models import Restore


def remove_files(rows: QuerySet[Restore]) -> int:
    """The file first: a row without its file is honest, a file without its row is nobody's."""
    found = list(rows.order_by("pk")[:BATCH])
    for row in found:
        (outside().exports / f"{row.id}.zip").unlink(missing_ok=True)
        Restore.objects.filter(id=row.id).update(file_name="", file_bytes=None)
    return len(found) or _remove_strangers()


def _remove_strangers() -> int:
    """Files of no restore, and those that were never finished by a process that is gone."""
    folder = outside().exports
    if not folder.is_dir():
        return 0
    now, removed = outside().now().timestamp(), 0
    for path in folder.iterdir():
        known = Restore.objects.filter(id=path.stem).exclude(file_name="").exists() if len(path.stem) == 36 else False
        if not known and path.is_file() and now - path.stat().st_mtime > 24 * 3600:
            path.unlink(missing_ok=True)
            removed += 1
    return removed
