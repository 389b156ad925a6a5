"""One look at the office: what needs a person is remembered, the morning is recorded, and messages are written."""

from datetime import datetime

from django.db import transaction

from server.oversight.causes import causes
from server.oversight.matters import known_matters, refresh_matters
from server.oversight.promises import record_morning
from server.oversight.standing import standings
from server.oversight.today import today
from server.runs.actions.beat import beat
from server.runs.live import tell
from server.telling.actions.announce import announce, ask_holders, digest, digest_is_due, signs_of_life


def watch_office(*, now: datetime) -> int:
    """How many messages were written. Safe to run at any time, and twice at once."""
    found = causes(now=now, rows=standings(now=now))
    with transaction.atomic():  # what is remembered and who is told of it stand or fall together
        beat("watch", now=now)  # its row is held until the end: a second watch waits here
        refreshed = refresh_matters(found, now=now)
        if refreshed.opened or refreshed.returned or refreshed.closed:
            tell("changed", "matters")
        written = announce(refreshed, found, now=now)
    record_morning(now=now)
    written += ask_holders(found, known_matters([cause.code for cause in found], now=now), now=now)
    written += signs_of_life(now=now)
    if digest_is_due(now=now):
        written += digest(today(now=now), now=now)
    return written
