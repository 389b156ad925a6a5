"""What somebody wants to be told, and when. Everybody decides for themselves."""

from dataclasses import dataclass
from datetime import time

from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import transaction

from core.errors import BadInput
from server.people.models import User


@dataclass(frozen=True, slots=True, kw_only=True)
class Wishes:
    """What somebody wants to be told, and when."""

    email: str
    wants_digest: bool
    digest_at: time
    wants_alerts: bool
    quiet_from: time | None
    quiet_until: time | None


@transaction.atomic
def change_wishes(user: User, wishes: Wishes) -> User:
    """Raises BadInput."""
    if (wishes.wants_digest or wishes.wants_alerts) and not wishes.email:
        raise BadInput("There is no address to write to.", field="email", remedy="Give one, or ask for no mail.")
    if (wishes.quiet_from is None) != (wishes.quiet_until is None):
        raise BadInput("Quiet hours have a beginning and an end.", field="quiet_until", remedy="Give both, or neither.")
    user.email = checked_email(wishes.email)
    for name in ("wants_digest", "digest_at", "wants_alerts", "quiet_from", "quiet_until"):
        setattr(user, name, getattr(wishes, name))
    user.save(update_fields=["email", "wants_digest", "digest_at", "wants_alerts", "quiet_from", "quiet_until"])
    return user


def checked_email(email: str) -> str:
    """Raises BadInput for what is no address; an empty one is none."""
    email = email.strip()
    try:
        if email:
            validate_email(email)
    except ValidationError:
        raise BadInput(f"{email[:80]!r} is no e-mail address.", field="email", remedy="Correct it.") from None
    return email
