"""Drives that take turns: A this week, B the next. Whose turn it is on a day, when each comes round, and which one is overdue.

A turn begins with a day of the office's calendar; days are plain dates, so that a change of clocks moves nothing. A drive is overdue when
its turn has begun, some days of grace are over, and it was not seen since the turn began. That one drive is brought in while another lies
elsewhere is common practice, no published source.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from core.errors import BadInput

MOST_DAYS, MOST_DRIVES = 366, 26


@dataclass(frozen=True, slots=True, kw_only=True)
class Turn:
    drive: str
    first: date
    last: date


@dataclass(frozen=True, slots=True, kw_only=True)
class DriveRotation:
    drives: tuple[str, ...]
    """In the order of their turns."""
    every_days: int
    """How long a turn is."""
    first_day: date
    """On which the first one's turn begins, or once began."""

    def __post_init__(self) -> None:
        """Raises BadInput."""
        if not 1 <= self.every_days <= MOST_DAYS:
            raise BadInput("A turn cannot be that long.", field="every_days", remedy=f"Use a number of days from 1 to {MOST_DAYS}.")
        if not 1 <= len(self.drives) <= MOST_DRIVES:
            raise BadInput("A rotation needs drives.", field="drives", remedy=f"Choose from one to {MOST_DRIVES}.")
        if len(set(self.drives)) != len(self.drives):
            raise BadInput("A drive has one place in a rotation.", field="drives", remedy="Name each once.")

    def turn(self, day: date) -> Turn:
        """The one that `day` lies in; days before the first one belong to turns that would have been."""
        return self._at((day - self.first_day).days // self.every_days)

    def newest(self, drive: str, day: date) -> Turn:
        """Its turn that began last, today's included."""
        now = (day - self.first_day).days // self.every_days
        return self._at(now - (now - self.drives.index(drive)) % len(self.drives))

    def next(self, drive: str, day: date) -> Turn:
        """Its turn that begins after `day`."""
        newest = self.newest(drive, day)
        first = newest.first + timedelta(days=self.every_days * len(self.drives))
        return Turn(drive=drive, first=first, last=first + timedelta(days=self.every_days - 1))

    def _at(self, number: int) -> Turn:
        first = self.first_day + timedelta(days=number * self.every_days)
        drive = self.drives[number % len(self.drives)]
        return Turn(drive=drive, first=first, last=first + timedelta(days=self.every_days - 1))


def overdue_since(rotation: DriveRotation, drive: str, *, seen_on: date | None, added_on: date, grace_days: int, day: date) -> date | None:
    """The day on which its turn began that it has missed so far; None while nothing is wrong. A turn that began before it was added is
    none that it could have missed."""
    turn = rotation.newest(drive, day)
    if turn.first < max(rotation.first_day, added_on) or (seen_on is not None and seen_on >= turn.first):
        return None
    return turn.first if (day - turn.first).days >= grace_days else None


def returning_seconds(owed_bytes: int, *, bytes_per_second: float | None) -> float | None:
    """How long a drive is needed to bring it up to date; None when it was never written at a speed that is known."""
    return owed_bytes / bytes_per_second if bytes_per_second else None


def letters(drives: Sequence[str]) -> dict[str, str]:
    """Drive → A, B, C … by the order of their turns."""
    return {drive: chr(ord("A") + place) for place, drive in enumerate(drives)}
