"""Streaming answers under ASGI: pieces of a blocking iterator, read in a thread, one at a time."""

import asyncio
from collections.abc import AsyncIterator, Iterable


async def pieces_of(source: Iterable[bytes]) -> AsyncIterator[bytes]:
    """The pieces, without ever holding more than one."""
    iterator = iter(source)
    done = object()
    while (piece := await asyncio.to_thread(next, iterator, done)) is not done:
        yield piece  # type: ignore[misc]
