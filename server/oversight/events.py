"""What an incident's history says: an event is kept as a code and its facts, and becomes a sentence where it is read."""

from collections.abc import Mapping
from typing import Any

from server.people.lines import read

EVENTS = {
    "began": "It began.",
    "began/with": "It began with {count:#device|devices}.",
    "joined": "Joined by {devices}{more:? and % more}.",
    "left": "Gone for {devices}{more:? and % more}.",
    "gone": "The cause is gone.",
    "back": "It came back.",
    "put_off": "Put off until {until}: {why}",
    "taken_up": "Taken up again.",
}


def told_event(what: str, facts: Mapping[str, Any]) -> str:
    """The sentence of an event that is kept."""
    return read(EVENTS, what, facts)
