"""How long closed incidents and mornings are remembered. Months that are over stand as reports of their own, for ever."""

from datetime import datetime

from django.db.models import QuerySet

from server.oversight.models import Incident, PromiseDay
from server.people.actions.let_go import delete_some
from server.people.ages import Age, enter
from server.people.queries import office_zone


def _incidents(before: datetime) -> QuerySet[Incident]:
    return Incident.objects.filter(closed_at__lt=before)


def _mornings(before: datetime) -> QuerySet[PromiseDay]:
    return PromiseDay.objects.filter(day__lt=before.astimezone(office_zone()).date())


def enter_ages() -> None:
    """How long records of this app are kept."""
    enter(
        Age(
            code="matters", label="What needed a person", days=1096, least=400, old=_incidents, remove=delete_some,
            says="With what happened to it. What needs one now stays.",
        )
    )  # fmt: skip
    enter(
        Age(
            code="mornings", label="How each device stood each morning", days=1096, least=400, old=_mornings, remove=delete_some,
            says="The months’ shares are in the monthly reports, which stay.",
        )
    )  # fmt: skip
