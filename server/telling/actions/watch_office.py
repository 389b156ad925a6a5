"""One look at the office: what needs a person is remembered, the morning is recorded, and messages are written."""

from datetime import datetime

from django.db import transaction

from server.live import publish
from server.locks import lock_alone
from server.oversight.actions.incidents import refresh_incidents
from server.oversight.actions.record_morning import record_morning
from server.oversight.causes import causes
from server.oversight.incidents import known_incidents
from server.oversight.standing import standings
from server.oversight.today import today
from server.runs.actions.heartbeat import heartbeat
from server.telling.actions.announce import announce, ask_holders, digest, digest_is_due, signs_of_life


def watch_office(*, now: datetime) -> int:
    """How many messages were written. Safe to run at any time, and twice at once."""
    with transaction.atomic():  # what is remembered and who is told of it stand or fall together
        lock_alone("watch")  # a second watch waits here, and looks at what is there then
        causes_now = causes(now=now, rows=standings(now=now))
        refreshed = refresh_incidents(causes_now, now=now)
        if refreshed.opened or refreshed.returned or refreshed.closed:
            publish("changed", "incidents")
        written = announce(refreshed, causes_now, now=now)
    heartbeat("watch", now=now)
    record_morning(now=now)
    written += ask_holders(causes_now, known_incidents([cause.code for cause in causes_now], now=now), now=now)
    written += signs_of_life(now=now)
    if digest_is_due(now=now):
        written += digest(today(now=now), now=now)
    return written
