"""A drill: restore a backup into a scratch place, prove what arrived there, open what can be opened, and leave nothing behind.

What was written is read back from the scratch place and compared with its manifest: its length, the id of every chunk that holds
nothing else, and the digest of the bytes as they left the vault. Then whatever has a form that others can read is opened. So a drill
parts two findings: *differs*, which is the backup's fault, and *does not open although it is as it came*, which was so on the device.

Bounded: where a backup is larger than the bytes that may be read, items are drawn by chance, a share of each kind and at least one of
each; where the time is over, what was proven until then is told with what was left. Works piece by piece, one being proven while the next
is restored, so that the scratch place needs room for two pieces, or for the largest items.
"""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from typing import Any, Protocol

from core.content.digests import file_digest
from core.content.items import Item
from core.content.paths import link_of
from core.recovery.extract import Destination, Extracted, extract
from core.recovery.forms import HEAD_BYTES, Form, form_of
from core.units import MIB
from core.vault.manifests import Manifest, Span, Stored
from core.vault.vault import Vault

PIECE_BYTES = 64 * MIB
PIECE_ITEMS = 2000
MOST_NAMED = 200
"""Findings of each sort that are told by name; all are counted."""


class Opening(Protocol):
    """What came of trying to open something."""

    @property
    def opened(self) -> bool: ...
    @property
    def says(self) -> str:
        """Why not, in words; where nothing could be told, since it is too large or leans on another file: empty."""
        ...


class Scratch(Destination, Protocol):
    """A place for restored files that nobody else looks at."""

    def corner(self, number: int) -> "Scratch":
        """A part of it that is filled and cleared by itself; what lies in it is gone with the rest as well."""
        ...

    def read(self, path: str) -> Iterator[bytes]:
        """Raises StoreError; FileNotFoundError never: what is not there reads as nothing."""
        ...

    def opens(self, path: str, form: Form, item: Item) -> Opening:
        """Hostile content is opened within limits. Raises StoreError."""
        ...

    def again(self) -> None:
        """What lies there counts for nothing any more, and is written over by what comes. Raises StoreError."""
        ...

    def clear(self) -> None:
        """Everything that lies there is gone afterwards. Raises StoreError."""
        ...


@dataclass(frozen=True, slots=True, kw_only=True)
class Bounds:
    most_bytes: int | None = None
    """Of content that is restored; None for all of it."""
    is_over: Callable[[], bool] = lambda: False
    """Whether its time has run out; asked after each piece."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Named:
    """An item that did not come through, and why."""

    kind: str
    name: str
    says: str


@dataclass(slots=True, kw_only=True)
class Findings:
    """The first few by name, and how many there are."""

    count: int = 0
    named: list[Named] = field(default_factory=list)

    def add(self, stored: Stored, says: str) -> None:
        self.count += 1
        if len(self.named) < MOST_NAMED:
            self.named.append(Named(kind=stored.item.kind, name=stored.item.name, says=says))

    def take(self, more: "Findings") -> None:
        self.count += more.count
        self.named += more.named[: max(0, MOST_NAMED - len(self.named))]


@dataclass(slots=True, kw_only=True)
class Proof:
    """What was found of some items."""

    items: int = 0
    size_bytes: int = 0
    """What was restored and is right, byte for byte."""
    lost: Findings = field(default_factory=Findings)
    """Could not be given back."""
    differing: Findings = field(default_factory=Findings)
    """Arrived otherwise than the manifest says."""
    unopened: Findings = field(default_factory=Findings)
    """Is as it came, and cannot be opened: it was so on the device."""
    opened: Counter[Form] = field(default_factory=Counter)

    def take(self, more: "Proof") -> None:
        self.items += more.items
        self.size_bytes += more.size_bytes
        self.lost.take(more.lost)
        self.differing.take(more.differing)
        self.unopened.take(more.unopened)
        self.opened += more.opened


@dataclass(slots=True, kw_only=True)
class DrillReport(Proof):
    of_items: int
    of_bytes: int
    """What the backup holds."""
    out_of_time: bool = False

    @property
    def wrong_count(self) -> int:
        """Items that did not come back as they were stored."""
        return self.lost.count + self.differing.count

    @property
    def right(self) -> bool:
        """Whether everything that was tried came back as it was stored."""
        return self.wrong_count == 0

    @property
    def whole(self) -> bool:
        """Whether that was everything."""
        return self.right and self.items == self.of_items


def drill(
    vault: Vault,
    manifest: Manifest,
    scratch: Scratch,
    *,
    bounds: Bounds = Bounds(),
    draw: Callable[[], float],
    on_progress: Callable[[int, int], None] = lambda done_bytes, total_bytes: None,
) -> DrillReport:
    """`draw`: by chance from 0 to 1. Raises StoreError, DeviceSealed, and what `on_progress` raises; nothing stays in `scratch`."""
    report = DrillReport(of_items=manifest.items, of_bytes=manifest.size_bytes)
    total = min(manifest.size_bytes, manifest.size_bytes if bounds.most_bytes is None else bounds.most_bytes)
    scratch.clear()
    corners = [scratch.corner(number) for number in range(2)]
    try:
        with ThreadPoolExecutor(1, "drill") as prover:
            done, proving = 0, list[Future[Proof] | None]((None, None))
            for number, piece in enumerate(_pieces(_chosen(vault, manifest, bounds, draw, report))):
                _learnt(report, proving.pop(0))
                if bounds.is_over():
                    report.out_of_time = True
                    break
                corner = corners[number % 2]
                sent = _restored(vault, piece, corner, report, partial(_told, on_progress, done, total))
                done += sum(stored.item.size_bytes for stored in piece)
                proving.append(prover.submit(_proven, vault, sent, corner))
            for proof in proving:
                _learnt(report, proof)
    finally:
        for corner in corners:
            corner.clear()
        scratch.clear()
    return report


def _learnt(report: DrillReport, proof: Future[Proof] | None) -> None:
    """Waits for it. Raises what it raises."""
    if proof is not None:
        report.take(proof.result())


def _told(on_progress: Callable[[int, int], None], before: int, total: int, more: int, of_piece: int) -> None:
    on_progress(before + more, max(total, before + more))


# -- which


def _chosen(vault: Vault, manifest: Manifest, bounds: Bounds, draw: Callable[[], float], report: DrillReport) -> Iterator[Stored]:
    """Everything where that is allowed; else about as much as may be read, of every kind something."""
    share = 1.0 if bounds.most_bytes is None else min(1.0, bounds.most_bytes / max(1, manifest.size_bytes))
    left = bounds.most_bytes
    for summary in manifest.kinds:
        smallest: Stored | None = None
        taken = False
        for stored in vault.items(manifest, summary.kind, lost=partial(_unnamed, report, summary.kind)):
            size = stored.item.size_bytes
            if share < 1.0 and (draw() >= share or (left is not None and size > left)):
                if not taken and (smallest is None or size < smallest.item.size_bytes):
                    smallest = stored
                continue
            taken, left = True, None if left is None else left - size
            yield stored
        if not taken and smallest is not None:
            yield smallest


def _unnamed(report: DrillReport, kind: str, count: int) -> None:
    report.lost.count += count
    report.lost.named.append(Named(kind=kind, name="", says=f"{count} of its items cannot be named, because their list is damaged."))


def _pieces(items: Iterable[Stored]) -> Iterator[list[Stored]]:
    piece: list[Stored] = []
    size_bytes = 0
    for stored in items:
        piece.append(stored)
        size_bytes += stored.item.size_bytes
        if len(piece) >= PIECE_ITEMS or size_bytes >= PIECE_BYTES:
            yield piece
            piece, size_bytes = [], 0
    if piece:
        yield piece


# -- restoring and proving


@dataclass(frozen=True, slots=True)
class _Arrived:
    stored: Stored
    digest: bytes | None
    """Of its bytes as they left the vault; None where the ids of its chunks prove more."""


class _Sent:
    """Passes on to the scratch place, and remembers what it was given."""

    def __init__(self, scratch: Scratch, names: Mapping[str, Stored]) -> None:
        self._scratch, self._names = scratch, names
        self.arrived: dict[str, _Arrived] = {}

    def file(self, path: str, item: Item, pieces: Iterable[bytes], *, over: bool = False) -> None:
        stored = self._names[path]
        if _named_by_ids(stored):
            self._scratch.file(path, item, pieces, over=over)
            self.arrived[path] = _Arrived(stored, None)
            return
        hashed = file_digest()
        self._scratch.file(path, item, _hashing(pieces, hashed), over=over)
        self.arrived[path] = _Arrived(stored, hashed.digest())

    def link(self, path: str, item: Item, *, over: bool = False) -> None:
        """A link is where it points: that stands in the manifest and is not followed."""
        self.arrived[path] = _Arrived(self._names[path], None)

    def folder(self, path: str, item: Item) -> None:
        """Nothing to prove."""


def _hashing(pieces: Iterable[bytes], hashed: Any) -> Iterator[bytes]:
    for piece in pieces:
        hashed.update(piece)
        yield piece


def _named_by_ids(stored: Stored) -> bool:
    """Whether the ids of its chunks speak of its own bytes: an item of several chunks shares none of them. Of a sealed device they speak
    of sealed bytes, and of a bundle of all that lies in it: there a digest has to do."""
    return stored.sealed is None and len(stored.spans) > 1


def _restored(
    vault: Vault, piece: Sequence[Stored], scratch: Scratch, report: DrillReport, on_progress: Callable[[int, int], None]
) -> dict[str, _Arrived]:
    """What arrived, by its path; the rest is in the report."""
    names = {f"{number:06}": stored for number, stored in enumerate(piece)}
    sent = _Sent(scratch, names)
    extracted: Extracted = extract(vault, list(names.items()), (), sent, on_progress=on_progress)
    for lost in extracted.lost:
        report.lost.add(names[lost.path], lost.reason)
    return sent.arrived


def _proven(vault: Vault, arrived: Mapping[str, _Arrived], scratch: Scratch) -> Proof:
    """Touches nothing of the vault but its keys: the next piece is restored meanwhile."""
    proof = Proof()
    for path, one in arrived.items():
        if link_of(one.stored.item) is None and (says := _differs(vault, one, scratch, path)):
            proof.differing.add(one.stored, says)
            continue
        proof.items += 1
        proof.size_bytes += one.stored.item.size_bytes
        _open(one.stored, scratch, path, proof)
    scratch.again()
    return proof


def _differs(vault: Vault, one: _Arrived, scratch: Scratch, path: str) -> str:
    """Why what lies there is not what the manifest says; empty when it is."""
    length, item = 0, one.stored.item
    judge: _Ids | _Digest = _Ids(vault, one.stored) if one.digest is None else _Digest(one.digest)
    for piece in scratch.read(path):
        judge.update(piece)
        length += len(piece)
    if length != item.size_bytes:
        return f"It has {length:,} bytes, and should have {item.size_bytes:,}."
    return judge.says()


class _Digest:
    def __init__(self, sent: bytes) -> None:
        self._sent, self._hashed = sent, file_digest()

    def update(self, piece: bytes) -> None:
        self._hashed.update(piece)

    def says(self) -> str:
        return "" if self._hashed.digest() == self._sent else "Its bytes are not those that left the store."


class _Ids:
    """Computes the id of each chunk again."""

    def __init__(self, vault: Vault, stored: Stored) -> None:
        self._keys = vault.keys
        self._left: list[Span] = list(stored.spans)
        self._held = bytearray()
        self._wrong = False

    def update(self, piece: bytes) -> None:
        """Only what a chunk has on both sides of two pieces is put together; all else is looked at where it lies."""
        rest = memoryview(piece)
        while self._left and len(self._held) + len(rest) >= self._left[0].length_bytes:
            span = self._left.pop(0)
            missing = span.length_bytes - len(self._held)
            content: bytes | memoryview = rest[:missing]
            if self._held:
                self._held += content
                content, self._held = bytes(self._held), bytearray()
            self._wrong = self._wrong or self._keys.chunk_id(content) != span.chunk
            rest = rest[missing:]
        self._held += rest

    def says(self) -> str:
        return "Its bytes are not those that its chunks are named after." if self._wrong else ""


def _open(stored: Stored, scratch: Scratch, path: str, proof: Proof) -> None:
    if link_of(stored.item) is not None or not stored.item.size_bytes:
        return
    form = form_of(stored.item.kind, next(scratch.read(path), b"")[:HEAD_BYTES])
    if form is None:
        return
    opening = scratch.opens(path, form, stored.item)
    if opening.opened:
        proof.opened[form] += 1
    elif opening.says:
        proof.unopened.add(stored, opening.says)
