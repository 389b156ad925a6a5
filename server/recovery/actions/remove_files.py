"""Remove files that were made to be fetched, and those that nobody can fetch any more."""

from django.db.models import QuerySet

from server.outside import outside
from server.people.actions.let_go import BATCH
from server.recovery.models import Restore


def remove_files(rows: QuerySet[Restore]) -> int:
    """The file first: a row without its file is honest, a file without its row is nobody's."""
    found = list(rows.order_by("pk").values_list("id", flat=True)[:BATCH])
    for id in found:
        (outside().exports / f"{id}.zip").unlink(missing_ok=True)
    Restore.objects.filter(id__in=found).update(file_name="", file_bytes=None)
    return len(found) or _remove_strangers()


def _remove_strangers() -> int:
    """Files of no restore, and those that were never finished by a process that is gone. Looked for once nothing else is left."""
    folder = outside().exports
    if not folder.is_dir():
        return 0
    known = {f"{id}.zip" for id in Restore.objects.exclude(file_name="").values_list("id", flat=True)}
    before, removed = outside().now().timestamp() - 24 * 3600, 0
    for path in folder.iterdir():
        if path.name not in known and path.is_file() and path.stat().st_mtime < before:
            path.unlink(missing_ok=True)
            removed += 1
    return removed
