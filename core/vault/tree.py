"""Growing the tree of one kind (§7.3): rows in the order of their ids → branches → forks → tops.

Where a branch ends depends on the ids of its items, so that a new item changes one branch and not all that
follow. An unchanged branch is taken over by its id, without being read into rows or written again. A tree of
many branches gets forks above them, so that its root stays small.
"""

from collections import deque
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field

from blake3 import blake3

from core.vault.keys import ID_BYTES
from core.vault.manifests import ID, Row

_LEAST, _MOST, _MASK = 32, 1024, 0x7F
_MOST_TOPS = 64
_MOST_WAITING = 16


@dataclass(slots=True, eq=False)
class Ticket:
    """With which batch the content of some rows gets its ids; unknown while it still waits to be put into one."""

    batch: int = 1 << 62


AT_ONCE = Ticket(0)


@dataclass(slots=True)
class _Group:
    rows: list[Row] = field(default_factory=list)
    tickets: list[Ticket] = field(default_factory=list)
    branch: bytes | None = None
    """Taken over as it is."""


class Tree:
    """Rows in, branches out, as soon as all their content has an id."""

    def __init__(self, store_branch: Callable[[Sequence[Row]], bytes], store_fork: Callable[[bytes], bytes]) -> None:
        self._store_branch, self._store_fork = store_branch, store_fork
        self._open = _Group()
        self._waiting: deque[_Group] = deque()
        self._branches: list[bytes] = []

    @property
    def between(self) -> bool:
        """Whether the next row would begin a new branch."""
        return not self._open.rows

    def is_held_up_by(self, ticket: Ticket) -> bool:
        """Whether many branches wait behind one that waits for this."""
        return len(self._waiting) > _MOST_WAITING and ticket in self._waiting[0].tickets

    def add(self, row: Row, ticket: Ticket = AT_ONCE) -> None:
        group = self._open
        group.rows.append(row)
        if not group.tickets or group.tickets[-1] is not ticket:
            group.tickets.append(ticket)
        if (len(group.rows) >= _LEAST and _ends_branch(row[ID])) or len(group.rows) == _MOST:
            self._close()

    def add_branch(self, branch: bytes) -> None:
        """Take over a whole branch; only possible between branches."""
        if self._open.rows:
            raise ValueError("a branch cannot begin inside another")
        self._waiting.append(_Group(branch=branch))

    def _close(self) -> None:
        if self._open.rows:
            self._waiting.append(self._open)
            self._open = _Group()

    def store_ready(self, done: int) -> None:
        """Store branches all of whose content belongs to batches up to `done`."""
        while self._waiting and all(ticket.batch <= done for ticket in self._waiting[0].tickets):
            group = self._waiting.popleft()
            self._branches.append(group.branch or self._store_branch(group.rows))

    def finish(self) -> None:
        """No more rows will come."""
        self._close()

    def tops(self) -> tuple[int, tuple[bytes, ...]]:
        """(depth, chunk ids), once every batch is done."""
        self.store_ready((1 << 62) - 1)
        depth, ids = 0, self._branches
        while len(ids) > _MOST_TOPS:
            depth, ids = depth + 1, [self._store_fork(b"".join(group)) for group in _forks(ids)]
        return depth, tuple(ids)


def _ends_branch(id: str) -> bool:
    return not blake3(id.encode()).digest()[0] & _MASK


def _forks(ids: list[bytes]) -> Iterator[list[bytes]]:
    """Groups that end after an id whose last byte ends in five zero bits, at least 8 and at most 256 long."""
    group: list[bytes] = []
    for id in ids:
        group.append(id)
        if (len(group) >= 8 and not id[ID_BYTES - 1] & 0x1F) or len(group) == 256:
            yield group
            group = []
    if group:
        yield group
