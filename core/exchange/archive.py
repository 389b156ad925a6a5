"""An export of open formats from the items of a backup, written piece by piece into a container.

Contacts become one vCard file, events one calendar, mails one mailbox, conversations JSON, CSV and a page to read, flat records CSV and
JSON; everything else leaves as the file that it is, and so do files that a rule put among these. Items that cannot be read as their kind
promises leave as they came, in a folder `unreadable`. `contents.json` lists what went where, changed names included.

One record is held at a time, however many there are: what stands in several files is read once for each of them.
"""

import json
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import lru_cache, partial
from itertools import chain
from typing import Any

from core.content.items import Item
from core.content.kinds import Kind, KindShape, kind
from core.content.paths import link_of, path_of, shown_path
from core.content.records import UnreadableRecord, record, rows
from core.exchange import mbox
from core.exchange.calendar import calendar_pieces, zones_of
from core.exchange.containers import Container, NotHeld, made
from core.exchange.filenames import UniqueNames, plain_path, safe_part
from core.exchange.tables import csv_line
from core.exchange.tables import csv_row as csv_row_of
from core.exchange.talks import talks_pieces
from core.exchange.vcard import CardForm, card_bytes
from core.vault.errors import Damaged

Content = Callable[[], Iterator[bytes]]
"""Opens an item's content, piece by piece; may raise Damaged."""
Opening = Callable[[], Iterable[tuple[Item, Content]]]
"""Every chosen item of one kind, from the first: asked for as often as it is needed."""
Told = tuple[Item, dict[str, Any]]

LISTING = "contents.json"
_PIECE_BYTES = 1 << 18
_LINE = json.JSONEncoder(ensure_ascii=False)
MAILBOX = "Mail.mbox"


@dataclass(slots=True, kw_only=True)
class ExportReport:
    written: dict[str, int] = field(default_factory=dict)
    """Items by kind."""
    damaged: list[tuple[str, str]] = field(default_factory=list)
    """(kind, name) of the items that the store could not give back."""
    renamed: list[tuple[str, str, str]] = field(default_factory=list)
    """(kind, name, path in the archive) of files whose own path not every system can hold."""
    refused: list[tuple[str, str, str]] = field(default_factory=list)
    """(kind, name, reason) of files that the container cannot hold."""


class Archive:
    """One export in the making."""

    def __init__(self, into: Container, *, now: datetime, cards: CardForm = CardForm.V4) -> None:
        self._into, self._now, self._cards = into, now, cards
        self._avoided = {ord(letter): "_" for letter in into.avoids}
        self._names = UniqueNames()
        self._held = set[str]()
        """Folders in which something lies."""
        self._listing = bytearray()
        self.report = ExportReport()

    def add_kind(self, code: str, opening: Opening) -> None:
        """Every chosen item of one kind. Raises StoreError."""
        of_kind = kind(code)
        if code == "mail":
            self._add_mails(of_kind, opening)
        elif of_kind.shape in (KindShape.FILE, KindShape.PICTURE):
            self._add_files(of_kind.label, opening())
        else:
            self._add_records(of_kind, opening)

    def add_folders(self, items: Iterable[Item]) -> None:
        """Folders of a backup in which nothing lies would be lost without an entry of their own."""
        label = kind("documents").label
        for item in items:
            path = f"{label}/{self._fit(shown_path(path_of(item)))}"
            if path not in self._held:
                self._note_parents(f"{path}/")
                self._kept("documents", item, partial(self._into.folder, path, item))

    def close(self) -> ExportReport:
        """Raises StoreError."""
        self._into.file(LISTING, made(LISTING, at=self._now), self._listed_pieces(), packs=True)
        self._into.close()
        return self.report

    def _listed_pieces(self) -> Iterator[bytes]:
        yield b"[\n"
        for at in range(0, len(self._listing), _PIECE_BYTES):
            yield bytes(self._listing[at : at + _PIECE_BYTES])
        yield b"\n]\n" if self._listing else b"]\n"

    # -- records

    def _add_records(self, of_kind: Kind, opening: Opening) -> None:
        files, unreadable = set[str](), set[str]()
        first = _First(self, of_kind, opening, files, unreadable)
        writers = {KindShape.CONTACT: self._contacts, KindShape.EVENT: self._events, KindShape.CONVERSATION: self._conversations}
        writers.get(of_kind.shape, self._rows)(of_kind, first, lambda: _again(opening))
        if files:
            self._add_files(of_kind.label, (entry for entry in opening() if entry[0].id in files))
        if unreadable:
            self._add_files(f"unreadable/{of_kind.label}", (entry for entry in opening() if entry[0].id in unreadable))

    def _contacts(self, of_kind: Kind, first: "_First", again: Callable[[], Iterator[Told]]) -> None:
        first.path = self._names.take("Contacts.vcf")
        self._written(first.path, (card_bytes(fields, uid=item.id, form=self._cards) for item, fields in first))

    def _events(self, of_kind: Kind, first: "_First", again: Callable[[], Iterator[Told]]) -> None:
        first.path = self._names.take("Calendar.ics")
        zones, refused = zones_of(fields for _, fields in again()), set[str]()
        events = ((item.id, fields) for item, fields in first)
        self._written(first.path, calendar_pieces(events, now=self._now, zones=zones, on_refused=refused.add), packs=True)
        if refused:
            odd = (fields for item, fields in again() if item.id in refused)
            self._written(self._names.take("Calendar, not understood.json"), _array(odd), packs=True)

    def _conversations(self, of_kind: Kind, first: "_First", again: Callable[[], Iterator[Told]]) -> None:
        def messages() -> Iterator[dict[str, Any]]:
            for item, fields in again():
                for message in rows(fields.get("messages")):
                    yield {"conversation": item.name} | message

        first.path = self._names.take("Messages.json")
        columns = set[str]()
        self._written(first.path, _array(_named(first, columns, nested="messages")), packs=True)
        if first.count:
            self._written(self._names.take("Messages.csv"), _table(messages(), _columns(columns, _TALK_FIRST)), packs=True)
            page = talks_pieces("Messages", ((item.name, fields) for item, fields in again()))
            self._written(self._names.take("Messages.html"), page, packs=True)

    def _rows(self, of_kind: Kind, first: "_First", again: Callable[[], Iterator[Told]]) -> None:
        first.path = self._names.take(f"{of_kind.label}.json")
        columns = set[str]()
        self._written(first.path, _array(_named(first, columns)), packs=True)
        if first.count:
            lines = ({"name": item.name} | fields for item, fields in again())
            self._written(self._names.take(f"{of_kind.label}.csv"), _table(lines, _columns(columns | {"name"})), packs=True)

    # -- mails and files

    def _add_mails(self, of_kind: Kind, opening: Opening) -> None:
        """A file that a rule put among mail leaves as the file that it is, and so does what is no mail, or very large."""
        others, path = set[str](), self._names.take(MAILBOX)

        def entries() -> Iterator[bytes]:
            for item, content in opening():
                if "mode" in (item.attributes or {}) or item.size_bytes > mbox.MOST_BYTES:
                    others.add(item.id)
                    continue
                try:
                    whole = b"".join(content())
                except Damaged:
                    self.report.damaged.append((item.kind, item.name))
                    continue
                if not mbox.is_message(whole):
                    others.add(item.id)
                    continue
                self.listed(item.kind, item, path)
                yield mbox.entry(whole, at=item.modified)

        self._written(path, entries())
        if others:
            self._add_files(of_kind.label, (entry for entry in opening() if entry[0].id in others))

    def _add_files(self, folder: str, entries: Iterable[tuple[Item, Content]]) -> None:
        for item, content in entries:
            self._add_file(folder, item, content)

    def _add_file(self, folder: str, item: Item, content: Content) -> None:
        is_file = "mode" in (item.attributes or {})
        own = shown_path(path_of(item)) if is_file else item.name
        path = self._names.take(f"{_safe_folder(folder)}/{self._fit(own)}")
        if not self._kept(item.kind, item, partial(self._put, path, item, content)):
            return
        if not path.endswith(f"/{own}"):
            self.report.renamed.append((item.kind, own, path))
        self._note_parents(path)
        if is_file:  # its own folder is not empty, wherever its kind lies
            self._note_parents(f"{kind('documents').label}/{self._fit(own)}")
        self.listed(item.kind, item, path)

    def _fit(self, own: str) -> str:
        return plain_path(own).translate(self._avoided) if self._avoided else plain_path(own)

    def _put(self, path: str, item: Item, content: Content) -> None:
        if link_of(item) is not None:
            self._into.link(path, item)
        else:
            self._into.file(path, item, content())

    def _kept(self, code: str, item: Item, put: Callable[[], None]) -> bool:
        """False when the store could not give it back, or the container cannot hold it; then nothing of it is there."""
        try:
            put()
        except Damaged:
            self.report.damaged.append((code, item.name))
            return False
        except NotHeld as error:
            self.report.refused.append((code, item.name, error.message))
            return False
        return True

    def _written(self, path: str, pieces: Iterator[bytes], *, packs: bool = False) -> None:
        """Unless nothing comes."""
        first = next(pieces, None)
        if first is not None:
            self._into.file(path, made(path, at=self._now), chain((first,), pieces), packs=packs)

    def _note_parents(self, path: str) -> None:
        at = path.find("/")
        while at != -1:
            self._held.add(path[:at])
            at = path.find("/", at + 1)

    def listed(self, code: str, item: Item, path: str) -> None:
        self.report.written[code] = self.report.written.get(code, 0) + 1
        entry: dict[str, Any] = {"kind": code, "id": item.id, "name": item.name, "modified": item.modified.isoformat()}
        entry |= {"bytes": item.size_bytes, "file": path} | ({"attributes": item.attributes} if item.attributes else {})
        self._listing += (b",\n" if self._listing else b"") + _LINE.encode(entry).encode("utf-8", "replace")

    def note_damaged(self, item: Item) -> None:
        self.report.damaged.append((item.kind, item.name))


@lru_cache(maxsize=64)
def _safe_folder(folder: str) -> str:
    return "/".join(safe_part(part) for part in folder.split("/"))


class _First:
    """The records of a kind as they come for the first time: each is listed, and what is none is remembered by its id."""

    def __init__(self, archive: Archive, of_kind: Kind, opening: Opening, files: set[str], unreadable: set[str]) -> None:
        self._archive, self._found, self._opening = archive, of_kind, opening
        self._files, self._unreadable = files, unreadable
        self.path, self.count = "", 0

    def __iter__(self) -> Iterator[Told]:
        for item, content in self._opening():
            if "mode" in (item.attributes or {}):  # a file that a rule put among these leaves as the file that it is
                self._files.add(item.id)
                continue
            try:
                fields = record(b"".join(content()))
            except UnreadableRecord:
                self._unreadable.add(item.id)
                continue
            except Damaged:
                self._archive.note_damaged(item)
                continue
            self.count += 1
            self._archive.listed(self._found.code, item, self.path)
            yield item, fields


def _again(opening: Opening) -> Iterator[Told]:
    """The same records once more; what is none was noted the first time."""
    for item, content in opening():
        if "mode" in (item.attributes or {}):
            continue
        try:
            yield item, record(b"".join(content()))
        except (UnreadableRecord, Damaged):
            continue


_TALK_FIRST = ("conversation", "at", "from", "text")


def _named(records: Iterable[Told], columns: set[str], *, nested: str = "") -> Iterator[dict[str, Any]]:
    """Records with their ids and names; `columns` gets the fields of each, or of the rows in its field `nested`."""
    for item, fields in records:
        for row in rows(fields.get(nested)) if nested else (fields,):
            columns.update(row)
        yield {"id": item.id, "name": item.name} | fields


def _columns(names: set[str], first: Sequence[str] = ()) -> list[str]:
    return list(dict.fromkeys([*first, *sorted(names)]))


def _table(lines: Iterable[dict[str, Any]], columns: Sequence[str]) -> Iterator[bytes]:
    yield csv_line(columns).encode("utf-8", "replace")
    for line in lines:
        yield csv_row_of(line, columns).encode("utf-8", "replace")


def _array(values: Iterable[object]) -> Iterator[bytes]:
    """A JSON array, a line or more each; nothing at all when nothing comes."""
    before = b"[\n"
    for value in values:
        yield before + json.dumps(value, ensure_ascii=False, indent=1).encode("utf-8", "replace")
        before = b",\n"
    if before != b"[\n":
        yield b"\n]\n"
