"""What a restore is about to write, as rows: whoever takes it up again goes on where it stood."""

from collections.abc import Sequence
from uuid import UUID

from django.db import transaction

from server.recovery.models import RestoreBatch


class RowIntents:
    """`core.recovery.restore.Intents` of one restore."""

    def __init__(self, restore_id: UUID) -> None:
        self._restore_id = restore_id

    def finished(self, kind: str) -> dict[str, str]:
        """Id of the item → where it was written."""
        rows = RestoreBatch.objects.filter(restore=self._restore_id, kind=kind, written__isnull=False).values_list("written", flat=True)
        return {id: where for written in rows if written for id, where in written.items()}

    def begun(self, kind: str) -> frozenset[str]:
        """Ids of the batch that was begun and not finished."""
        rows = RestoreBatch.objects.filter(restore=self._restore_id, kind=kind, written__isnull=True).values_list("ids", flat=True)
        return frozenset(id for ids in rows for id in ids)

    @transaction.atomic
    def begin(self, kind: str, ids: Sequence[str]) -> None:
        """Noted before anything of the batch is written."""
        RestoreBatch.objects.filter(restore=self._restore_id, written__isnull=True).delete()
        RestoreBatch.objects.create(restore_id=self._restore_id, kind=kind, ids=list(ids))

    def finish(self, kind: str, written: dict[str, str]) -> None:
        """Noted after all of it was."""
        RestoreBatch.objects.filter(restore=self._restore_id, kind=kind, written__isnull=True).update(written=written)
