"""How long is remembered what devices told of their own cloud backups."""

from datetime import datetime

from django.db.models import Exists, OuterRef, QuerySet

from server.fleet.models import OwnCloudTold
from server.people.actions.let_go import delete_some
from server.people.ages import Age, enter


def _told(before: datetime) -> QuerySet[OwnCloudTold]:
    """Not the newest of a device."""
    newer = OwnCloudTold.objects.filter(device=OuterRef("device"), at__gt=OuterRef("at"))
    return OwnCloudTold.objects.filter(Exists(newer), seen_at__lt=before)


def enter_ages() -> None:
    """How long records of this app are kept."""
    enter(
        Age(
            code="own_clouds", label="What devices told of their own cloud", days=400, least=30, old=_told, remove=delete_some,
            says="What a device told last stays.",
        )
    )  # fmt: skip
