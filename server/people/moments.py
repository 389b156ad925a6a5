"""Dates and times as people type and read them: by the clocks of the office."""

from datetime import UTC, datetime

from core.errors import BadInput
from server.api.fields import BEYOND, FIRST_YEAR, LAST_YEAR
from server.people.queries import office_zone


def moment_of(text: str, *, field: str) -> datetime:
    """Aware, UTC. Raises BadInput."""
    try:
        moment = datetime.fromisoformat(text)
        moment = (moment if moment.tzinfo else moment.replace(tzinfo=office_zone())).astimezone(UTC)
    except (ValueError, OverflowError):
        raise BadInput("This is no date and time.", field=field, remedy="Write it as 2025-03-31T18:00.") from None
    if not FIRST_YEAR <= moment.year <= LAST_YEAR:
        raise BadInput("This date is impossible here.", field=field, remedy=BEYOND)
    return moment


def written(moment: datetime) -> str:
    """`2026-11-24 18:05`, by the clocks of the office, as every other time on a screen."""
    return f"{moment.astimezone(office_zone()):%Y-%m-%d %H:%M}"
