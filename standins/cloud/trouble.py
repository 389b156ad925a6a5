"""What goes wrong in a cloud, by knobs: the same requests are hit each time, so that a test can be told again."""

import threading
from dataclasses import asdict, dataclass, fields
from datetime import datetime
from typing import Any


@dataclass(slots=True, kw_only=True)
class CloudKnobs:
    """All off at first; `every` counts requests, 0 for never."""

    away: bool = False
    """Nobody answers: connections are closed at once."""
    away_every_hours: int = 0
    """Away for one hour of so many, by the cloud's clock."""
    slow_down_every: int = 0
    """Answers 503 SlowDown."""
    fail_every: int = 0
    """Answers 500 InternalError."""
    cut_every: int = 0
    """Closes the connection in the middle of an answer or before it."""
    lie_every: int = 0
    """Says a wrong checksum, or hands out one byte that is another."""
    latency_ms: int = 0
    bytes_per_second: int = 0
    """Of each answer and each body; 0 without a limit."""
    allowance_bytes: int = 0
    """What all objects together may occupy; 0 without a limit."""
    clock_off_seconds: int = 0


class Troubles:
    """Decides for each request in turn what befalls it."""

    def __init__(self, knobs: CloudKnobs) -> None:
        self.knobs = knobs
        self._count = 0
        self._lock = threading.Lock()

    def turn(self, knobs: dict[str, Any]) -> None:
        """Raises ValueError for a knob that there is not, or a value that is none."""
        kinds: dict[str, type] = {one.name: type(one.default) for one in fields(CloudKnobs)}
        for name, value in knobs.items():
            if (
                name not in kinds
                or type(value) is not kinds[name]
                or (isinstance(value, int) and name != "clock_off_seconds" and value < 0)
            ):
                raise ValueError(f"no such knob or value: {name}={value!r}")
        for name, value in knobs.items():
            setattr(self.knobs, name, value)

    def told(self) -> dict[str, Any]:
        return asdict(self.knobs)

    def away(self, now: datetime) -> bool:
        every = self.knobs.away_every_hours
        return self.knobs.away or (every > 0 and now.hour % every == every - 1)

    def next(self) -> str:
        """What befalls this request: nothing, slow_down, fail, cut or lie."""
        with self._lock:
            self._count += 1
            count = self._count
        # offset against each other, so that two of a kind do not always meet
        for shift, name in enumerate(("slow_down", "fail", "cut", "lie")):
            every = getattr(self.knobs, f"{name}_every")
            if every and (count + shift * 7) % every == 0:
                return name
        return ""
