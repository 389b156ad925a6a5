"""Folders below a root by relative handles: one name at a time, never through a symbolic link, however deep.

A path that is longer than the system takes in one piece is nothing to fear, and a folder that somebody exchanges for a
link meanwhile leads nowhere else. The last few folders stay open, so that neighbours cost one call each.
"""

import contextlib
import os
from collections import OrderedDict

_OPEN = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
_MOST_OPEN = 128


class Handles:
    """One object a thread. Whoever leaves it closes it."""

    def __init__(self, root: str) -> None:
        self._root = root
        self._open: OrderedDict[str, int] = OrderedDict()

    def folder(self, path: str, *, make: bool = False) -> int:
        """A descriptor of the folder, good until some more are asked for; "" is the root. Raises OSError."""
        at, known = path, self._open.get(path)
        while known is None and at:
            at = at.rpartition("/")[0]
            known = self._open.get(at)
        if known is None:
            known = self._keep("", os.open(self._root, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC))
        self._open.move_to_end(at)
        if at == path:
            return known
        for name in path[len(at) + 1 if at else 0 :].split("/"):
            known = self._keep(f"{at}/{name}" if at else name, self._step(known, name, make=make))
            at = f"{at}/{name}" if at else name
        return known

    def _step(self, above: int, name: str, *, make: bool) -> int:
        try:
            return os.open(name, _OPEN, dir_fd=above)
        except FileNotFoundError:
            if not make:
                raise
        with contextlib.suppress(FileExistsError):  # somebody else was faster
            os.mkdir(name, dir_fd=above)
        return os.open(name, _OPEN, dir_fd=above)

    def _keep(self, path: str, descriptor: int) -> int:
        self._open[path] = descriptor
        if len(self._open) > _MOST_OPEN:
            os.close(self._open.popitem(last=False)[1])
        return descriptor

    def close(self) -> None:
        """Let go of every folder."""
        while self._open:
            os.close(self._open.popitem()[1])

    def __del__(self) -> None:
        self.close()


def parted(path: str) -> tuple[str, str]:
    """(folder, name) of a path."""
    folder, _, name = path.rpartition("/")
    return folder, name
