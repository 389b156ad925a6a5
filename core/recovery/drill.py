"""A drill: restore a backup into a scratch place, prove what arrived there, open what can be opened, and leave nothing behind.

What was written is read back from the scratch place and compared with its manifest: its length, the id of every chunk that holds
nothing else, and the digest of the bytes as they left the vault. Then whatever has a form that others can read is opened. So a drill
parts two findings: *differs*, which is the backup's fault, and *does not open although it is as it came*, which was so on the device.

Bounded: where a backup is larger than the bytes that may be read, items are drawn by chance, a share of each kind and at least one of
each; where the time is over, what was proven until then is told with what was left. Works piece by piece, so that the scratch place needs
room for a piece, or for the largest item.
"""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
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

    def read(self, path: str) -> Iterator[bytes]:
        """Raises StoreError; FileNotFoundError never: what is not there reads as nothing."""
        ...

    def opens(self, path: str, form: Form, item: Item) -> Opening:
        """Hostile content is opened within limits. Raises StoreError."""
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
class Finding:
    kind: str
    name: str
    says: str


@dataclass(slots=True, kw_only=True)
class Findings:
    """The first few by name, and how many there are."""

    count: int = 0
    named: list[Finding] = field(default_factory=list)

    def add(self, stored: Stored, says: str) -> None:
        self.count += 1
        if len(self.named) < MOST_NAMED:
            self.named.append(Finding(kind=stored.item.kind, name=stored.item.name, says=says))


@dataclass(slots=True, kw_only=True)
class DrillReport:
    of_items: int
    of_bytes: int
    """What the backup holds."""
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
    out_of_time: bool = False

    @property
    def right(self) -> bool:
        """Whether everything that was tried came back as it was stored."""
        return self.lost.count == 0 and self.differing.count == 0

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
    try:
        done = 0
        for piece in _pieces(_chosen(vault, manifest, bounds, draw, report)):
            if bounds.is_over():
                report.out_of_time = True
                break
            _restored(vault, piece, scratch, report, partial(_told, on_progress, done, total))
            done += sum(stored.item.size_bytes for stored in piece)
            scratch.clear()
    finally:
        scratch.clear()
    return report


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
    report.lost.named.append(Finding(kind=kind, name="", says=f"{count} of its items cannot be named, because their list is damaged."))


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


class _Sent:
    """Passes on to the scratch place, and remembers what it was given."""

    def __init__(self, scratch: Scratch) -> None:
        self._scratch = scratch
        self.digests: dict[str, bytes] = {}

    def file(self, path: str, item: Item, pieces: Iterable[bytes], *, over: bool = False) -> None:
        hashed = file_digest()
        self._scratch.file(path, item, _hashing(pieces, hashed), over=over)
        self.digests[path] = hashed.digest()

    def link(self, path: str, item: Item, *, over: bool = False) -> None:
        """A link is where it points: that stands in the manifest and is not followed."""

    def folder(self, path: str, item: Item) -> None:
        """Nothing to prove."""


def _hashing(pieces: Iterable[bytes], hashed: Any) -> Iterator[bytes]:
    for piece in pieces:
        hashed.update(piece)
        yield piece


def _restored(
    vault: Vault, piece: Sequence[Stored], scratch: Scratch, report: DrillReport, on_progress: Callable[[int, int], None]
) -> None:
    sent = _Sent(scratch)
    names = {f"{number:06}": stored for number, stored in enumerate(piece)}
    found: Extracted = extract(vault, list(names.items()), (), sent, on_progress=on_progress)
    for lost in found.lost:
        report.lost.add(names[lost.path], lost.reason)
    gone = {lost.path for lost in found.lost}
    for path, stored in names.items():
        if path in gone:
            continue
        if link_of(stored.item) is None and (says := _differs(vault, stored, scratch, path, sent.digests[path])):
            report.differing.add(stored, says)
            continue
        report.items += 1
        report.size_bytes += stored.item.size_bytes
        _open(stored, scratch, path, report)


def _differs(vault: Vault, stored: Stored, scratch: Scratch, path: str, sent: bytes) -> str:
    """Why what lies there is not what the manifest says; empty when it is."""
    hashed, length, ids = file_digest(), 0, _Ids(vault, stored)
    for piece in scratch.read(path):
        hashed.update(piece)
        ids.update(piece)
        length += len(piece)
    if length != stored.item.size_bytes:
        return f"It has {length:,} bytes, and should have {stored.item.size_bytes:,}."
    if hashed.digest() != sent:
        return "Its bytes are not those that left the store."
    return "Its bytes are not those that its chunks are named after." if ids.wrong else ""


class _Ids:
    """Computes the id of each chunk of an item again that can hold nothing else: an item of several chunks shares none of them.

    Of a sealed device the ids speak of sealed bytes, and of a bundle of all that lies in it: there the digest has to do.
    """

    def __init__(self, vault: Vault, stored: Stored) -> None:
        self._keys = vault.keys
        self._left: list[Span] = [] if stored.sealed is not None or len(stored.spans) < 2 else list(stored.spans)
        self._held = bytearray()
        self.wrong = False

    def update(self, piece: bytes) -> None:
        if not self._left:
            return
        self._held += piece
        while self._left and len(self._held) >= self._left[0].length_bytes:
            span = self._left.pop(0)
            content = bytes(self._held[: span.length_bytes])
            del self._held[: span.length_bytes]
            self.wrong = self.wrong or self._keys.chunk_id(content) != span.chunk


def _open(stored: Stored, scratch: Scratch, path: str, report: DrillReport) -> None:
    if link_of(stored.item) is not None or not stored.item.size_bytes:
        return
    form = form_of(stored.item.kind, next(scratch.read(path), b"")[:HEAD_BYTES])
    if form is None:
        return
    found = scratch.opens(path, form, stored.item)
    if found.opened:
        report.opened[form] += 1
    elif found.says:
        report.unopened.add(stored, found.says)
