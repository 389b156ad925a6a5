"""Remove files that were made to be fetched."""

from django.db.models import QuerySet

from server import ports
from server.people.actions.let_go import BATCH
from server.recovery.models import Restore


def remove_files(rows: QuerySet[Restore]) -> int:
    """The file first: a row without its file is honest, a file without its row is nobody's. How large it was stays."""
    ids = list(rows.order_by("pk").values_list("id", flat=True)[:BATCH])
    for id in ids:
        ports.results().downloads.remove(str(id))
    Restore.objects.filter(id__in=ids).update(file_name="")
    return len(ids)
