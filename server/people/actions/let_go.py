"""Let go of rows that are older than their time, a batch at once, with all that hangs on them."""

from typing import Any

from django.db.models import QuerySet

BATCH = 1000


def delete_some(rows: QuerySet[Any]) -> int:
    """How many went; the next call takes the next ones."""
    ids = list(rows.order_by("pk").values_list("pk", flat=True)[:BATCH])
    rows.model._default_manager.filter(pk__in=ids).delete()
    return len(ids)
