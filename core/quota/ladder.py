"""Making room: the shortest beginning of a ladder of steps that suffices, and within its last step the least loss.

A move lets backups go, leaves kinds out from now on, or gives bytes without losing anything. What moves free together is asked of
whoever knows the store, because what two of them share is free only when both are made: never less than the sum of what each frees
by itself.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from enum import IntEnum, unique
from itertools import combinations

import numpy as np

from core.content.kinds import KINDS

_EXACT = 10
"""Up to so many moves of a step every choice is looked at."""
_MOST_LOSS = 50_000
"""More is counted coarsely: the choice stays sufficient, and nearly the least."""


@unique
class Rung(IntEnum):
    """Steps in the order in which a good practitioner takes them: common practice, no published source."""

    WASTE = 1
    """Loses nothing."""
    GONE_DEVICES = 2
    """Retired, lost and replaced ones: all but what must stay."""
    SOON = 3
    """What the rule lets go soon."""
    THIRD_COPIES = 4
    """Moments that two other stores hold."""
    IN_STEP = 5
    """Kinds that another service keeps in step, left out from now on."""
    PICTURES = 6
    """Photos and videos, kept elsewhere."""
    HAD_AGAIN = 7
    """App data that can be had again."""
    ATTACHMENTS = 8
    THINNING = 9
    """Days become weeks."""
    MORE_SPACE = 10


_PICTURES = ("photos", "videos")
_AGAIN = (*(code for code, kind in KINDS.items() if kind.regained), "music")


def rung_of(kind: str, *, in_step: bool) -> Rung | None:
    """Where leaving a kind out stands; None for one that nobody should leave out for its size."""
    if in_step:
        return Rung.IN_STEP
    if kind in _PICTURES:
        return Rung.PICTURES
    if kind in _AGAIN:
        return Rung.HAD_AGAIN
    return Rung.ATTACHMENTS if kind == "attachments" else None


@dataclass(frozen=True, slots=True, kw_only=True)
class Move:
    key: str
    rung: Rung
    going: frozenset[bytes] = frozenset()
    """Backups that leave the store."""
    parts: frozenset[tuple[bytes, str]] = frozenset()
    """Kinds of backups that leave it in time, and are not taken again."""
    gives_bytes: int = 0
    """Besides what these free."""
    loss: int = 0
    """Ten for a moment that is nowhere afterwards, one for one that stays in another store."""


@dataclass(frozen=True, slots=True, kw_only=True)
class LadderProposal:
    moves: tuple[Move, ...]
    bytes: int
    suffices: bool


Frees = Callable[[frozenset[bytes], frozenset[tuple[bytes, str]]], int]
"""What letting these backups go, and these kinds of others, frees in the store, exactly."""


def together(moves: Iterable[Move], frees: Frees) -> int:
    """What these moves give: shared chunks are counted once."""
    chosen = list(moves)
    going = frozenset[bytes]().union(*(move.going for move in chosen))
    parts = frozenset[tuple[bytes, str]]().union(*(move.parts for move in chosen))
    return sum(move.gives_bytes for move in chosen) + frees(going, parts)


def propose(moves: Sequence[Move], wanted: int, frees: Frees) -> LadderProposal:
    """The steps before the last one whole, of the last one the least loss that suffices."""
    chosen: list[Move] = []
    held = 0
    for rung in sorted({move.rung for move in moves}):
        if held >= wanted:
            break
        mine = sorted((move for move in moves if move.rung is rung), key=lambda move: move.key)
        held = together([*chosen, *mine], frees)
        if held >= wanted:
            chosen += _least_loss(chosen, mine, wanted, frees)
            held = together(chosen, frees)
        else:
            chosen += mine
    return LadderProposal(moves=tuple(chosen), bytes=held, suffices=held >= wanted)


def _least_loss(before: Sequence[Move], mine: Sequence[Move], wanted: int, frees: Frees) -> list[Move]:
    """Of moves that suffice together."""

    def suffice(chosen: Iterable[Move]) -> bool:
        return together([*before, *chosen], frees) >= wanted

    if len(mine) <= _EXACT:
        every = [subset for size in range(len(mine) + 1) for subset in combinations(mine, size)]
        ordered = sorted(every, key=lambda subset: (sum(move.loss for move in subset), len(subset)))
        return list(next(subset for subset in ordered if suffice(subset)))
    base = together(before, frees)
    own = [together([*before, move], frees) - base for move in mine]
    moves = _covering(mine, own, wanted - base)
    if moves is None:
        moves = list(mine)
    gives = dict(zip((move.key for move in mine), own, strict=True))
    held = together([*before, *moves], frees)
    for move in sorted(moves, key=lambda move: (-move.loss, move.key)):
        if held - gives[move.key] < wanted:  # among others it gives at least what it gives by itself
            continue
        without = [one for one in moves if one is not move]
        left = together([*before, *without], frees)
        if left >= wanted:
            moves, held = without, left
    return moves


def _covering(mine: Sequence[Move], own: Sequence[int], needed: int) -> list[Move] | None:
    """The least loss whose own bytes suffice by themselves (a covering knapsack, by loss); None when they do not."""
    if sum(own) < needed:
        return None
    scale = max(1, -(-sum(move.loss for move in mine) // _MOST_LOSS))
    losses = [-(-move.loss // scale) for move in mine]
    best = np.full(sum(losses) + 1, -1, dtype=np.int64)
    best[0] = 0
    taken = np.zeros((len(mine), len(best)), dtype=np.bool_)
    for number, (loss, gives) in enumerate(zip(losses, own, strict=True)):
        shifted = np.full_like(best, -1)
        there = best[: len(best) - loss] >= 0
        shifted[loss:][there] = best[: len(best) - loss][there] + gives
        taken[number] = shifted > best
        best = np.maximum(best, shifted)
    at = int(np.flatnonzero(best >= needed)[0])
    steps = []
    for number in range(len(mine) - 1, -1, -1):
        if taken[number, at]:
            steps.append(mine[number])
            at -= losses[number]
    return steps[::-1]
