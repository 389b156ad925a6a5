"""Retention rules: which backups of a device a store is to keep.

A rule keeps the last n; everything of a period of the calendar; and one backup of each of the newest n hours, days, ISO 8601
weeks, months and years *that have a backup*, so that a device that was away is not emptied by the calendar. Nothing younger
than its minimum age leaves. A greatest age, where there is one, lets go of what only counts would keep for longer.
"""

from dataclasses import dataclass, fields
from datetime import date, timedelta
from enum import IntFlag, StrEnum, unique

from dateutil.relativedelta import relativedelta

from core.errors import BadInput

HIGHEST_COUNT = 3650
LONGEST_YEARS = 30


class Unit(StrEnum):
    """What a period is counted in."""

    DAYS = "days"
    WEEKS = "weeks"
    MONTHS = "months"
    YEARS = "years"


_LONGEST = {Unit.DAYS: 366 * LONGEST_YEARS, Unit.WEEKS: 53 * LONGEST_YEARS, Unit.MONTHS: 12 * LONGEST_YEARS, Unit.YEARS: LONGEST_YEARS}


@dataclass(frozen=True, slots=True)
class Period:
    """So many days, weeks, months or years of the calendar, back from a day of the office."""

    count: int
    unit: Unit = Unit.DAYS

    def passed_on(self, day: date) -> date:
        """The first day on which `day` no longer lies within this period.

        A month back from the 31st of May is the 30th of April, the last day that the shorter month has.
        """
        back = relativedelta(**{self.unit.value: self.count})  # type: ignore[arg-type]
        try:
            end = day + back
            while end - back <= day:
                end += timedelta(days=1)
        except (OverflowError, ValueError):
            return date.max
        return end

    def checked(self, field: str) -> "Period":
        """Raises BadInput."""
        if not 1 <= self.count <= _LONGEST[self.unit]:
            remedy = f"Use a number from 1 to {_LONGEST[self.unit]}, or none."
            raise BadInput(f"{self.count} {self.unit} are no possible period.", field=field, remedy=remedy)
        return self


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """Zero leaves a count out, None a period."""

    last: int = 0
    hourly: int = 0
    daily: int = 0
    weekly: int = 0
    monthly: int = 0
    yearly: int = 0
    within: Period | None = None
    """Everything of these days, today's included."""
    minimum_age: timedelta = timedelta()
    """Nothing younger leaves, whatever the counts say."""
    greatest_age: Period | None = None
    """Counts keep nothing older; a device's last backup stays all the same."""

    def __post_init__(self) -> None:
        for name in COUNTS:
            count = getattr(self, name)
            if not 0 <= count <= HIGHEST_COUNT:
                raise BadInput(f"{count} is no possible count.", field=f"keep_{name}", remedy=f"Use a number from 0 to {HIGHEST_COUNT}.")
        if self.within is not None:
            self.within.checked("keep_within")
        if self.greatest_age is not None:
            self.greatest_age.checked("keep_greatest_age")
        if not timedelta() <= self.minimum_age <= timedelta(days=3660):
            remedy = "Use a time from 0 to 3660 days."
            raise BadInput("This minimum age is not possible.", field="keep_minimum_age", remedy=remedy)
        if not self.within and not any(getattr(self, name) for name in COUNTS):
            raise BadInput("This rule would keep nothing.", field="keep_last", remedy="Keep at least the last backup.")


COUNTS = tuple(field.name for field in fields(Rule) if field.type in (int, "int"))


@unique
class Why(IntFlag):
    """Reasons for which a copy stays. Each is named where it acts."""

    LAST = 1 << 0
    WITHIN = 1 << 1
    HOUR = 1 << 2
    DAY = 1 << 3
    WEEK = 1 << 4
    MONTH = 1 << 5
    YEAR = 1 << 6
    YOUNG = 1 << 7
    """Below the minimum age."""
    NO_RULE = 1 << 8
    """No rule speaks of this device in this store."""

    FUTURE = 1 << 9
    """Dated after now."""
    DOUBT = 1 << 10
    """Made while the clock was in doubt."""
    IMPORTED = 1 << 11
    PASSING = 1 << 12
    """Lacks some kinds for a reason that passes."""
    ANOMALY = 1 << 13
    """Lacks or holds so much that somebody has to look."""
    DAMAGED = 1 << 14

    HOLD = 1 << 15
    IN_USE = 1 << 16
    """Under restore, copy or check right now."""
    OWED = 1 << 17
    """Not yet copied where it should be."""
    LAST_RESTORABLE = 1 << 18
    LAST_COMPLETE = 1 << 19
    LAST_ENCRYPTED = 1 << 20
    LAST_CHECKED = 1 << 21
    ONLY_INTACT = 1 << 22
    """Another store wants this backup, and this is its only intact copy."""
    BEFORE_ANOMALY = 1 << 23
    """The last from before something that somebody has to look at."""
    FROZEN = 1 << 24
    """Somebody said that nothing leaves."""


BY_RULE = Why.LAST | Why.WITHIN | Why.HOUR | Why.DAY | Why.WEEK | Why.MONTH | Why.YEAR | Why.YOUNG | Why.NO_RULE
UNSURE = Why.FUTURE | Why.DOUBT | Why.IMPORTED | Why.PASSING | Why.ANOMALY | Why.DAMAGED
"""These take no slot and make nothing else leave; each stays until somebody has looked."""
SAFEGUARDS = ~(BY_RULE | UNSURE)
