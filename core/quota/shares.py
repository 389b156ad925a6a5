"""Whose bytes: alone, shared, and a fair share that divides downwards.

A chunk that k owners need counts for each of them with a k-th of its bytes: that is its Shapley value (L. S. Shapley, "A value for
n-person games", 1953), since a chunk costs the same whoever needs it first. What an owner was given is divided among those below it the
same way (the value of G. Owen, "Values of games with a priori unions", 1977), so that each level adds up to the one above.

Shares are whole bytes and add up exactly: the bytes that do not divide go, one each, to the owners whose fractions are largest, in the
order of their names where they are equal. Computed on arrays of chunk numbers; one million chunks take about a tenth of a second.
"""

from collections.abc import Hashable, Mapping
from dataclasses import dataclass
from math import lcm
from typing import TypeVar

import numpy as np
import numpy.typing as npt

Numbers = npt.NDArray[np.int64]
"""Numbers of chunks, ascending, each once."""
Lengths = npt.NDArray[np.int64]
"""Stored bytes of each chunk by its number."""
Owner = TypeVar("Owner", bound=Hashable)


@dataclass(frozen=True, slots=True, kw_only=True)
class ByteShare:
    alone_bytes: int
    """Nobody else in the store needs them."""
    shared_bytes: int
    """Others need them too."""
    fair_bytes: int
    """Its part of the whole."""

    @property
    def needed_bytes(self) -> int:
        """Everything that it needs, whoever needs it besides: nobody else's act changes it."""
        return self.alone_bytes + self.shared_bytes


@dataclass(frozen=True, slots=True, kw_only=True)
class SharePart:
    """What an owner was given, to be divided further."""

    numbers: Numbers
    among: npt.NDArray[np.int32]
    """For each of them among how many it was divided on the way here."""
    share: ByteShare


def whole(numbers: Numbers, lengths: Lengths) -> SharePart:
    """These chunks, before anything is divided."""
    held = int(lengths[numbers].sum(dtype=np.int64))
    return SharePart(
        numbers=numbers, among=np.ones(len(numbers), dtype=np.int32), share=ByteShare(alone_bytes=held, shared_bytes=0, fair_bytes=held)
    )


def divide(part: SharePart, owners: Mapping[Owner, Numbers], lengths: Lengths) -> dict[Owner, SharePart]:
    """Among owners, whose chunks are together just those that were given."""
    at = {owner: np.searchsorted(part.numbers, numbers).astype(np.int32) for owner, numbers in owners.items()}
    claims = np.zeros(len(part.numbers), dtype=np.int32)
    for positions in at.values():
        claims[positions] += 1
    among = {owner: part.among[positions] * claims[positions] for owner, positions in at.items()}
    held = {owner: np.bincount(among[owner], weights=lengths[numbers], minlength=2) for owner, numbers in owners.items()}
    # sums of whole bytes are exact in these floats up to 2^53, which is 8 PiB
    parts = {owner: {int(k): int(sums[k]) for k in np.flatnonzero(sums)} for owner, sums in held.items()}
    fair = _whole_bytes(parts, part.share.fair_bytes)
    shares = {}
    for owner, numbers in owners.items():
        alone, needed = parts[owner].get(1, 0), sum(parts[owner].values())
        share = ByteShare(alone_bytes=alone, shared_bytes=needed - alone, fair_bytes=fair[owner])
        shares[owner] = SharePart(numbers=numbers, among=among[owner], share=share)
    return shares


def _whole_bytes(parts: Mapping[Owner, Mapping[int, int]], together: int) -> dict[Owner, int]:
    """`parts`: owner → how many bytes are divided among how many."""
    common = lcm(*{k for sums in parts.values() for k in sums})
    exact = {owner: sum(held * (common // k) for k, held in sums.items()) for owner, sums in parts.items()}
    fair = {owner: value // common for owner, value in exact.items()}
    rest = together - sum(fair.values())
    for owner in sorted(parts, key=lambda one: (-(exact[one] % common), str(one)))[:rest]:
        fair[owner] += 1
    return fair
