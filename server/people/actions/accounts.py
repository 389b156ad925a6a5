"""Change accounts: one's own password, a reset, role and name, switching off, ending sessions. Each leaves a line."""

from datetime import datetime

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import F

from core.errors import BadInput
from server.api.problems import Conflict
from server.live import publish
from server.locks import lock_alone
from server.people.actions.journal import write_journal
from server.people.models import Role, User


@transaction.atomic
def change_own_password(user: User, *, current: str, new: str, again: str, now: datetime) -> User:
    """All other sessions of the account end. Raises BadInput naming the field."""
    row = User.objects.select_for_update().get(id=user.id)
    if not row.check_password(current):
        raise BadInput("That is not the present password.", field="current", remedy="Type the one with which you signed in.")
    if new != again:
        raise BadInput("The two are not the same.", field="again", remedy="Type the new password twice.")
    _set(row, new, field="new")
    write_journal(who=row, what="user.password_changed", facts={"shown_name": row.shown_name}, at=now)
    return row


@transaction.atomic
def reset_password(user: User, *, password: str, by: User, now: datetime) -> None:
    """For somebody who has forgotten theirs; their sessions end. Raises BadInput."""
    row = User.objects.select_for_update().get(id=user.id)
    _set(row, password, field="password")
    write_journal(who=by, what="user.password_reset", facts={"shown_name": row.shown_name}, at=now)


@transaction.atomic
def change_user(user: User, *, full_name: str, role: str, active: bool, by: User, now: datetime) -> User:
    """Raises BadInput; Conflict when nobody would be left who may change anything."""
    lock_alone("administrators")
    row = User.objects.select_for_update().get(id=user.id)
    if role not in Role.values:
        raise BadInput(f"There is no role {role!r}.", field="role", remedy=f"Use one of: {', '.join(Role.values)}.")
    others = User.objects.filter(role=Role.ADMINISTRATOR, is_active=True).exclude(id=row.id)
    if (role != Role.ADMINISTRATOR or not active) and not others.exists():
        raise Conflict("This is the last administrator.", remedy="Make somebody else an administrator first.")
    row.full_name, row.role, row.is_active = full_name.strip(), role, active
    row.save(update_fields=["full_name", "role", "is_active"])
    write_journal(who=by, what="user.changed", facts={"shown_name": row.shown_name, "role": role if active else ""}, at=now)
    if not active:
        _end_sessions(row)
    return row


@transaction.atomic
def end_sessions(user: User, *, by: User, now: datetime) -> None:
    """Everywhere; live lines included. Whoever knows the password may sign in again."""
    row = User.objects.select_for_update().get(id=user.id)
    _end_sessions(row)
    write_journal(who=by, what="user.sessions_ended", facts={"shown_name": row.shown_name}, at=now)


def _set(row: User, password: str, *, field: str) -> None:
    try:
        validate_password(password, row)
    except ValidationError as error:
        raise BadInput(" ".join(error.messages), field=field, remedy="Choose a longer, less common password.") from None
    row.set_password(password)
    row.save(update_fields=["password"])
    publish("session", "")


def _end_sessions(row: User) -> None:
    User.objects.filter(id=row.id).update(sessions_from=F("sessions_from") + 1)
    publish("session", "")
