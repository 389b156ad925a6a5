"""Who asks: the account behind a request that the permissions have let through."""

from rest_framework.exceptions import NotAuthenticated
from rest_framework.request import Request

from server.people.models import User


def signed_in(request: Request) -> User:
    """Raises `NotAuthenticated` for a request that nobody stands behind."""
    if not isinstance(request.user, User):
        raise NotAuthenticated
    return request.user
