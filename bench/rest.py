"""How right the estimate of what remains is, over simulated runs, against counting bytes only."""

import random
from dataclasses import dataclass

from core.schedule.estimate import OWN_TRUST_SECONDS, Cost, RemainingTime

TELL_EVERY = 0.5


@dataclass(frozen=True, slots=True)
class Rests:
    runs: int
    within: int
    """Of `runs`, those whose estimate at a quarter of their time was within a fifth of the truth."""
    within_naive: int
    inside_range: int
    crept: int
    """Runs in whose second half the far end of the range moved away by more than a tenth."""


def rests(count: int, seed: int = 7) -> Rests:
    """Runs of at least twenty seconds; every device has been read once before, so that its cost is known."""
    draw = random.Random(seed)
    within = naive = inside = crept = made = 0
    while made < count:
        item, byte = draw.lognormvariate(-4.9, 0.5), draw.lognormvariate(-15.4, 0.6)
        plan = _plan(draw)
        cost = Cost(seconds_an_item=item * draw.lognormvariate(0, 0.15), seconds_a_byte=byte * draw.lognormvariate(0, 0.15))
        marks = _played(plan, item, byte, draw)
        total = marks[-1][0]
        if total < 20:
            continue
        made += 1
        rest, ends, shown = RemainingTime(prior=cost, trust_seconds=OWN_TRUST_SECONDS), [], None
        items, size = marks[-1][1], marks[-1][2]
        guess = None
        for at, done, read in marks:
            rest.tell(at, done_items=done, done_bytes=read, all_items=items, all_bytes=size)
            remaining = rest.rest(at)
            if remaining is not None:
                ends.append((at, at + remaining.most))
            if shown is None and at >= total / 4 and remaining is not None:
                shown, left = remaining, total - at
                guess = (size - read) / (read / at) if read else float("inf")
        if shown is None:
            continue
        within += abs(shown.seconds - left) <= 0.2 * left
        naive += guess is not None and abs(guess - left) <= 0.2 * left
        inside += shown.least <= left <= shown.most
        half = [end for at, end in ends if at > total / 2]
        crept += bool(half) and max(half) > half[0] * 1.1
    return Rests(made, within, naive, inside, crept)


def _plan(draw: random.Random) -> list[tuple[int, int]]:
    """(items, bytes of each) kind after kind, small ones first, as runs read them."""
    return [
        (draw.randint(0, 400), 300), (draw.randint(0, 900), 2_000), (draw.randint(0, 60), 400_000), (draw.randint(0, 500), 2_200_000),
        (draw.randint(0, 12), 40_000_000), (draw.randint(0, 40), 900_000),
    ]  # fmt: skip


def _played(plan: list[tuple[int, int]], item: float, byte: float, draw: random.Random) -> list[tuple[float, int, int]]:
    """(seconds, items, bytes) at each telling. The network's speed wanders: ±20 % over some seconds, and it stalls now and then."""
    marks = [(0.0, 0, 0)]
    at, done, read, told_at, pace, until = 0.0, 0, 0, 0.0, 1.0, 0.0
    for count, size in plan:
        for _ in range(count):
            left = size
            while True:
                if at >= until:
                    pace = draw.lognormvariate(0, 0.2) if draw.random() > 0.01 else 0.15
                    until = at + draw.uniform(2, 8)
                piece = min(left, 1_000_000)
                at += (piece * byte + (item if piece == left else 0.0)) / pace
                left, read = left - piece, read + piece
                if left <= 0:
                    break
                if at - told_at >= TELL_EVERY:
                    marks.append((at, done, read))
                    told_at = at
            done += 1
            if at - told_at >= TELL_EVERY:
                marks.append((at, done, read))
                told_at = at
    marks.append((at, done, read))
    return marks
