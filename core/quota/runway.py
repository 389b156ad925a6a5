"""How long until something is full: a robust pace with a range, or the plain word that too little is known.

Single jumps (an import, a device that is taken in whole) are no pace and are taken out before; what jumps again and again is one. The
pace is the mean of two: the median of the slopes from each day to the last one, and the line from the first day; half of it cannot be
bent by a few odd days, half of it forgets nothing. The range is two standard deviations of the paces of ten equal parts of the stretch:
on series that have nothing to do with us that held in nine of ten, whether a fortnight or two months ahead. Beside it stands the median
of all slopes with its interval (H. Theil 1950, P. K. Sen 1968): whether there is a trend at all.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt
from statistics import NormalDist

import numpy as np
import numpy.typing as npt

Values = npt.NDArray[np.float64]

STRETCH_DAYS = 70
"""What is looked back at: ten weeks."""
LEAST_DAYS = 14
LEAST_MEASURED = 8
FAR_DAYS = 366
"""Nobody tells how long something lasts beyond that."""
_PARTS = 10
_WIDE = 2.0
_JUMP = 8.0
"""A day is a jump when it moves so many times what days usually do."""
_MOST_JUMPS = 2
"""More of them in a stretch are how it grows."""
_MAD = 1.4826
"""Of a normal distribution: from the median absolute deviation to the standard deviation."""
_SURE = 0.95


@dataclass(frozen=True, slots=True, kw_only=True)
class Trend:
    """Bytes a day."""

    pace: float
    low: float
    high: float
    """Between these it is expected to lie, nine times in ten."""
    grows: bool
    """Whether the median of all slopes is surely above nought."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Runway:
    """Days from the last one that was measured; None is beyond what is told, or never."""

    days: float | None
    earliest: float | None
    latest: float | None
    trend: Trend


@dataclass(frozen=True, slots=True, kw_only=True)
class TooLittle:
    """Nothing can be said yet."""

    measured: int
    over_days: float


def runway(days: Sequence[float], held: Sequence[int], limit: int) -> Runway | TooLittle:
    """`days`: ascending, one each; `held`: bytes on each, net of what is about to go; `limit`: bytes that it may hold."""
    line = trend(days, held)
    if isinstance(line, TooLittle):
        return line
    left = float(limit - held[-1])
    return Runway(days=_until(left, line.pace), earliest=_until(left, line.high), latest=_until(left, line.low), trend=line)


def trend(days: Sequence[float], held: Sequence[int]) -> Trend | TooLittle:
    """Of the last `STRETCH_DAYS`."""
    at, values = np.asarray(days, dtype=np.float64), np.asarray(held, dtype=np.float64)
    inside = at > at[-1] - STRETCH_DAYS if len(at) else np.zeros(0, dtype=np.bool_)
    at, values = at[inside], values[inside]
    over = float(at[-1] - at[0]) if len(at) else 0.0
    if len(at) < LEAST_MEASURED or over < LEAST_DAYS:
        return TooLittle(measured=len(at), over_days=over)
    values = without_jumps(at, values)
    to_today = float(np.median((values[-1] - values[:-1]) / (at[-1] - at[:-1])))
    pace = (to_today + float(values[-1] - values[0]) / over) / 2
    wide = _WIDE * float(np.std(_paces(at, values), ddof=1))
    return Trend(pace=pace, low=pace - wide, high=pace + wide, grows=theil_sen(at, values, _SURE)[1] > 0)


def theil_sen(at: Values, values: Values, sure: float) -> tuple[float, float, float]:
    """The median of all slopes, and between which it lies so often (Sen 1968, equation 2.6, with its variance for ties)."""
    first, second = np.triu_indices(len(at), 1)
    run = at[second] - at[first]
    slopes = np.sort((values[second] - values[first])[run > 0] / run[run > 0])
    n, count = len(at), len(slopes)

    def ties(of: Values) -> float:
        _, counts = np.unique(of, return_counts=True)
        return float((counts * (counts - 1) * (2 * counts + 5)).sum())

    spread = sqrt((n * (n - 1) * (2 * n + 5) - ties(at) - ties(values)) / 18)
    z = NormalDist().inv_cdf((1 + sure) / 2)
    low = max(round((count - z * spread) / 2) - 1, 0)
    high = min(round((count + z * spread) / 2), count - 1)
    return float(np.median(slopes)), float(slopes[low]), float(slopes[high])


def without_jumps(at: Values, values: Values) -> Values:
    """As if single days that moved far more than days do had not: everything before them is lifted or lowered."""
    steps, gaps = np.diff(values), np.diff(at)
    rates = steps / gaps
    usual = float(np.median(rates))
    unrest = max(float(np.median(np.abs(rates - usual))) * _MAD, abs(usual) / 2, 1.0)
    jumps = np.flatnonzero(np.abs(rates - usual) > _JUMP * unrest)
    if not 0 < len(jumps) <= _MOST_JUMPS:
        return values
    smooth = values.copy()
    for jump in jumps:
        smooth[: jump + 1] += steps[jump] - usual * gaps[jump]
    return smooth


def _paces(at: Values, values: Values) -> Values:
    """Of equal parts of the stretch: of ten weeks it is one a week, so that what comes with the weekday counts for nothing."""
    edges = np.linspace(at[0], at[-1], _PARTS + 1)
    slopes: Values = np.diff(np.interp(edges, at, values)) / (edges[1] - edges[0])
    return slopes


def _until(left: float, pace: float) -> float | None:
    if left <= 0:
        return 0.0
    return left / pace if pace > 0 and left / pace <= FAR_DAYS else None
