"""Writing chosen items back to where they are wanted, and proving afterwards, by content, that they are there.

Plan, write, prove, kind by kind. What is written next is noted before (`Intents`), so that a restore whose worker died goes on
where it stood and writes nothing twice. How a plan is made and carried out depends on the place: a device that keeps items
(`into_items`), or one that keeps files (`into_files`).
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from core.content.errors import DeviceFull
from core.content.link import DeviceLink
from core.recovery.conflicts import ConflictStep
from core.recovery.report import KindReport, Report
from core.recovery.stream import Stream, in_store_order
from core.vault.errors import Damaged, Stopped
from core.vault.manifests import Stored
from core.vault.vault import Vault

BATCH_ITEMS = 256
BATCH_BYTES = 32 << 20
Kinds = Sequence[tuple[str, list[Stored]]]


@dataclass(slots=True, kw_only=True)
class Planned:
    """One item, what becomes of it, and where."""

    stored: Stored
    step: ConflictStep
    place: str | None = None
    """The id there of what it meets, or the path under which it is written."""


@dataclass(slots=True, kw_only=True)
class ExpectedContent:
    """What should be there afterwards."""

    name: str
    size_bytes: int
    digest: bytes | None
    """None: it could not be told beforehand, so that only its size is compared."""


class Intents(Protocol):
    """What is going to be written, noted before, and what was: outlives whoever writes."""

    def finished(self, kind: str) -> dict[str, str]:
        """Items of batches that were finished: id in the backup → id there."""
        ...

    def begun(self, kind: str) -> frozenset[str]:
        """Items of the batch that was under way when its writer ended: each may be there or not."""
        ...

    def begin(self, kind: str, ids: Sequence[str]) -> None: ...
    def finish(self, kind: str, written: dict[str, str]) -> None: ...


@dataclass(slots=True)
class MemoryIntents:
    """For whoever need not outlive its process."""

    done: dict[str, dict[str, str]] = field(default_factory=dict)
    under_way: dict[str, frozenset[str]] = field(default_factory=dict)

    def finished(self, kind: str) -> dict[str, str]:
        return self.done.get(kind, {})

    def begun(self, kind: str) -> frozenset[str]:
        return self.under_way.get(kind, frozenset())

    def begin(self, kind: str, ids: Sequence[str]) -> None:
        self.under_way[kind] = frozenset(ids)

    def finish(self, kind: str, written: dict[str, str]) -> None:
        self.done.setdefault(kind, {}).update(written)
        self.under_way.pop(kind, None)


class Place(Protocol):
    """Where items go: a device that keeps items, or one that keeps files."""

    def prepare(self, code: str, chosen: Sequence[Stored]) -> None:
        """Everything of a kind, in an order that is the same for every attempt: names are given by it."""
        ...

    def plan(self, code: str, chosen: Sequence[Stored], begun: frozenset[str], counts: KindReport) -> list[Planned]:
        """One step an item, none yet carried out."""
        ...

    def write(self, code: str, batch: Sequence[Planned], stream: Stream, counts: KindReport) -> dict[str, tuple[str, ExpectedContent]]:
        """Carry out a batch, in this order: id in the backup → (id there, what should be there)."""
        ...

    def expected(self, code: str, planned: Sequence[Planned]) -> dict[str, ExpectedContent]:
        """By id there, of items that are there already or were written by an earlier attempt."""
        ...

    def prove(self, code: str, expected: dict[str, ExpectedContent], counts: KindReport) -> None:
        """Count what is there of it by now, by id there."""
        ...

    def finish(self, report: Report) -> None:
        """Whatever comes last, after every kind."""
        ...


@dataclass(slots=True)
class Going:
    """How far it is; ends it when somebody wants it to stop. Called often."""

    tell: Callable[[str, int, int], None] = lambda kind, done_bytes, total_bytes: None
    should_stop: Callable[[], bool] = lambda: False
    kind: str = ""
    done_bytes: int = 0
    total_bytes: int = 0

    def __call__(self) -> None:
        """Raises Stopped."""
        if self.should_stop():
            raise Stopped("The restore was stopped by hand.")
        self.tell(self.kind, self.done_bytes, self.total_bytes)


def restore(
    vault: Vault,
    link: DeviceLink,
    place: Place,
    kinds: Kinds,
    *,
    intents: Intents | None = None,
    going: Going | None = None,
) -> Report:
    """Raises LinkError, StoreError, Stopped; what was written until then stays, and a second call goes on from there."""
    intents, going = intents or MemoryIntents(), going or Going()
    report = Report()
    plans: list[tuple[str, list[Planned], list[Planned]]] = []
    for code, chosen in kinds:
        going.kind = code
        counts = report[code] = KindReport(chosen=len(chosen))
        place.prepare(code, chosen)
        finished = intents.finished(code)
        fresh = [stored for stored in chosen if stored.item.id not in finished]
        earlier = [Planned(stored=one, step=ConflictStep.WRITE, place=finished[one.item.id]) for one in chosen if one.item.id in finished]
        plans.append((code, place.plan(code, fresh, intents.begun(code), counts), earlier))
    going.total_bytes = sum(written_bytes(plan) for _, plan, _ in plans)
    _check_room(link, going.total_bytes)
    for code, plan, earlier in plans:
        going.kind = code
        counts = report[code]
        same = [one for one in plan if one.step is ConflictStep.SAME]
        counts.same, counts.left = len(same), sum(one.step is ConflictStep.LEAVE for one in plan)
        expected = place.expected(code, [*earlier, *same])
        counts.written += len(earlier)
        expected |= _written(vault, place, code, plan, intents, counts, going)
        counts.expected = len(expected)
        place.prove(code, expected, counts)
    place.finish(report)
    going.kind, going.done_bytes = "", going.total_bytes
    going()
    return report


def written_bytes(plan: Sequence[Planned]) -> int:
    """Room that is needed for it."""
    return sum(one.stored.item.size_bytes for one in plan if one.step in (ConflictStep.WRITE, ConflictStep.ADD, ConflictStep.REPLACE))


def _written(
    vault: Vault, place: Place, code: str, plan: Sequence[Planned], intents: Intents, counts: KindReport, going: Going
) -> dict[str, ExpectedContent]:
    """id there → what should be there, of everything that was written now. Read as it lies in the store."""
    to_write = [one for one in plan if one.step in (ConflictStep.WRITE, ConflictStep.ADD, ConflictStep.REPLACE)]
    ordered = [to_write[at] for at in in_store_order(vault, [one.stored for one in to_write])]
    stream, expected = Stream.of(vault, [one.stored for one in ordered]), dict[str, ExpectedContent]()
    try:
        for batch in _batches(ordered):
            going()
            intents.begin(code, [one.stored.item.id for one in batch])
            written = place.write(code, batch, stream, counts)
            intents.finish(code, {id: where for id, (where, _) in written.items()})
            expected |= dict(written.values())
            for one in batch:
                if one.stored.item.id in written:
                    _count(one.step, counts)
    finally:
        stream.close()
    return expected


def _count(step: ConflictStep, counts: KindReport) -> None:
    if step is ConflictStep.ADD:
        counts.added += 1
    elif step is ConflictStep.REPLACE:
        counts.replaced += 1
    else:
        counts.written += 1


def _batches(plan: Sequence[Planned]) -> Iterator[list[Planned]]:
    batch: list[Planned] = []
    size_bytes = 0
    for one in plan:
        batch.append(one)
        size_bytes += one.stored.item.size_bytes
        if len(batch) >= BATCH_ITEMS or size_bytes >= BATCH_BYTES:
            yield batch
            batch, size_bytes = [], 0
    if batch:
        yield batch


def noticed(pieces: Iterator[bytes], going: Going) -> Iterator[bytes]:
    """The same pieces; counts them, and ends when somebody wants it to stop."""
    for piece in pieces:
        going.done_bytes += len(piece)
        going()
        yield piece


def whole(pieces: Iterator[bytes], name: str, counts: KindReport) -> bytes | None:
    """A small item's content; None when it is damaged, which is noted."""
    try:
        return b"".join(pieces)
    except Damaged:
        counts.damaged.append(name)
        return None


def _check_room(link: DeviceLink, needed_bytes: int) -> None:
    state = link.state()
    free_bytes = state.free_bytes
    if free_bytes is None and state.storage_total_bytes is not None and state.storage_used_bytes is not None:
        free_bytes = state.storage_total_bytes - state.storage_used_bytes
    if free_bytes is not None and needed_bytes > free_bytes:
        raise DeviceFull("The device has no room for this.")
