"""Byte counts, durations, instants and lists: how they are checked and how they are written for people.

Bytes are whole numbers. Instants are aware and in UTC; a naive one is refused here, at the border,
so that nothing further in has to ask.
"""

from collections.abc import Sequence
from datetime import UTC, datetime, timedelta

KIB = 1024
MIB = 1024 * KIB
GIB = 1024 * MIB

HOURS = 3600
"""Seconds."""
DAYS = 24 * HOURS
"""Seconds, for periods; a calendar day is computed in its zone."""

_STEPS = ("KiB", "MiB", "GiB", "TiB", "PiB")


def iec(count: int) -> str:
    """`count` bytes with an IEC 80000-13 prefix: `0 bytes`, `1 byte`, `1.5 KiB`, `20 MiB`."""
    if count < 0:
        return "-" + iec(-count)
    if count < KIB:
        return f"{count} byte" if count == 1 else f"{count} bytes"
    value = float(count)
    for step in _STEPS:
        value /= 1024
        if value < 999.5 or step == _STEPS[-1]:
            break
    digits = 0 if value >= 99.5 else 1
    text = f"{value:.{digits}f}"
    return f"{text.removesuffix('.0')} {step}"


def spoken(duration: timedelta) -> str:
    """A duration in one or two words: `40 seconds`, `12 minutes`, `3 hours`, `2 days`."""
    seconds = round(duration.total_seconds())
    for length, word in ((86_400, "day"), (3_600, "hour"), (60, "minute")):
        if seconds >= (2 * length if word != "minute" else length):
            count = round(seconds / length)
            return f"{count} {word}" + ("" if count == 1 else "s")
    return f"{seconds} second" + ("" if seconds == 1 else "s")


def aware(instant: datetime) -> datetime:
    """The same instant in UTC. Raises ValueError for a naive one."""
    if instant.tzinfo is None:
        raise ValueError("an instant needs a time zone")
    return instant.astimezone(UTC)


def listed(words: Sequence[str]) -> str:
    """`a`, `a and b`, `a, b and c`."""
    return " and ".join([", ".join(words[:-1]), words[-1]] if len(words) > 1 else words)
