"""The same work on several things at once."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

T = TypeVar("T")
R = TypeVar("R")


def at_once(work: Callable[[T], R], things: Sequence[T], workers: int) -> Iterator[tuple[T, R]]:
    """(thing, result) of each, in order; on several threads where there are several things and that pays."""
    if workers <= 1 or len(things) <= 1:
        for thing in things:
            yield thing, work(thing)
        return
    with ThreadPoolExecutor(min(workers, len(things))) as pool:
        yield from zip(things, pool.map(work, things), strict=True)
