"""Set up the office, its first administrator, its accounts and teams."""

from datetime import datetime, time

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction

from core.errors import BadInput
from core.schedule.recurrence import zone_named
from server.api.problems import Conflict
from server.locks import lock_alone
from server.people.actions.journal import write_journal
from server.people.models import Holder, Office, Role, Team, User

MOST_UNDO_DAYS = 90
MOST_RUNS = 32
SLOWEST_BYTES_PER_SECOND = 16 * 1024


@transaction.atomic
def set_up_office(*, office_name: str, zone: str, username: str, full_name: str, password: str, now: datetime) -> User:
    """The very first step of an installation. Raises Conflict when somebody was here before."""
    zone_named(zone)
    if not office_name.strip():
        raise BadInput("The office has no name.", field="office_name", remedy="Give it one.")
    lock_alone("first administrator")
    if User.objects.exists():
        raise Conflict("The first administrator exists already.", remedy="Sign in.")
    Office.objects.update_or_create(id=1, defaults={"name": office_name.strip(), "zone": zone})
    user = add_user(username=username, full_name=full_name, password=password, role=Role.ADMINISTRATOR, by=None, now=now)
    write_journal(who=user, what="office.set_up", facts={"office_name": office_name}, at=now)
    return user


@transaction.atomic
def add_user(*, username: str, full_name: str, password: str, role: str, by: User | None, now: datetime) -> User:
    """A new account. Raises BadInput naming the field."""
    username = username.strip()
    if not username or len(username) > 60 or not all(letter.isalnum() or letter in "._-" for letter in username):
        raise BadInput("This is no user name.", field="username", remedy="Use letters, digits, dots and dashes.")
    if User.objects.filter(username__iexact=username).exists():
        raise BadInput(f"There is a user {username} already.", field="username", remedy="Choose another name.")
    if role not in Role.values:
        raise BadInput(f"There is no role {role!r}.", field="role", remedy=f"Use one of: {', '.join(Role.values)}.")
    user = User(username=username, full_name=full_name.strip(), role=role)
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise BadInput(" ".join(error.messages), field="password", remedy="Choose a longer, less common password.") from None
    user.set_password(password)
    user.save(force_insert=True)
    if by is not None:
        write_journal(who=by, what="user.added", facts={"user": user.shown_name, "role": role}, at=now)
    return user


@transaction.atomic
def change_office(
    *,
    name: str,
    zone: str,
    by: User,
    now: datetime,
    asks_holders: bool,
    asks_holders_at: time,
    max_runs: int | None = None,
    limit_bytes_per_second: int | None = None,
    undo_days: int | None = None,
    unasked_share_percent: int | None = None,
) -> Office:
    """Name, zone, how much of the network backups may take, and how slowly anything leaves. Raises BadInput.

    A new undo period is that of what begins to leave from then on.
    """
    zone_named(zone)
    if not name.strip():
        raise BadInput("The office has no name.", field="name", remedy="Give it one.")
    if max_runs is not None and not 1 <= max_runs <= MOST_RUNS:
        raise BadInput(f"{max_runs} runs at a time are not possible.", field="max_runs", remedy=f"Use a number from 1 to {MOST_RUNS}.")
    if limit_bytes_per_second is not None and limit_bytes_per_second < SLOWEST_BYTES_PER_SECOND:
        remedy = "Give at least 16 KiB a second, or leave it empty."
        raise BadInput("Nothing would ever finish at that speed.", field="limit_bytes_per_second", remedy=remedy)
    if undo_days is not None and not 1 <= undo_days <= MOST_UNDO_DAYS:
        remedy = f"Use a number of days from 1 to {MOST_UNDO_DAYS}."
        raise BadInput("Nothing leaves at once, and not after that long either.", field="undo_days", remedy=remedy)
    if unasked_share_percent is not None and not 0 <= unasked_share_percent <= 100:
        raise BadInput("This is no share.", field="unasked_share_percent", remedy="Use a number from 0 to 100.")
    slowly = {"undo_days": undo_days, "unasked_share_percent": unasked_share_percent, "max_runs": max_runs}
    defaults = {
        "name": name.strip(), "zone": zone, "limit_bytes_per_second": limit_bytes_per_second, "asks_holders": asks_holders,
        "asks_holders_at": asks_holders_at,
    }  # fmt: skip
    chosen = {column: value for column, value in slowly.items() if value is not None}
    office, _ = Office.objects.update_or_create(id=1, defaults=defaults | chosen)
    write_journal(who=by, what="office.changed", facts={"office": office.name, "zone": zone}, at=now)
    return office


@transaction.atomic
def set_line(*, metered: bool, by: User, now: datetime) -> Office:
    """Whether the office is on a line that is paid by the byte: what minds waits. Raises Conflict before there is one."""
    office = Office.objects.select_for_update().first()
    if office is None:
        raise Conflict("There is no office yet.", remedy="Set it up first.")
    office.line_is_metered = metered
    office.save(update_fields=["line_is_metered"])
    write_journal(who=by, what="office.line", facts={"metered": metered}, at=now)
    return office


def holder_named(name: str, team: str) -> tuple[Holder, Team | None]:
    """Holder and team of these names, made when they are new. Raises BadInput without a holder."""
    if not name.strip():
        raise BadInput("The device has no holder.", field="holder", remedy="Name the person or place that keeps it.")
    found_team = Team.objects.get_or_create(name=team.strip()[:80])[0] if team.strip() else None
    holder, _ = Holder.objects.get_or_create(name=name.strip()[:120], defaults={"team": found_team})
    return holder, found_team
