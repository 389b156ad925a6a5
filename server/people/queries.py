"""Reading people and office."""

from datetime import date
from zoneinfo import ZoneInfo

from django.db.models import QuerySet

from core.schedule.recurrence import zone_named
from server.people.models import ClosedDay, JournalEntry, Office, User


def office() -> Office | None:
    return Office.objects.first()


def office_zone() -> ZoneInfo:
    """The zone in which everything is computed; UTC before the office has been set up."""
    found = office()
    return zone_named(found.zone) if found else ZoneInfo("UTC")


def needs_first_administrator() -> bool:
    return not User.objects.exists()


def journal() -> QuerySet[JournalEntry]:
    return JournalEntry.objects.select_related("who")


def closed_days() -> frozenset[date]:
    """Days on which the office is closed. One query."""
    return frozenset(ClosedDay.objects.values_list("day", flat=True))
