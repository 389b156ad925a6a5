"""The same work on several things at once."""

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from typing import Any, TypeVar

T = TypeVar("T")
R = TypeVar("R")


class InTurn(Executor):
    """Does what it is given at once, on the caller's own thread. What goes wrong is raised where the result is asked for, as of other
    executors; what ends the process (Ctrl-C) at once."""

    def submit(self, fn: Callable[..., R], /, *arguments: Any, **more: Any) -> Future[R]:
        future = Future[R]()
        try:
            future.set_result(fn(*arguments, **more))
        except Exception as error:  # rises where the result is asked for
            future.set_exception(error)
        return future


def hands(workers: int) -> Executor:
    """So many threads; with one worker none besides the caller's."""
    return ThreadPoolExecutor(workers) if workers > 1 else InTurn()


def at_once(work: Callable[[T], R], things: Sequence[T], workers: int) -> Iterator[tuple[T, R]]:
    """(thing, result) of each, in order; on several threads where there are several things and that pays."""
    if workers <= 1 or len(things) <= 1:
        for thing in things:
            yield thing, work(thing)
        return
    with ThreadPoolExecutor(min(workers, len(things))) as pool:
        yield from zip(things, pool.map(work, things), strict=True)
