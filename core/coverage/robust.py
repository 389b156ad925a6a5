"""Robust statistics: the median, the median absolute deviation, and how far a value lies off them.

One wild night must not hide the next one, so nothing here uses means or standard deviations. The scale is
the median absolute deviation divided by Φ⁻¹(3/4) ≈ 0.6745, which estimates the standard deviation of normal
data (Rousseeuw and Croux, "Alternatives to the median absolute deviation", JASA 88, 1993).
"""

from collections.abc import Sequence
from statistics import NormalDist, median

CONSISTENCY = NormalDist().inv_cdf(0.75)


def scale(values: Sequence[float]) -> float:
    """The normalised median absolute deviation; 0 for fewer than two values or when more than half agree."""
    if len(values) < 2:
        return 0.0
    middle = median(values)
    return median(abs(value - middle) for value in values) / CONSISTENCY


def score(value: float, values: Sequence[float], *, least_scale: float) -> float:
    """How many robust standard deviations `value` lies above the median of `values`; negative below it.

    `least_scale` (same unit, above 0) keeps histories that never varied from making everything look odd.
    """
    return (value - median(values)) / max(scale(values), least_scale)
