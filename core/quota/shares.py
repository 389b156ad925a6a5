"""Whose bytes: alone, shared and a fair share, and what a removal frees.

A chunk that k owners need counts for each of them with a k-th of its bytes. Shares are whole bytes
and add up exactly to what all chunks occupy: the bytes that do not divide go, one each, to the owners
whose fractions are largest, in the order of their names where they are equal.
"""

from collections import defaultdict
from collections.abc import Hashable, Iterable, Mapping, Set
from dataclasses import dataclass
from fractions import Fraction
from typing import TypeVar

Chunk = TypeVar("Chunk", bound=Hashable)
"""Whatever names a chunk: its id or its number."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Share:
    alone_bytes: int
    """Only this owner needs them: what its removal frees."""
    shared_bytes: int
    """Others need them too."""
    fair_bytes: int
    """Its part of the whole."""


def shares(needs: Mapping[str, Set[Chunk]], sizes: Mapping[Chunk, int]) -> dict[str, Share]:
    """Each owner's share. `needs`: owner → chunks; `sizes`: chunk → stored bytes."""
    owners: dict[Chunk, list[str]] = defaultdict(list)
    for owner, chunks in needs.items():
        for chunk in chunks:
            owners[chunk].append(owner)
    alone: dict[str, int] = dict.fromkeys(needs, 0)
    shared: dict[str, int] = dict.fromkeys(needs, 0)
    divided: dict[str, dict[int, int]] = {owner: defaultdict(int) for owner in needs}
    for chunk, claimants in owners.items():
        size = sizes[chunk]
        for owner in claimants:
            divided[owner][len(claimants)] += size
            if len(claimants) == 1:
                alone[owner] += size
            else:
                shared[owner] += size
    exact = {owner: sum((Fraction(total, count) for count, total in parts.items()), Fraction(0)) for owner, parts in divided.items()}
    fair = {owner: int(value) for owner, value in exact.items()}
    rest = sum(sizes[chunk] for chunk in owners) - sum(fair.values())
    for owner in sorted(needs, key=lambda name: (fair[name] - exact[name], name))[:rest]:
        fair[owner] += 1
    return {owner: Share(alone_bytes=alone[owner], shared_bytes=shared[owner], fair_bytes=fair[owner]) for owner in needs}


def freed_bytes(removed: Iterable[str], needs: Mapping[str, Set[Chunk]], sizes: Mapping[Chunk, int]) -> int:
    """What removing all of these together frees: chunks that nobody else needs."""
    going = set(removed)
    staying: set[Chunk] = set()
    doomed: set[Chunk] = set()
    for owner, chunks in needs.items():
        if owner in going:
            doomed |= chunks
        else:
            staying |= chunks
    return sum(sizes[chunk] for chunk in doomed - staying)
