"""How long the rest of a run takes: a range that narrows, and does not creep.

Reading costs time for every item and time for every byte; a run that reads its many small items first
looks slow to whoever counts bytes only, and fast to whoever counts items. Both costs are fitted to what
has been seen so far (least squares, never below zero, drawn towards a prior while little is known), and
applied to the items and bytes that remain. The range comes from how much the stretches seen so far differ
from the fit, and from how much is left. Its far end only moves away when the run has really become slower.
"""

import math
from collections import deque
from dataclasses import dataclass, field

RECENT_SECONDS = 8.0
FIRST_SECONDS = 1.5
LITTLE_TRUST_SECONDS, OWN_TRUST_SECONDS = 4.0, 12.0
"""How many seconds of what is seen the prior weighs: the usual costs, and those of the device's own last run."""
USUAL_NOISE, NOISE_STRETCHES = 0.2, 3
"""Stretches differ so much from the fit before enough of them have been seen to say."""
WIDEST, NARROWEST = 0.6, 0.04
STRETCH_SECONDS = 4.0
LEAST_HALF_LIFE_SECONDS = 20.0
SETTLING_SECONDS = 10.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Cost:
    """What reading costs on a device; from its earlier runs, or the usual."""

    seconds_an_item: float = 0.008
    seconds_a_byte: float = 1 / 4_000_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Rest:
    """Seconds that remain."""

    seconds: float
    least: float
    most: float


@dataclass(slots=True)
class RemainingTime:
    """Fed with seconds since the start, items and bytes done and expected; tells speed and what remains."""

    prior: Cost = field(default_factory=Cost)
    trust_seconds: float = LITTLE_TRUST_SECONDS
    _recent: deque[tuple[float, int]] = field(default_factory=deque)
    _mark: tuple[float, int, int] = (0.0, 0, 0)
    _stretches: list[tuple[float, int, int]] = field(default_factory=list)
    """(seconds, items, bytes) of each stretch of at least STRETCH_SECONDS."""
    _shown_end: float | None = None
    _shown_most: float | None = None
    _shown_least: float | None = None
    _last: float = 0.0
    cost: Cost | None = None
    """As fitted last; the prior of the device's next run."""

    def tell(self, seconds: float, *, done_items: int, done_bytes: int, all_items: int, all_bytes: int) -> None:
        """All counts of what is to be read in this run; an item counts as done when its last byte is."""
        self._recent.append((seconds, done_bytes))
        while len(self._recent) > 2 and seconds - self._recent[1][0] > RECENT_SECONDS:
            self._recent.popleft()
        if seconds < FIRST_SECONDS or (done_items <= 0 and done_bytes <= 0):
            return
        began, items, read = self._mark
        if seconds - began >= STRETCH_SECONDS:
            self._stretches.append((seconds - began, done_items - items, done_bytes - read))
            self._mark = (seconds, done_items, done_bytes)
        cost = self.cost = self._fit(seconds, done_items, done_bytes)
        left_items, left_bytes = max(0, all_items - done_items), max(0, all_bytes - done_bytes)
        rest = left_items * cost.seconds_an_item + left_bytes * cost.seconds_a_byte
        spread = self._spread(cost, seconds, rest)
        self._show(seconds, rest, spread)

    def _fit(self, seconds: float, items: int, read: int) -> Cost:
        """Least squares over the stretches, with the prior as one more stretch of `trust_seconds`."""
        half_life = max(LEAST_HALF_LIFE_SECONDS, seconds / 3)  # older stretches count less: runs do become slower
        rows, ended = [], 0.0
        for spent, row_items, row_bytes in self._stretches:
            ended += spent
            rows.append((spent, row_items, row_bytes, 0.5 ** ((seconds - ended) / half_life)))
        began, had_items, had_read = self._mark
        if seconds > began:
            rows.append((seconds - began, items - had_items, read - had_read, 1.0))
        a, b = self.prior.seconds_an_item, self.prior.seconds_a_byte
        # scaled unknowns: multiples of the prior; each row in units of the seconds that the prior would take
        sii = sbb = self.trust_seconds**2 / 2
        sib = 0.0
        si = sb = self.trust_seconds**2 / 2
        for spent, row_items, row_bytes, weight in rows:
            x, y = row_items * a, row_bytes * b
            sii, sbb, sib = sii + weight * x * x, sbb + weight * y * y, sib + weight * x * y
            si, sb = si + weight * x * spent, sb + weight * y * spent
        determinant = sii * sbb - sib * sib
        p, q = (si * sbb - sb * sib) / determinant, (sb * sii - si * sib) / determinant
        if p < 0:
            p, q = 0.0, sb / sbb
        elif q < 0:
            p, q = si / sii, 0.0
        expected = self.trust_seconds + sum(weight * (row_items * a * p + row_bytes * b * q) for _, row_items, row_bytes, weight in rows)
        took = self.trust_seconds + sum(weight * spent for spent, _, _, weight in rows)
        scale = took / expected if expected > 0 else 1.0  # what has been seen took as long as it took
        scale = min(4.0, max(0.25, scale))
        return Cost(seconds_an_item=a * p * scale, seconds_a_byte=b * q * scale)

    def _spread(self, cost: Cost, seconds: float, rest: float) -> float:
        """Half of the range, as a share of what remains."""
        pairs = [(spent, items * cost.seconds_an_item + read * cost.seconds_a_byte) for spent, items, read in self._stretches]
        if len(pairs) < 2:
            return WIDEST
        off = sum(((spent - fitted) / spent) ** 2 for spent, fitted in pairs)
        noise = math.sqrt((off + NOISE_STRETCHES * USUAL_NOISE**2) / (len(pairs) - 1 + NOISE_STRETCHES))
        seen, left = (seconds + self.trust_seconds) / STRETCH_SECONDS, max(1.0, rest / STRETCH_SECONDS)
        return min(WIDEST, max(NARROWEST, 3.0 * noise * math.sqrt(1 / seen + 1 / left)))

    def _show(self, seconds: float, rest: float, spread: float) -> None:
        end, least, most = seconds + rest, seconds + rest * (1 - spread), seconds + rest * (1 + spread)
        if self._shown_end is None or self._shown_most is None or self._shown_least is None:
            self._shown_end, self._shown_least, self._shown_most = end, least, most
        else:
            share = min(1.0, (seconds - self._last) / min(SETTLING_SECONDS, max(1.0, seconds / 3)))
            self._shown_end += share * (end - self._shown_end)
            # it narrows three times as fast as it opens again
            inward = min(1.0, 3 * share)
            self._shown_least += (inward if least > self._shown_least else share) * (least - self._shown_least)
            self._shown_most += (inward if most < self._shown_most else share) * (most - self._shown_most)
        self._last = seconds

    @property
    def bytes_per_second(self) -> float:
        """Over the last seconds."""
        if len(self._recent) < 2:
            return 0.0
        (first, before), (last, done) = self._recent[0], self._recent[-1]
        return (done - before) / (last - first) if last > first else 0.0

    def rest(self, seconds: float) -> Rest | None:
        """What remains as of `seconds` after the start; None while nobody can say."""
        if self._shown_end is None or self._shown_least is None or self._shown_most is None:
            return None
        middle = max(0.0, self._shown_end - seconds)
        return Rest(
            seconds=middle,
            least=min(middle, max(0.0, self._shown_least - seconds)),
            most=max(middle, self._shown_most - seconds),
        )
