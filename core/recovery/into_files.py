"""Into a place that keeps files: the same path is the same file, and what is there is read back to be compared.

Folders come last, with their times, so that no later write changes them.
"""

from collections.abc import Callable, Iterator, Sequence
from typing import Any, Protocol

from core.content.digests import file_digest, file_digest_of
from core.content.errors import PlaceRefuses, PlaceTaken
from core.content.items import Item
from core.content.kinds import FOLDERS
from core.content.link import DeviceLink, HoldsFiles
from core.content.paths import item_id, link_of, path_of, shown_path
from core.exchange.filenames import UniqueNames
from core.recovery.comparing import FILES, digests_stored, digests_there, link_digest
from core.recovery.conflicts import STEPS, ConflictStep, WhenThere
from core.recovery.placing import WantedPath, converted, fitted, is_file, variant, wanted
from core.recovery.report import KindReport, Report
from core.recovery.restore import ExpectedContent, Going, Planned, noticed, whole
from core.recovery.stream import Stream
from core.vault.errors import Damaged
from core.vault.manifests import Stored
from core.vault.vault import Vault

MOST_VARIANTS = 1000


class WritableFiles(DeviceLink, HoldsFiles, Protocol):
    """A place that is read and written by paths."""


class IntoFiles:
    """One place."""

    def __init__(self, vault: Vault, link: WritableFiles, *, when_there: WhenThere, folders: Sequence[Stored] = (), going: Going) -> None:
        """`folders`: those of the backup that belong to what is restored, to be made with their times and modes."""
        self._vault, self._link, self._when_there, self._going = vault, link, when_there, going
        self._folders = folders
        self._names = UniqueNames()
        self._wanted: dict[tuple[str, str], WantedPath] = {}
        self._digests: dict[tuple[str, str], bytes | None] = {}
        self._sizes: dict[tuple[str, str], int] = {}
        self._back: dict[str, bytes | None] = {}
        self._there: dict[str, Item] | None = None

    def _listed(self) -> dict[str, Item]:
        """Everything that is there, by path."""
        if self._there is None:
            kinds = [code for code in self._link.kinds() if code != FOLDERS]
            self._there = {path_of(item): item for code in kinds for item in self._link.inventory(code)}
        return self._there

    # -- planning

    def prepare(self, code: str, chosen: Sequence[Stored]) -> None:
        self._wanted |= {_place(one.stored): one for one in wanted(chosen, self._names)}

    def plan(self, code: str, chosen: Sequence[Stored], begun: frozenset[str], counts: KindReport) -> list[Planned]:
        there = self._listed()
        places = [self._wanted[_place(stored)] for stored in chosen]
        meets = {_place(one.stored): self._variants(one.path) for one in places if one.path in there}
        self._compare([one for one in places if one.path in there], meets)
        return [self._planned(one, meets.get(_place(one.stored), [])) for one in places]

    def _variants(self, path: str) -> list[str]:
        """The paths under which it may be there: its own, and those that an earlier restore beside it took."""
        paths, number = [path], 2
        while number < MOST_VARIANTS and variant(path, number) in self._listed():
            paths.append(variant(path, number))
            number += 1
        return paths

    def _compare(self, places: Sequence[WantedPath], meets: dict[tuple[str, str], list[str]]) -> None:
        """Read back what may be the same; only what has the same length can be."""
        there, back, asked = self._listed(), dict[str, Item](), list[WantedPath]()
        for one in places:
            met = [there[path] for path in meets[_place(one.stored)]]
            alike = [item for item in met if one.converts or item.size_bytes == one.stored.item.size_bytes]
            if alike:
                asked.append(one)
                back |= {item.id: item for item in alike}
        digests = digests_there(self._link, FILES, list(back.values()), on_item=self._going)
        self._back |= {path_of(item): digests[item.id] for item in back.values()}
        self._learn(asked)

    def _learn(self, places: Sequence[WantedPath]) -> None:
        """Digests of what was stored, in the form in which it is written."""
        plain = [one.stored for one in places if not one.converts and _place(one.stored) not in self._digests]
        self._digests |= digests_stored(self._vault, plain, on_item=self._going, raw=True)
        for one in places:
            place = _place(one.stored)
            if one.converts and place not in self._digests:
                content = self._content_of(one.stored)
                self._digests[place] = None if content is None else file_digest_of([content])
                self._sizes[place] = 0 if content is None else len(content)

    def _content_of(self, stored: Stored) -> bytes | None:
        self._going()
        try:
            return converted(stored.item, b"".join(self._vault.read(stored)))
        except Damaged:
            return None

    def _planned(self, one: WantedPath, variants: Sequence[str]) -> Planned:
        if not variants:
            return Planned(stored=one.stored, step=ConflictStep.WRITE, place=one.path)
        own = self._digests.get(_place(one.stored))
        for path in variants:
            if own is not None and self._back.get(path) == own:
                return Planned(stored=one.stored, step=ConflictStep.SAME, place=item_id(path))
        step = STEPS[self._when_there]
        free = variant(one.path, len(variants) + 1) if step is ConflictStep.ADD else one.path
        return Planned(stored=one.stored, step=step, place=free)

    def expected(self, code: str, planned: Sequence[Planned]) -> dict[str, ExpectedContent]:
        self._learn([self._wanted[_place(one.stored)] for one in planned])
        return {one.place: self._told(one.stored) for one in planned if one.place is not None}

    def _told(self, stored: Stored) -> ExpectedContent:
        place = _place(stored)
        size_bytes = self._sizes.get(place, stored.item.size_bytes)
        return ExpectedContent(name=shown_path(self._wanted[place].path), size_bytes=size_bytes, digest=self._digests.get(place))

    # -- writing

    def write(self, code: str, batch: Sequence[Planned], stream: Stream, counts: KindReport) -> dict[str, tuple[str, ExpectedContent]]:
        done: dict[str, tuple[str, ExpectedContent]] = {}
        for one in batch:
            item, place = one.stored.item, _place(one.stored)
            if link_of(item) is not None:
                where = self._write_link(one, counts)
            elif self._wanted[place].converts:
                where = self._write_record(one, stream, counts)
            else:
                where = self._write_file(one, stream, counts)
            if where is not None:
                done[item.id] = (where, self._told(one.stored))
        return done

    def _write_link(self, one: Planned, counts: KindReport) -> str | None:
        item = one.stored.item
        self._digests[_place(one.stored)] = link_digest(item)
        return self._settled(one, lambda path, over: self._link.put_link(path, item, over=over), counts)

    def _write_file(self, one: Planned, stream: Stream, counts: KindReport) -> str | None:
        item, place, tries = one.stored.item, _place(one.stored), 0

        def put(path: str, over: bool) -> str:
            nonlocal tries
            tries += 1
            # what was taken from the stream is gone: another try reads the item by itself
            pieces = stream.pieces(one.stored) if tries == 1 else self._vault.read(one.stored)
            hashed = file_digest()
            where = self._link.put(path, item, _hashing(noticed(pieces, self._going), hashed), over=over)
            self._digests[place] = hashed.digest()
            return where

        try:
            return self._settled(one, put, counts)
        except Damaged:
            counts.damaged.append(item.name)
            return None

    def _write_record(self, one: Planned, stream: Stream, counts: KindReport) -> str | None:
        item, place = one.stored.item, _place(one.stored)
        content = whole(noticed(stream.pieces(one.stored), self._going), item.name, counts)
        if content is None:
            return None
        content = converted(item, content)
        self._digests[place], self._sizes[place] = file_digest_of([content]), len(content)
        return self._settled(one, lambda path, over: self._link.put(path, item, iter((content,)), over=over), counts)

    def _settled(self, one: Planned, put: Callable[[str, bool], str], counts: KindReport) -> str | None:
        """The id under which it lies now; under another name where the place does not hold its own, which is noted."""
        assert one.place is not None
        own = self._wanted[_place(one.stored)]
        path, number, over = one.place, 1, one.step is ConflictStep.REPLACE
        shown = shown_path(own.path) if own.converts or is_file(one.stored.item) else one.stored.item.name
        while True:
            try:
                put(variant(path, number), over)
            except PlaceTaken:
                number += 1
                over = False
                if number > MOST_VARIANTS:
                    counts.refused.append((shown, "Something of this name is there already, in a thousand variants."))
                    return None
            except PlaceRefuses as error:
                if path == fitted(path):
                    counts.refused.append((shown, error.message))
                    return None
                path, number = fitted(path), 1
            else:
                where = variant(path, number)
                if shown_path(where) != shown and one.step is not ConflictStep.ADD:
                    counts.renamed.append((shown, shown_path(where)))
                return item_id(where)

    # -- proving

    def prove(self, code: str, expected: dict[str, ExpectedContent], counts: KindReport) -> None:
        if not expected:
            return
        self._there = None
        items = [item for item in self._listed().values() if item.id in expected]
        digests = digests_there(self._link, FILES, items, on_item=self._going)
        for id, digest in expected.items():
            is_there = digest.digest is not None and digests.get(id) == digest.digest
            counts.found += is_there
            if not is_there:
                counts.note_missing(digest.name)

    def finish(self, report: Report) -> None:
        """Folders, those further down first."""
        for stored in sorted(self._folders, key=lambda stored: path_of(stored.item), reverse=True):
            self._going()
            try:
                self._link.put_folder(path_of(stored.item), stored.item)
            except PlaceRefuses as error:
                counts = report.setdefault(FOLDERS, KindReport())
                counts.refused.append((shown_path(path_of(stored.item)), error.message))


def _place(stored: Stored) -> tuple[str, str]:
    return (stored.item.kind, stored.item.id)


def _hashing(pieces: Iterator[bytes], hashed: Any) -> Iterator[bytes]:
    for piece in pieces:
        hashed.update(piece)
        yield piece
