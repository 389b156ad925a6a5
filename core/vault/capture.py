"""Taking a backup: device → inventory → what changed → chunks → manifest.

Decides what is read (items whose version tag is not the one stored last), what is skipped and why, and
when the backup exists. It neither retries nor judges: a cut link leaves as LinkError after everything
read so far has been stored for the next run. Whether the run may start is `admit`'s to say.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from datetime import datetime
from enum import StrEnum

from core.content.errors import DataAccessOff, DeviceLied, DeviceLocked, LinkError
from core.content.items import Item
from core.content.link import DeviceLink, DeviceState
from core.vault.errors import Stopped
from core.vault.manifests import KindSummary, Manifest, Stored
from core.vault.writer import Writer


class Stage(StrEnum):
    """asking → looking → reading → closing → done. Each stage is entered once, in this order."""

    ASKING = "asking"
    LOOKING = "looking"
    READING = "reading"
    CLOSING = "closing"
    DONE = "done"


@dataclass(frozen=True, slots=True, kw_only=True)
class KindProgress:
    items: int = 0
    """Items of this kind on the device."""
    size_bytes: int = 0
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
    kind: str
    name: str
    reason: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Captured:
    manifest: Manifest
    state: DeviceState
    read_bytes: int
    stored_bytes: int
    skipped: tuple[Skipped, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Request:
    """What a run is to take."""

    device: str
    device_told: dict[str, str]
    kinds: tuple[str, ...]
    note: str
    zone: str


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
        on_progress: Callable[[Progress], None] = lambda progress: None,
        should_stop: Callable[[], bool] = lambda: False,
    ) -> None:
        self._link, self._writer, self._request = link, writer, request
        self._clock, self._admit, self._tell, self._should_stop = clock, admit, on_progress, should_stop
        self._progress = Progress()
        self._skipped: list[Skipped] = []

    def run(self, previous: Manifest | None) -> Captured:
        """Take the backup. Raises LinkError, StoreError, Stopped, or whatever `admit` raises."""
        began_at = self._clock()
        self._step(stage=Stage.ASKING)
        state = self._ready_state()
        offered = set(self._link.kinds())
        kinds = [kind for kind in self._request.kinds if kind in offered]
        self._step(stage=Stage.LOOKING)
        known, wanted = {}, {}
        for kind in kinds:
            known[kind], wanted[kind] = self._look(kind, previous)
        self._admit(self._progress.to_read_bytes)
        self._step(stage=Stage.READING)
        try:
            summaries = tuple(self._take_kind(kind, known[kind], wanted[kind]) for kind in kinds)
        except (LinkError, Stopped):
            self._writer.flush()
            raise
        self._step(stage=Stage.CLOSING, kind="")
        now = self._clock()
        manifest = self._manifest(state, summaries, began_at=began_at, now=now)
        self._writer.commit(manifest, began_at=began_at, now=now)
        self._step(stage=Stage.DONE)
        return Captured(
            manifest=manifest,
            state=state,
            read_bytes=self._progress.read_bytes,
            stored_bytes=self._writer.stored_bytes,
            skipped=tuple(self._skipped),
        )

    def _manifest(self, state: DeviceState, kinds: tuple[KindSummary, ...], *, began_at: datetime, now: datetime) -> Manifest:
        told = {"make": state.make, "model": state.model, "family": state.family, "os_version": state.os_version}
        return Manifest(
            id=self._writer.vault.random(16),
            device=self._request.device,
            device_told=told | self._request.device_told,
            note=self._request.note,
            started_at=began_at,
            finished_at=now,
            zone=self._request.zone,
            kinds=kinds,
        )

    def _ready_state(self) -> DeviceState:
        state = self._link.state()
        if state.locked:
            raise DeviceLocked("The device is locked.")
        if state.data_access is False:
            raise DataAccessOff("Data access is switched off on the device.")
        return state

    def _look(self, kind: str, previous: Manifest | None) -> tuple[list[Stored], list[Item]]:
        """(stored already, to be read) of one kind."""
        self._stop_if_asked()
        before: dict[str, Stored] = {}
        if previous is not None:
            before = {stored.item.id: stored for stored in self._writer.vault.items(previous, kind)}
        kept, wanted = [], []
        inventory = self._link.inventory(kind)
        for item in inventory:
            stored = before.get(item.id)
            same = stored is not None and (stored.item.tag, stored.item.size_bytes) == (item.tag, item.size_bytes)
            if stored is not None and same and self._writer.rely_on(stored):
                kept.append(Stored(item, stored.spans))
            else:
                wanted.append(item)
        self._step(
            kind=kind,
            entry=KindProgress(
                items=len(inventory),
                size_bytes=sum(item.size_bytes for item in inventory),
                unchanged=len(kept),
                to_read_bytes=sum(item.size_bytes for item in wanted),
            ),
        )
        return kept, wanted

    def _take_kind(self, kind: str, kept: list[Stored], wanted: list[Item]) -> KindSummary:
        self._step(kind=kind)
        limits = self._writer.vault.limits
        bundle: list[tuple[Item, bytes]] = []
        bundled_bytes = 0
        for item in wanted:
            self._stop_if_asked()
            try:
                if item.size_bytes <= limits.tiny_bytes:
                    content = b"".join(self._pieces(item))
                    bundle.append((item, content))
                    bundled_bytes += len(content)
                    if bundled_bytes >= limits.bundle_bytes:
                        kept += self._writer.store_bundle(bundle)
                        bundle, bundled_bytes = [], 0
                else:
                    kept.append(self._writer.store_item(item, self._pieces(item)))
            except DeviceLied as error:
                self._skipped.append(Skipped(kind=kind, name=item.name, reason=error.message))
            self._count(kind, items=1)
        if bundle:
            kept += self._writer.store_bundle(bundle)
        return self._writer.store_kind(kind, kept)

    def _pieces(self, item: Item) -> Iterator[bytes]:
        """The item's content, while it is as long as announced. Raises DeviceLied otherwise."""
        length = 0
        for piece in self._link.read(item):
            length += len(piece)
            if length > item.size_bytes:
                raise DeviceLied(f"The device sent more than the {item.size_bytes} bytes that it announced.")
            self._count(item.kind, size_bytes=len(piece))
            self._stop_if_asked()
            yield piece
        if length < item.size_bytes:
            raise DeviceLied(f"The device sent {length} bytes where it announced {item.size_bytes}.")

    def _count(self, kind: str, *, items: int = 0, size_bytes: int = 0) -> None:
        entry = self._progress.kinds[kind]
        self._step(entry=replace(entry, read_items=entry.read_items + items, read_bytes=entry.read_bytes + size_bytes))

    def _step(self, *, stage: Stage | None = None, kind: str | None = None, entry: KindProgress | None = None) -> None:
        before = self._progress
        kind = before.kind if kind is None else kind
        kinds = before.kinds if entry is None else before.kinds | {kind: entry}
        self._progress = Progress(stage=stage or before.stage, kind=kind, kinds=kinds, stored_bytes=self._writer.stored_bytes)
        self._tell(self._progress)

    def _stop_if_asked(self) -> None:
        if self._should_stop():
            raise Stopped("The run was stopped by hand.")
