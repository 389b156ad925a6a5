"""A clock for the past: starts where it is told and runs many times as fast as the real one."""

import time
from datetime import datetime, timedelta

SPEED = 90


class PastClock:
    """Each real second counts as a minute and a half, so that a scaled-down run takes a believable time."""

    def __init__(self) -> None:
        self._at: datetime | None = None
        self._since = 0.0

    def set(self, instant: datetime) -> None:
        self._at, self._since = instant, time.monotonic()

    def __call__(self) -> datetime:
        assert self._at is not None, "set the clock first"
        return self._at + timedelta(seconds=(time.monotonic() - self._since) * SPEED)
