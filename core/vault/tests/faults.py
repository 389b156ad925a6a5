"""A blob store that goes wrong at the n-th operation, in every way in which one can."""

from collections.abc import Iterator
from datetime import datetime
from enum import StrEnum
from threading import Lock

from core.vault.blobs import BlobStore, Content, Keeps
from core.vault.errors import StoreFull, StoreUnreachable


class Killed(BaseException):
    """The process is gone; nothing that it does from now on has an effect."""


class Fault(StrEnum):
    FAIL = "fails before it does anything"
    ANSWER_LOST = "does it, and the answer is lost"
    KILL = "is killed before it does anything"
    KILL_AFTER = "is killed right after"
    CUT_SHORT = "is cut short"


class Faulty:
    """Passes everything on until operation number `at`; then the fault happens, once. `None`: never."""

    parallel = 1

    def __init__(self, below: BlobStore) -> None:
        self.below = below
        self.fault: Fault | None = None
        self.at: int | None = None
        self.count = 0
        self.dead = False
        self.deleted: dict[str, bytes] = {}
        """What was deleted since the fault was set, with its content: a power failure may bring it back."""
        self._lock = Lock()

    def set(self, fault: Fault, at: int) -> None:
        self.fault, self.at, self.count, self.dead, self.deleted = fault, at, 0, False, {}

    def heal(self) -> None:
        self.at, self.dead = None, False

    @property
    def happened(self) -> bool:
        return self.at is not None and self.count > self.at

    def _before(self) -> bool:
        """Whether the fault happens now, after the operation took effect."""
        with self._lock:
            if self.dead:
                raise Killed
            now = self.at is not None and self.count == self.at
            self.count += 1
            if now and self.fault is Fault.FAIL:
                raise StoreUnreachable("The store does not answer.")
            if now and self.fault is Fault.KILL:
                self.dead = True
                raise Killed
            return now

    def _after(self, now: bool) -> None:
        if now and self.fault is Fault.ANSWER_LOST:
            raise StoreUnreachable("The store does not answer.")
        if now and self.fault is Fault.KILL_AFTER:
            self.dead = True
            raise Killed

    def create(self, name: str, content: Content) -> None:
        now = self._before()
        if now and self.fault is Fault.CUT_SHORT:
            raise StoreFull("The medium is full.")  # part of it was written where no reader looks
        self.below.create(name, content)
        self._after(now)

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        now = self._before()
        content = self.below.read(name, offset=offset, length=length)
        if now and self.fault is Fault.CUT_SHORT:
            return content[: len(content) // 2]
        self._after(now)
        return content

    def delete(self, name: str) -> None:
        now = self._before()
        if now and self.fault is Fault.CUT_SHORT:
            raise StoreUnreachable("The store went away.")
        for value, _ in list(self.below.list(name)):
            if value == name:
                self.deleted[name] = self.below.read(name)
        self.below.delete(name)
        self._after(now)

    def list(self, prefix: str) -> Iterator[tuple[str, int]]:
        now = self._before()
        listed = list(self.below.list(prefix))
        if now and self.fault is Fault.CUT_SHORT:
            yield from listed[: len(listed) // 2]
            raise StoreUnreachable("The list broke off.")
        yield from listed
        self._after(now)

    def dated(self, name: str) -> datetime | None:
        return None

    def clock(self) -> datetime | None:
        return None

    def keeps(self) -> Keeps:
        return self.below.keeps()

    def free_bytes(self) -> int | None:
        return self.below.free_bytes()
