"""Decide whether somebody may sign in. Wrong ones are counted by account and by address apart, and slow down both."""

from datetime import datetime, timedelta

from django.contrib.auth import authenticate
from django.db import transaction
from django.http import HttpRequest

from core.errors import AtticError
from core.schedule.guessing import counted, still_waits
from server.api.problems import RetryLater
from server.locks import lock_alone
from server.people.models import KnownAddress, SignInTries, User

KNOWN_FOR = timedelta(days=90)


class SignInRefused(AtticError):
    """One message for every reason."""

    code = "access.sign_in_refused"
    remedy = "Check both; after a few wrong ones in a row each further one has to wait a little longer."
    field = "password"


class TooSoon(RetryLater):
    """Several were wrong; this one was not looked at."""

    code = "access.too_soon"
    remedy = "Wait until then and type it again. The account is not locked."


def sign_in(request: HttpRequest, *, username: str, password: str, address: str, now: datetime) -> User:
    """Raises TooSoon, SignInRefused. What was tried stands in the database when this returns or raises."""
    account, place = f"account {username.strip().lower()}"[:300], f"address {address}"
    with transaction.atomic():  # two at once are looked at one after the other, so that a thousand at once are not free
        lock_alone(f"sign in {account}")
        counts = (place,) if _is_known(username, address, now) else (account, place)
        rows = {row.what: row for row in SignInTries.objects.filter(what__in=counts)}
        left = max((still_waits(row.wrong, row.last_at, now) for row in rows.values()), default=timedelta())
        if left > timedelta():
            seconds = -(-left // timedelta(seconds=1))
            raise TooSoon(f"Several wrong passwords were typed. Try again in {seconds} seconds.", seconds=seconds)
        user = authenticate(request, username=username, password=password)
        if isinstance(user, User):
            SignInTries.objects.filter(what__in=(account, place)).delete()
            KnownAddress.objects.update_or_create(user=user, address=address, defaults={"at": now})
            return user
        for what in (account, place):
            row = rows.get(what) or SignInTries.objects.filter(what=what).first()
            wrong = counted(row.wrong if row else 0, row.last_at if row else None, now)
            SignInTries.objects.update_or_create(what=what, defaults={"wrong": wrong, "last_at": now})
    raise SignInRefused("This name and password do not fit together.")


def _is_known(username: str, address: str, now: datetime) -> bool:
    """Whether this account was signed in from there lately: guesses from elsewhere do not slow it down then."""
    known = KnownAddress.objects.filter(user__username=username, address=address, at__gte=now - KNOWN_FOR)
    return known.exists()
