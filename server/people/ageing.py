"""The journal's age."""

from datetime import datetime

from django.db.models import QuerySet

from server.people.actions.let_go import delete_some
from server.people.ages import Age, enter
from server.people.models import JournalEntry


def _old(before: datetime) -> QuerySet[JournalEntry]:
    return JournalEntry.objects.filter(at__lt=before)


def enter_ages() -> None:
    """How long records of this app are kept."""
    enter(
        Age(
            code="journal", label="The journal", says="Each time lines go, a new line says how many.", days=3653, least=365, old=_old,
            remove=delete_some,
        )
    )  # fmt: skip
