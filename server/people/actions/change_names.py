"""Rename teams and holders, give a holder another team, remove what nobody needs any more."""

from django.db import transaction
from django.db.models import ProtectedError

from core.errors import BadInput
from server import ports
from server.api.problems import Conflict
from server.people.actions.journal import write_journal
from server.people.actions.wishes import checked_email
from server.people.models import Holder, Team, User


@transaction.atomic
def change_team(team: Team, *, name: str, by: User) -> None:
    """Raises BadInput."""
    name, before = _checked(name, 80), team.name
    if Team.objects.filter(name__iexact=name).exclude(id=team.id).exists():
        raise BadInput(
            f"There is a team {name} already.", field="name", remedy="Move the devices there instead: choose them and change their team."
        )
    team.name = name
    team.save(update_fields=["name"])
    if before != name:
        write_journal(who=by, what="team.renamed", facts={"before": before, "name": name}, at=ports.clock().now())


@transaction.atomic
def remove_team(team: Team, *, by: User) -> None:
    """Raises Conflict while devices belong to it."""
    if team.devices.exists():
        raise Conflict("Devices belong to this team.", remedy="Give them another team first.")
    write_journal(who=by, what="team.removed", facts={"team": team.name}, at=ports.clock().now())
    team.delete()


@transaction.atomic
def change_holder(holder: Holder, *, name: str, team: str, by: User, email: str | None = None) -> None:
    """Raises BadInput."""
    name, before = _checked(name, 120), holder.name
    if Holder.objects.filter(name__iexact=name).exclude(id=holder.id).exists():
        remedy = "Hand the devices over instead: choose them and change their holder."
        raise BadInput(f"There is a holder {name} already.", field="name", remedy=remedy)
    holder.name = name
    holder.email = holder.email if email is None else checked_email(email)
    holder.team = Team.objects.get_or_create(name=_checked(team, 80, field="team"))[0] if team.strip() else None
    holder.save(update_fields=["name", "email", "team"])
    if before != name:
        write_journal(who=by, what="holder.changed", way="name", facts={"before": before, "name": name}, at=ports.clock().now())
    else:
        write_journal(who=by, what="holder.changed", facts={"name": name, "team": team.strip()}, at=ports.clock().now())


@transaction.atomic
def remove_holder(holder: Holder, *, by: User) -> None:
    """Raises Conflict while devices are in their hands."""
    try:
        with transaction.atomic():
            holder.delete()
    except ProtectedError:
        raise Conflict("Devices are in the hands of this holder.", remedy="Hand them over first.") from None
    write_journal(who=by, what="holder.removed", facts={"holder": holder.name}, at=ports.clock().now())


def _checked(name: str, length: int, *, field: str = "name") -> str:
    name = name.strip()
    if not name or len(name) > length:
        raise BadInput("This is no usable name.", field=field, remedy=f"Give a name of up to {length} characters.")
    return name
