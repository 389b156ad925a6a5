"""Taking a backup: device → inventory → what changed → chunks → manifest.

Decides what is read (items whose version tag is not the one stored last), what is skipped or left out and why, and
when the backup exists. It neither retries nor judges: a cut link leaves as LinkError after everything
read so far has been stored for the next run. Whether the run may start is `admit`'s to say.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from enum import StrEnum

from core.content.errors import DeviceLied, ItemNotTaken, LinkError
from core.content.items import Item
from core.content.kinds import FOLDERS, KINDS
from core.content.link import DeviceLink, DeviceReport, ReadsAhead, TellsNotRead
from core.content.readiness import let_in
from core.content.scope import LeaveOut
from core.vault.errors import Stopped, StoreError
from core.vault.inventory import KindComparison, compared, rows_of
from core.vault.manifests import KindSummary, Manifest
from core.vault.tree import Tree
from core.vault.writer import Writer

_TELL_EVERY_ITEMS = 64

_SHOWN = {kind: at for at, kind in enumerate(KINDS)}
"""In a backup kinds stand as people are shown them, in whatever order they were saved."""


class Stage(StrEnum):
    """asking → looking → reading → closing → done. Each stage is entered once, in this order."""

    ASKING = "asking"
    LOOKING = "looking"
    READING = "reading"
    CLOSING = "closing"
    DONE = "done"


@dataclass(frozen=True, slots=True, kw_only=True)
class KindProgress:
    """How far a run is with one kind."""

    items: int
    """Items of this kind on the device."""
    size_bytes: int
    unchanged: int = 0
    """Items that are stored already."""
    to_read_bytes: int = 0
    read_items: int = 0
    read_bytes: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Progress:
    """Where a run is. Replaced, never changed."""

    stage: Stage = Stage.ASKING
    kind: str = ""
    """The kind that is being worked on."""
    kinds: dict[str, KindProgress] = field(default_factory=dict)
    stored_bytes: int = 0

    @property
    def to_read_bytes(self) -> int:
        return sum(entry.to_read_bytes for entry in self.kinds.values())

    @property
    def read_bytes(self) -> int:
        return sum(entry.read_bytes for entry in self.kinds.values())


@dataclass(frozen=True, slots=True, kw_only=True)
class Skipped:
    """Something that is on the device and not in the backup, though nobody wanted it left out."""

    kind: str
    name: str
    code: str
    """Of a reason in `core.content.left_out`."""
    detail: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class LeftOutItem:
    """Items of one kind that were left out on purpose, for one reason."""

    kind: str
    reason: str
    items: int
    size_bytes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Captured:
    manifest: Manifest
    state: DeviceReport
    read_bytes: int
    stored_bytes: int
    skipped: tuple[Skipped, ...]
    left_out: tuple[LeftOutItem, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Request:
    """What a run is to take."""

    device: str
    device_told: dict[str, str]
    kinds: tuple[str, ...]
    note: str
    zone: str
    leave_out: LeaveOut = LeaveOut()


class Capture:
    """One run's work on one device and one store."""

    def __init__(
        self,
        link: DeviceLink,
        writer: Writer,
        request: Request,
        *,
        clock: Callable[[], datetime],
        admit: Callable[[int], None] = lambda changed_bytes: None,
        on_state: Callable[[DeviceReport], None] = lambda state: None,
        on_progress: Callable[[Progress], None] = lambda progress: None,
        should_stop: Callable[[], bool] = lambda: False,
        is_over: Callable[[], bool] = lambda: False,
    ) -> None:
        """`is_over`: whether there is no more room for it. Then the kinds that are whole are kept, the most important ones first."""
        self._link, self._writer, self._request = link, writer, request
        self._clock, self._admit, self._met, self._tell, self._should_stop = clock, admit, on_state, on_progress, should_stop
        self._is_over = is_over
        self._progress = Progress()
        self._skipped: list[Skipped] = []
        self._left_out: dict[tuple[str, str], tuple[int, int]] = {}
        self._untold_items = self._untold_bytes = 0

    def run(self, previous: Manifest | None) -> Captured:
        """Take the backup. Raises LinkError, StoreError, VaultError, Stopped, or whatever `admit` raises."""
        try:
            return self._run(previous)
        finally:
            self._writer.close()

    def _run(self, previous: Manifest | None) -> Captured:
        began_at = self._clock()
        self._step(stage=Stage.ASKING)
        state = self._ready_state()
        offered = set(self._link.kinds())
        kinds = [kind for kind in self._request.kinds if kind in offered]
        self._step(stage=Stage.LOOKING)
        comparisons = {kind: self._compared(kind, previous) for kind in kinds}
        folders = self._compared(FOLDERS, previous) if FOLDERS in offered else None
        if isinstance(self._link, TellsNotRead):
            lacking = (entry for entry in self._link.not_read() if entry.kind == FOLDERS or entry.kind in self._request.kinds)
            self._skipped += [Skipped(kind=entry.kind, name=entry.name, code=entry.code, detail=entry.detail) for entry in lacking]
        self._admit(self._progress.to_read_bytes)
        self._step(stage=Stage.READING)
        try:
            summaries = self._take_kinds(kinds, comparisons)
            told_folders = self._take_kind(FOLDERS, folders) if folders is not None else None
        except (LinkError, Stopped):
            self._writer.flush()
            raise
        except StoreError:
            self._writer.salvage()
            raise
        self._step(stage=Stage.CLOSING, kind="")
        manifest = self._manifest(state, summaries, told_folders, began_at=began_at)
        self._writer.commit(manifest)
        self._step(stage=Stage.DONE)
        return Captured(
            manifest=manifest,
            state=state,
            read_bytes=self._progress.read_bytes,
            stored_bytes=self._writer.stored_bytes,
            skipped=tuple(self._skipped),
            left_out=tuple(
                LeftOutItem(kind=kind, reason=reason, items=items, size_bytes=size_bytes)
                for (kind, reason), (items, size_bytes) in self._left_out.items()
            ),
        )

    def _manifest(
        self, state: DeviceReport, kinds: tuple[KindSummary, ...], folders: KindSummary | None, *, began_at: datetime
    ) -> Manifest:
        described = {"make": state.make, "model": state.model, "family": state.family, "os_version": state.os_version}
        return Manifest(
            id=self._writer.vault.random(16),
            device=self._request.device,
            device_told=described | self._request.device_told,
            note=self._request.note,
            started_at=began_at,
            finished_at=self._clock(),
            zone=self._request.zone,
            kinds=kinds,
            folders=folders,
            sealed=self._writer.inner.id if self._writer.inner else None,
        )

    def _ready_state(self) -> DeviceReport:
        state = self._link.state()
        self._met(state)
        let_in(state)
        return state

    def _compared(self, kind: str, previous: Manifest | None) -> KindComparison:
        """What of a kind is stored already and what is to be read."""
        self._stop_if_asked()
        comparison = compared(self._writer, self._wanted(kind), previous, kind)
        if kind != FOLDERS:
            self._step(
                kind=kind,
                entry=KindProgress(
                    items=comparison.items,
                    size_bytes=comparison.size_bytes,
                    unchanged=comparison.unchanged,
                    to_read_bytes=comparison.to_read_bytes,
                ),
            )
        return comparison

    def _wanted(self, kind: str) -> Sequence[Item]:
        """The inventory of a kind without what is left out on purpose."""
        inventory, leave_out = self._link.inventory(kind), self._request.leave_out
        if kind == FOLDERS or not leave_out.concerns(kind):
            return inventory
        wanted = []
        for item in inventory:
            reason = leave_out.why(item)
            if reason is None:
                wanted.append(item)
                continue
            items, size_bytes = self._left_out.get((kind, reason), (0, 0))
            self._left_out[kind, reason] = items + 1, size_bytes + item.size_bytes
        return wanted

    def _take_kinds(self, kinds: Sequence[str], comparisons: dict[str, KindComparison]) -> tuple[KindSummary, ...]:
        """In their order; what there is no room for is named. Raises Stopped when there is none for the first one."""
        taken: list[KindSummary] = []
        try:
            for kind in kinds:
                taken.append(self._take_kind(kind, comparisons.pop(kind)))
        except _NoRoom:
            if not taken:
                raise Stopped("There was no room for the first of its kinds.") from None
            self._skipped += [Skipped(kind=kind, name="", code="no_room") for kind in kinds[len(taken) :]]
            self._is_over = lambda: False  # the folders, which are small
        return tuple(sorted(taken, key=lambda summary: _SHOWN.get(summary.kind, len(_SHOWN))))

    def _take_kind(self, kind: str, comparison: KindComparison) -> KindSummary:
        if kind != FOLDERS:
            self._step(kind=kind)
        if isinstance(self._link, ReadsAhead):
            self._link.expect(part for part in comparison.parts() if isinstance(part, Item))
        writer = self._writer
        tree, inner = writer.tree(), writer.inner.id if writer.inner else None
        for part in comparison.parts():
            if isinstance(part, Item):
                self._take_item(tree, part)
            elif isinstance(part, list):
                writer.keep(tree, part)
            elif tree.between:
                writer.keep_branch(tree, part.id, part.counts)
            else:
                for row in rows_of(writer.vault, part.id, inner=inner):
                    writer.keep(tree, row)
        self._tell_counts(kind)
        return writer.summary(tree, kind)

    def _take_item(self, tree: Tree, item: Item) -> None:
        self._stop_if_asked()
        try:
            if item.size_bytes <= self._writer.vault.limits.tiny_bytes:
                self._writer.add_tiny(tree, item, self._tiny(item))
            else:
                self._writer.add(tree, item, self._pieces(item))
        except ItemNotTaken as error:
            self._skipped.append(Skipped(kind=item.kind, name=item.name, code=error.why, detail=error.message))
        self._count(item.kind, items=1)

    def _tiny(self, item: Item) -> bytes:
        """The content of a tiny item, as long as announced. Raises DeviceLied otherwise."""
        parts, length = [], 0
        for piece in self._link.read(item):
            parts.append(piece)
            length += len(piece)
            if length > item.size_bytes:
                break
        if length != item.size_bytes:
            raise _lied(item, length)
        self._untold_bytes += length
        return parts[0] if len(parts) == 1 else b"".join(parts)

    def _pieces(self, item: Item) -> Iterator[bytes]:
        """The item's content, while it is as long as announced. Raises DeviceLied otherwise."""
        length = 0
        for piece in self._link.read(item):
            length += len(piece)
            if length > item.size_bytes:
                raise _lied(item, length)
            self._count(item.kind, size_bytes=len(piece))
            self._stop_if_asked()
            yield piece
        if length < item.size_bytes:
            raise _lied(item, length)

    def _count(self, kind: str, *, items: int = 0, size_bytes: int = 0) -> None:
        self._untold_items += items
        self._untold_bytes += size_bytes
        if self._untold_items >= _TELL_EVERY_ITEMS or self._untold_bytes >= self._writer.vault.limits.bundle_bytes:
            self._tell_counts(kind)

    def _tell_counts(self, kind: str) -> None:
        if kind == FOLDERS or not (self._untold_items or self._untold_bytes):
            return
        entry = self._progress.kinds[kind]
        read = replace(entry, read_items=entry.read_items + self._untold_items, read_bytes=entry.read_bytes + self._untold_bytes)
        self._untold_items = self._untold_bytes = 0
        self._step(entry=read)

    def _step(self, *, stage: Stage | None = None, kind: str | None = None, entry: KindProgress | None = None) -> None:
        before = self._progress
        kind = before.kind if kind is None else kind
        kinds = before.kinds if entry is None else before.kinds | {kind: entry}
        self._progress = Progress(stage=stage or before.stage, kind=kind, kinds=kinds, stored_bytes=self._writer.stored_bytes)
        self._tell(self._progress)

    def _stop_if_asked(self) -> None:
        if self._should_stop():
            raise Stopped("The run was stopped by hand.")
        if self._is_over():
            raise _NoRoom("There is no more room for it.")


class _NoRoom(Stopped):
    """Ends the kind that is being taken."""

    code = "run.no_room"
    remedy = "Make room in the store, or leave something out."


def _lied(item: Item, length: int) -> DeviceLied:
    if length > item.size_bytes:
        return DeviceLied(f"The device sent more than the {item.size_bytes} bytes that it announced.")
    return DeviceLied(f"The device sent {length} bytes where it announced {item.size_bytes}.")
