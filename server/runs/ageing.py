"""How long runs, lined-up nights and brought-in files are remembered."""

from datetime import datetime

from django.db.models import Exists, OuterRef, QuerySet

from server.people.actions.let_go import delete_some
from server.people.ages import Age, enter
from server.people.queries import office_zone
from server.runs.models import ACTIVE, Backup, Copy, CopyState, Import, ImportState, LinedUp, Run


def _runs(before: datetime) -> QuerySet[Run]:
    """Not those whose backup some store still has or should have, and not the last one of a device."""
    copies = Copy.objects.filter(backup__run=OuterRef("pk")).exclude(state=CopyState.REMOVED)
    newer = Run.objects.filter(device=OuterRef("device"), asked_at__gt=OuterRef("asked_at"))
    return Run.objects.filter(Exists(newer), ~Exists(copies), asked_at__lt=before).exclude(state__in=ACTIVE)


def _line_ups(before: datetime) -> QuerySet[LinedUp]:
    return LinedUp.objects.filter(night__lt=before.astimezone(office_zone()).date())


def _backups(before: datetime) -> QuerySet[Backup]:
    """Rows of backups that no store has any more: their last copy left before then."""
    left = Copy.objects.filter(backup=OuterRef("pk"))
    lying, late = left.exclude(state=CopyState.REMOVED), left.filter(removed_at__gte=before)
    rows = Backup.objects.filter(~Exists(lying), ~Exists(late), finished_at__lt=before)
    return rows.filter(run=None, restores__isnull=True)


def _imports(before: datetime) -> QuerySet[Import]:
    return Import.objects.filter(at__lt=before, state__in=(ImportState.DONE, ImportState.FAILED, ImportState.READY))


def enter_ages() -> None:
    """How long records of this app are kept."""
    enter(
        Age(
            code="runs", label="Runs", days=1096, least=400, old=_runs, remove=delete_some,
            says="With their logs. One whose backup is still there stays, and so does the last one of a device.",
        )
    )  # fmt: skip
    enter(
        Age(
            code="line_ups", label="Planned nights", days=400, least=30, old=_line_ups, remove=delete_some,
            says="When each run of a night was expected. What became of it is in the runs.",
        )
    )  # fmt: skip
    enter(
        Age(
            code="backups", label="Backups that left every store", days=1096, least=400, old=_backups, remove=delete_some,
            says="What remains of a backup that no store has: its date, its counts, why it left.",
        )
    )  # fmt: skip
    enter(
        Age(
            code="imports", label="Files that were brought in", days=90, least=7, old=_imports, remove=delete_some,
            says="What was found in them. The backups that came of them are backups.",
        )
    )  # fmt: skip
