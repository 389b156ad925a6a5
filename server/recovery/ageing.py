"""How long restores are remembered, and how long a file that was made to be fetched lies ready."""

from datetime import datetime

from django.db.models import QuerySet

from server.people.actions.let_go import delete_some
from server.people.ages import Age, enter
from server.recovery.actions.remove_files import remove_files
from server.recovery.models import Drill, DrillState, Restore, RestoreState

_ENDED = (RestoreState.COMPLETE, RestoreState.PARTIAL, RestoreState.FAILED, RestoreState.STOPPED)


def _files(before: datetime) -> QuerySet[Restore]:
    return Restore.objects.filter(finished_at__lt=before, state__in=_ENDED).exclude(file_name="")


def _restores(before: datetime) -> QuerySet[Restore]:
    return Restore.objects.filter(asked_at__lt=before, state__in=_ENDED, file_name="").exclude(
        lies_in__isnull=False, lies_in__gone_at__isnull=True
    )


def _drills(before: datetime) -> QuerySet[Drill]:
    return Drill.objects.filter(asked_at__lt=before).exclude(state__in=(DrillState.WAITING, DrillState.RUNNING))


def enter_ages() -> None:
    """How long records of this app are kept."""
    enter(
        Age(
            code="downloads", label="Files made to be fetched", days=7, least=1, old=_files, remove=remove_files,
            says="The archive itself, which lies sealed on the server; a restart of the server ends it sooner. The report stays.",
        )
    )  # fmt: skip
    enter(
        Age(
            code="restores", label="Restores", days=1096, least=90, old=_restores, remove=delete_some,
            says="What was chosen, and the report.",
        )
    )  # fmt: skip
    enter(
        Age(
            code="drills", label="Drills", days=1096, least=90, old=_drills, remove=delete_some,
            says="What was restored on trial, and what of it came back right.",
        )
    )  # fmt: skip
