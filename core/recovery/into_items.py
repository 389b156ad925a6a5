"""Into a device that keeps items by ids of its own: what an item meets there, and how it is written."""

import hashlib
from collections.abc import Iterator, Sequence
from typing import Protocol

from core.content.digests import digest, is_record
from core.content.errors import LinkCut
from core.content.items import Item
from core.content.link import DeviceLink, HoldsItems, SmallItem, WritesMany
from core.recovery.comparing import Comparison, digests_stored, digests_there
from core.recovery.conflicts import ConflictStep, WhenThere, met
from core.recovery.placing import is_file
from core.recovery.report import KindReport, Report
from core.recovery.restore import ExpectedContent, Going, Planned, noticed, whole
from core.recovery.stream import Stream
from core.vault.errors import Damaged
from core.vault.manifests import Stored
from core.vault.vault import Vault

SMALL_BYTES = 64 * 1024
TOGETHER_BYTES = 1 << 20


class ItemsLink(DeviceLink, HoldsItems, Protocol):
    """A device that is read and written by items."""


class IntoItems:
    """One device. `same_device`: the one that the backup is of."""

    def __init__(self, vault: Vault, link: ItemsLink, *, when_there: WhenThere, same_device: bool, going: Going) -> None:
        self._vault, self._link, self._when_there, self._same_device, self._going = vault, link, when_there, same_device, going
        self._digests: dict[tuple[str, str], bytes | None] = {}

    def prepare(self, code: str, chosen: Sequence[Stored]) -> None:
        """Ids need no preparing."""

    def plan(self, code: str, chosen: Sequence[Stored], begun: frozenset[str], counts: KindReport) -> list[Planned]:
        files = [one for one in chosen if is_record(code) and is_file(one.item)]
        counts.refused += [(one.item.name, "It is a file; restore it to a folder, or bring it in for the device.") for one in files]
        chosen = [one for one in chosen if one not in files] if files else chosen
        there = list(self._link.inventory(code))
        whole = frozenset(stored.item.name for stored in chosen if stored.item.id in begun)
        candidates = self._candidates(code, chosen, there)
        looks = Comparison(self._vault, self._link, code, chosen, candidates, on_item=self._going, whole=whole)
        pairs = []
        for one in met(code, chosen, there, looks, same_device=self._same_device):
            step = one.step(self._when_there)
            if step is ConflictStep.SAME:
                self._digests[code, one.stored.item.id] = looks.digest_of(one.stored)
            pairs.append(Planned(stored=one.stored, step=step, place=one.there.id if one.there else None))
        return pairs

    def _candidates(self, code: str, chosen: Sequence[Stored], there: Sequence[Item]) -> list[Item]:
        """Items there whose content may have to be known: all records, and files that one of the chosen may be."""
        if is_record(code):
            return list(there)
        names = {(stored.item.name, stored.item.size_bytes) for stored in chosen}
        ids = {(stored.item.id, stored.item.size_bytes) for stored in chosen} if self._same_device else set()
        return [item for item in there if (item.name, item.size_bytes) in names or (item.id, item.size_bytes) in ids]

    def expected(self, code: str, planned: Sequence[Planned]) -> dict[str, ExpectedContent]:
        unknown = [one.stored for one in planned if (code, one.stored.item.id) not in self._digests]
        self._digests |= digests_stored(self._vault, unknown, on_item=self._going)
        return {one.place: self._told(one.stored.item) for one in planned if one.place is not None}

    def _told(self, item: Item) -> ExpectedContent:
        return ExpectedContent(name=item.name, size_bytes=item.size_bytes, digest=self._digests.get((item.kind, item.id)))

    def write(self, code: str, batch: Sequence[Planned], stream: Stream, counts: KindReport) -> dict[str, tuple[str, ExpectedContent]]:
        done: dict[str, tuple[str, ExpectedContent]] = {}
        waiting: list[tuple[Planned, SmallItem]] = []
        many = self._link.writes_many() if isinstance(self._link, WritesMany) else False
        for one in batch:
            item = one.stored.item
            pieces = noticed(stream.pieces(one.stored), self._going)
            if not is_record(code) and not (many and item.size_bytes <= SMALL_BYTES):
                self._flush(code, waiting, done)
                self._write_one(code, one, pieces, counts, done)
                continue
            content = whole(pieces, item.name, counts)
            if content is None:
                continue
            waiting.append((one, SmallItem(id=self._target(one), name=item.name, content=content)))
            if not many or sum(len(small.content) for _, small in waiting) >= TOGETHER_BYTES:
                self._flush(code, waiting, done, many=many)
        self._flush(code, waiting, done, many=many)
        return done

    def _target(self, one: Planned) -> str | None:
        """Over what it is written: what it meets, or its own id on its own device; None for a new item."""
        if one.step is ConflictStep.REPLACE:
            return one.place
        return one.stored.item.id if one.step is ConflictStep.WRITE and self._same_device else None

    def _flush(
        self, code: str, waiting: list[tuple[Planned, SmallItem]], done: dict[str, tuple[str, ExpectedContent]], *, many: bool = True
    ) -> None:
        left = list(waiting)
        waiting.clear()
        while left:
            if many and isinstance(self._link, WritesMany):
                ids = self._link.write_many(code, [small for _, small in left])
                if not ids:
                    raise LinkCut("The device takes nothing more.")
            else:
                ids = [self._single(code, left[0][1].id, left[0][1].name, iter((left[0][1].content,)), len(left[0][1].content))]
            for (one, small), id in zip(left, ids, strict=False):
                expected = ExpectedContent(name=small.name, size_bytes=len(small.content), digest=digest(code, small.content))
                done[one.stored.item.id] = (id, expected)
            left = left[len(ids) :]

    def _write_one(
        self, code: str, one: Planned, pieces: Iterator[bytes], counts: KindReport, done: dict[str, tuple[str, ExpectedContent]]
    ) -> None:
        item, hashed = one.stored.item, hashlib.sha256()
        try:
            id = self._single(code, self._target(one), item.name, _hashing(pieces, hashed), item.size_bytes)
        except Damaged:
            counts.damaged.append(item.name)
            return
        done[item.id] = (id, ExpectedContent(name=item.name, size_bytes=item.size_bytes, digest=hashed.digest()))

    def _single(self, code: str, id: str | None, name: str, pieces: Iterator[bytes], size_bytes: int) -> str:
        if id is None:
            return self._link.create(code, name, pieces, size_bytes=size_bytes)
        self._link.replace(code, id, name, pieces, size_bytes=size_bytes)
        return id

    def prove(self, code: str, expected: dict[str, ExpectedContent], counts: KindReport) -> None:
        if not expected:
            return
        there = [item for item in self._link.inventory(code) if item.id in expected]
        digests = digests_there(self._link, code, there, on_item=self._going)
        sizes = {item.id: item.size_bytes for item in there}
        for id, wanted in expected.items():
            content = digests.get(id)
            if content is not None and wanted.digest is not None:
                is_there = content == wanted.digest
            else:
                is_there = id in sizes and (is_record(code) or sizes[id] == wanted.size_bytes)
                counts.proven_by = "size"
            counts.found += is_there
            if not is_there:
                counts.note_missing(wanted.name)

    def finish(self, report: Report) -> None:
        """Nothing comes last."""


def _hashing(pieces: Iterator[bytes], hashed: "hashlib._Hash") -> Iterator[bytes]:
    for piece in pieces:
        hashed.update(piece)
        yield piece
