"""How long a run will take, before it begins.

From the device's own last good runs where there are any, robustly: the median, so that one night with a
broken cable does not make every night long. For a new device, from what is to be read and how fast the
office's other devices were read.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from statistics import median

OWN_RUNS = 9
"""How many of its last good runs count."""
ENOUGH_OWN = 2
FIXED_SECONDS = 8.0
"""Asking, looking and closing, whatever is read (measured on the simulated fleet)."""
USUAL_BYTES_PER_SECOND = 4_000_000
"""Before anything was measured in this office; office wireless, common practice, no published source."""
SHORTEST_SECONDS = 2.0


class Basis(StrEnum):
    OWN = "own"
    """Its own last runs."""
    SIZE = "size"
    """What is to be read, at the speed of the office's other devices."""
    NOTHING = "nothing"
    """Neither is known: the median of all devices, or a guess."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Ran:
    """A good run that ended."""

    seconds: float
    read_bytes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Expected:
    seconds: float
    basis: Basis


def office_speed(runs: Sequence[Ran]) -> float:
    """Bytes a second of the office's larger runs, the median; the usual speed when there are none."""
    speeds = [
        run.read_bytes / (run.seconds - FIXED_SECONDS) for run in runs if run.read_bytes > 1_000_000 and run.seconds > 2 * FIXED_SECONDS
    ]
    return median(speeds) if speeds else float(USUAL_BYTES_PER_SECOND)


def expected(own: Sequence[Ran], *, to_read_bytes: int | None, speed: float, typical_seconds: float | None = None) -> Expected:
    """`own` newest first; `speed` in bytes a second; `typical_seconds` of the office's runs for a device of which nothing is known."""
    last = own[:OWN_RUNS]
    if len(last) >= ENOUGH_OWN:
        return Expected(seconds=max(SHORTEST_SECONDS, median(run.seconds for run in last)), basis=Basis.OWN)
    if to_read_bytes is not None:
        return Expected(seconds=FIXED_SECONDS + to_read_bytes / max(1.0, speed), basis=Basis.SIZE)
    if last:
        return Expected(seconds=max(SHORTEST_SECONDS, last[0].seconds), basis=Basis.OWN)
    return Expected(seconds=typical_seconds or 60.0, basis=Basis.NOTHING)
