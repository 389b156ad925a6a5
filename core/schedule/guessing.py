"""How long somebody waits who has typed wrong passwords: longer each time, a minute at the most, and never for good.

An account is never locked: whoever knows the password waits a minute at worst. Counts are forgotten after a quiet
hour. Only attempts that were looked at count, so that whoever goes on guessing while waiting lengthens nothing.
"""

from datetime import datetime, timedelta

FREE = 3
"""Wrong ones in a row that cost nothing: capitals, another keyboard."""
LONGEST = timedelta(seconds=60)
FORGOTTEN = timedelta(hours=1)


def wait_after(wrong: int) -> timedelta:
    """1, 2, 4, 8 … seconds, up to the longest."""
    if wrong < FREE:
        return timedelta()
    return min(LONGEST, timedelta(seconds=2 ** min(wrong - FREE, 10)))


def still_waits(wrong: int, last_at: datetime, now: datetime) -> timedelta:
    """What is left of it; nothing when the last one lies in the future, which is no attempt but a clock that was wrong."""
    if not timedelta() <= now - last_at < FORGOTTEN:
        return timedelta()
    return max(timedelta(), last_at + wait_after(wrong) - now)


def counted(wrong: int, last_at: datetime | None, now: datetime) -> int:
    """Wrong ones in a row with another one now."""
    quiet = last_at is None or not timedelta() <= now - last_at < FORGOTTEN
    return 1 if quiet else wrong + 1
