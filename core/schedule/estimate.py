"""How long the rest of a run takes, without creeping and without jumping.

The end is estimated from a blend of the speed over the whole run and over the last seconds, and the
shown end moves towards each new estimate only by a share of the difference. Nothing is shown before
there is something to go by.
"""

from collections import deque
from dataclasses import dataclass, field

RECENT_SECONDS = 8.0
SETTLING_SECONDS = 10.0
FIRST_SECONDS = 1.5


@dataclass(slots=True)
class RemainingTime:
    """Fed with (seconds since the start, bytes done); tells speed and the seconds that remain."""

    _samples: deque[tuple[float, int]] = field(default_factory=deque)
    _shown_end: float | None = None
    _last: float = 0.0

    def tell(self, seconds: float, done_bytes: int, total_bytes: int) -> None:
        self._samples.append((seconds, done_bytes))
        while len(self._samples) > 2 and seconds - self._samples[1][0] > RECENT_SECONDS:
            self._samples.popleft()
        if seconds < FIRST_SECONDS or done_bytes <= 0:
            return
        overall = done_bytes / seconds
        speed = (overall + self.bytes_per_second) / 2
        if speed <= 0:
            return
        end = seconds + max(0, total_bytes - done_bytes) / speed
        if self._shown_end is None:
            self._shown_end = end
        else:
            share = min(1.0, (seconds - self._last) / SETTLING_SECONDS)
            self._shown_end += share * (end - self._shown_end)
        self._last = seconds

    @property
    def bytes_per_second(self) -> float:
        """Over the last seconds."""
        if len(self._samples) < 2:
            return 0.0
        (first, before), (last, done) = self._samples[0], self._samples[-1]
        return (done - before) / (last - first) if last > first else 0.0

    def remaining_seconds(self, seconds: float) -> float | None:
        """None while nobody can say."""
        return None if self._shown_end is None else max(0.0, self._shown_end - seconds)
