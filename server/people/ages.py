"""How long records are kept that are no backups: each sort has a time, which the office sets, and a least that it cannot go below.

The apps enter their sorts when they start; `age_out` lets go of what is older, once a day. Nothing goes while somebody said that nothing
leaves the office.
"""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.db.models import QuerySet

from core.errors import BadInput
from server.people.queries import office_settings

MOST_DAYS = 36_500


@dataclass(frozen=True, slots=True, kw_only=True)
class Age:
    """One sort of record."""

    code: str
    label: str
    says: str
    """What of it stays all the same, and what goes."""
    days: int
    """Unless the office says otherwise."""
    least: int
    old: Callable[[datetime], QuerySet[Any]]
    """Rows from before an instant that may go."""
    remove: Callable[[QuerySet[Any]], int]
    """Lets go of some of them, oldest first: how many. 0 once there is nothing more."""


_AGES: dict[str, Age] = {}


def enter(age: Age) -> None:
    """A sort of records whose age the office sets."""
    _AGES[age.code] = age


def ages() -> list[Age]:
    """Every sort, in the order in which the apps were loaded."""
    return list(_AGES.values())


def days_by_code() -> dict[str, int]:
    """Sort → for how many days it is kept. One query."""
    said = office_settings().ages
    return {age.code: int(said.get(age.code, age.days)) for age in ages()}


def old_rows(age: Age, days: int, *, now: datetime) -> QuerySet[Any]:
    """What is older than so many days."""
    return age.old(now - timedelta(days=days))


def checked(chosen: dict[str, int]) -> dict[str, int]:
    """Days by sort, as they came. Raises BadInput."""
    for code, days in chosen.items():
        age = _AGES.get(code)
        if age is None:
            raise BadInput(f"There is no record {code!r}.", field="ages", remedy=f"Use: {', '.join(_AGES)}.")
        if not age.least <= days <= MOST_DAYS:
            raise BadInput(
                f"{age.label} cannot be kept for {days} days.", field=code, remedy=f"Use a number of days from {age.least} to {MOST_DAYS}."
            )
    return chosen
