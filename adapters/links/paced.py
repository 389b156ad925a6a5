"""A link held to a speed: the content of items comes no faster than it is allowed to.

The limit may change while a run goes on, since what all runs share is divided among those under way. Inventories
are not held back. Back-pressure is the transport's own: what is not read yet, the device does not send.
"""

import time
from collections.abc import Callable, Iterable, Iterator, Sequence

from core.content.accounts import Account
from core.content.items import Item
from core.content.link import DeviceLink, DeviceReport, NotRead, ReadsAhead, TellsAccounts, TellsNotRead, TellsOwnCloud
from core.content.own_cloud import OwnCloud

LONGEST_SLEEP_SECONDS = 1.0


class PacedLink:
    """The same device, slower."""

    def __init__(
        self,
        link: DeviceLink,
        limit: Callable[[], int | None],
        *,
        clock: Callable[[], float] = time.monotonic,
        sleep: Callable[[float], None] = time.sleep,
    ) -> None:
        """`limit` says how many bytes a second are allowed now; None for no limit."""
        self._link, self._limit, self._clock, self._sleep = link, limit, clock, sleep
        self._free_at = clock()
        """When what has been let through is paid for."""

    def state(self) -> DeviceReport:
        return self._link.state()

    def kinds(self) -> list[str]:
        return self._link.kinds()

    def accounts(self) -> list[Account]:
        return self._link.accounts() if isinstance(self._link, TellsAccounts) else []

    def tells_own_cloud(self) -> bool:
        return isinstance(self._link, TellsOwnCloud) and self._link.tells_own_cloud()

    def own_cloud(self) -> OwnCloud | None:
        return self._link.own_cloud() if isinstance(self._link, TellsOwnCloud) else None

    def not_read(self) -> list[NotRead]:
        return self._link.not_read() if isinstance(self._link, TellsNotRead) else []

    def inventory(self, kind: str) -> Sequence[Item]:
        return self._link.inventory(kind)

    def expect(self, items: Iterable[Item]) -> None:
        if isinstance(self._link, ReadsAhead):
            self._link.expect(items)

    def read(self, item: Item) -> Iterator[bytes]:
        for piece in self._link.read(item):
            self._wait_for(len(piece))
            yield piece

    def close(self) -> None:
        self._link.close()

    def _wait_for(self, count: int) -> None:
        limit = self._limit()
        if not limit:
            return
        self._free_at = max(self._free_at, self._clock()) + count / limit
        while (left := self._free_at - self._clock()) > 0:
            self._sleep(min(left, LONGEST_SLEEP_SECONDS))
