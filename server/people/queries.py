"""Reading people and office."""

from datetime import date
from hashlib import sha256
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db.models import Count, Q, QuerySet
from django.shortcuts import get_object_or_404

from core.schedule.recurrence import zone_named
from server.people.models import ClockWitness, ClosedDay, Holder, JournalEntry, Office, ServerKey, Team, User


def office() -> Office | None:
    """None before it is set up."""
    return Office.objects.first()


def office_settings() -> Office:
    """As the office is set up; before that, what an office begins with."""
    return office() or Office(name="Old Attic", zone="UTC")


def on_metered_line() -> bool:
    """Whether what minds a metered line waits."""
    return office_settings().line_is_metered


def office_zone() -> ZoneInfo:
    """The zone in which everything is computed; UTC before the office has been set up."""
    return zone_named(office_settings().zone)


def needs_first_administrator() -> bool:
    """Whether nobody can sign in yet."""
    return not User.objects.exists()


def journal(*, device: UUID | None = None) -> QuerySet[JournalEntry]:
    """The newest first, of one device where it is given."""
    rows = JournalEntry.objects.select_related("who")
    return rows if device is None else rows.filter(device=device)


def users() -> QuerySet[User]:
    """By the name that they sign in with."""
    return User.objects.order_by("username")


def user(id: int) -> User:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(User, id=id)


def team(id: int) -> Team:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(Team, id=id)


def teams() -> QuerySet[Team]:
    """With `holder_count`."""
    return Team.objects.annotate(holder_count=Count("holders")).order_by("name")


def holders(*, words: str = "", team: int | None = None) -> QuerySet[Holder]:
    """With `device_count`; those whose name or team contains every word."""
    rows = Holder.objects.select_related("team").annotate(device_count=Count("devices")).order_by("name", "id")
    for word in words.split()[:8]:
        rows = rows.filter(Q(name__icontains=word) | Q(team__name__icontains=word))
    return rows if team is None else rows.filter(team=team)


def holder(id: int) -> Holder:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(holders(), id=id)


def names() -> dict[str, list[str]]:
    """Names of teams and holders, for fields that suggest them."""
    return {
        "teams": list(Team.objects.values_list("name", flat=True)[:500]),
        "holders": list(Holder.objects.values_list("name", flat=True)[:1000]),
    }


def closed_day_rows() -> QuerySet[ClosedDay]:
    """Ascending."""
    return ClosedDay.objects.order_by("day")


def user_or_none(id: int | None) -> User | None:
    """None for nobody, and for one who is gone."""
    return None if id is None else User.objects.filter(id=id).first()


def closed_days() -> frozenset[date]:
    """Days on which the office is closed. One query."""
    return frozenset(ClosedDay.objects.values_list("day", flat=True))


def witnesses() -> QuerySet[ClockWitness]:
    """Who said last what time it is elsewhere."""
    return ClockWitness.objects.order_by("kind", "name")


def server_id() -> bytes:
    """16 bytes that are this server's in every store; they tell nothing of its key."""
    return sha256(b"old attic, server: " + key_fingerprint().encode()).digest()[:16]


def key_fingerprint() -> str:
    """Of the key that belongs to this server; empty before the first start has made one."""
    return ServerKey.objects.values_list("fingerprint", flat=True).first() or ""
