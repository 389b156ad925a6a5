"""Whether a session still stands: for what goes on after the request that began it."""

from asgiref.sync import sync_to_async
from django.contrib.auth import HASH_SESSION_KEY, SESSION_KEY
from django.contrib.sessions.backends.db import SessionStore
from django.utils.crypto import constant_time_compare

from server.people.models import User


def stands(session_key: str) -> bool:
    """Not signed out, not too old, its password not changed, its account not switched off."""
    fields = SessionStore(session_key).load()
    user = User.objects.filter(id=fields[SESSION_KEY], is_active=True).first() if SESSION_KEY in fields else None
    return user is not None and constant_time_compare(str(fields.get(HASH_SESSION_KEY, "")), user.get_session_auth_hash())


still_signed_in = sync_to_async(stands)
