"""A ZIP of open formats from the items of a backup, written piece by piece.

Contacts become one vCard file, events one calendar, conversations JSON, CSV and a page to read, flat records CSV and JSON; everything else
leaves as the file that it is, and so do files that a rule put among contacts or calendar. Items that cannot be read as their kind promises
leave as they came, in a folder `unreadable`. A `contents.json` lists what went where.
"""

import json
import stat
import struct
import zipfile
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from datetime import datetime
from typing import IO, Any

from core.content.items import Item
from core.content.kinds import Shape, kind
from core.content.paths import link_of, path_of, shown_path
from core.content.records import UnreadableRecord, record, rows
from core.exchange.calendar import calendar
from core.exchange.filenames import UniqueNames, plain_path, safe_part
from core.exchange.tables import csv_table
from core.exchange.talks import talks_page
from core.exchange.vcard import CardForm, card_bytes
from core.vault.errors import Damaged

Content = Callable[[], Iterator[bytes]]
"""Opens an item's content, piece by piece; may raise Damaged."""


@dataclass(slots=True, kw_only=True)
class ExportReport:
    written: dict[str, int] = field(default_factory=dict)
    """Items by kind."""
    damaged: list[tuple[str, str]] = field(default_factory=list)
    """(kind, name) of the items that the store could not give back."""
    renamed: list[tuple[str, str, str]] = field(default_factory=list)
    """(kind, name, path in the archive) of files whose own path not every system can hold."""


class Archive:
    """One export in the making."""

    def __init__(self, file: IO[bytes], *, now: datetime, cards: CardForm = CardForm.V4) -> None:
        self._zip = zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, allowZip64=True)
        self._file = file
        self._names = UniqueNames()
        self._now, self._cards = now, cards
        self._listing: list[dict[str, Any]] = []
        self.report = ExportReport()

    def add_kind(self, code: str, items: Iterable[tuple[Item, Content]]) -> None:
        """Every chosen item of one kind."""
        found = kind(code)
        if found.shape in (Shape.FILE, Shape.PICTURE):
            for item, content in items:
                self._add_file(found.label, item, content)
        else:
            self._add_records(code, items)

    def close(self) -> ExportReport:
        self._write("contents.json", json.dumps(self._listing, ensure_ascii=False, indent=1).encode())
        self._zip.close()
        return self.report

    def _add_records(self, code: str, items: Iterable[tuple[Item, Content]]) -> None:
        found, held = kind(code), []
        for item, content in items:
            if "mode" in (item.attributes or {}):  # a file that a rule put among these leaves as the file that it is
                self._add_file(found.label, item, content)
                continue
            try:
                held.append((item, record(b"".join(content()))))
            except UnreadableRecord:
                self._add_file(f"unreadable/{found.label}", item, content)
            except Damaged:
                self.report.damaged.append((code, item.name))
        if not held:
            return
        held.sort(key=lambda entry: entry[0].id)
        writer = {Shape.CONTACT: self._contacts, Shape.EVENT: self._events, Shape.CONVERSATION: self._conversations}
        paths = writer.get(found.shape, self._rows)(code, held)
        for item, _ in held:
            self._listed(code, item, paths[0])

    def _contacts(self, code: str, held: list[tuple[Item, dict[str, Any]]]) -> list[str]:
        return [self._write("Contacts.vcf", b"".join(card_bytes(told, uid=item.id, form=self._cards) for item, told in held))]

    def _events(self, code: str, held: list[tuple[Item, dict[str, Any]]]) -> list[str]:
        content, refused = calendar(((item.id, told) for item, told in held), now=self._now)
        paths = [self._write("Calendar.ics", content)]
        if refused:
            odd = [told for item, told in held if item.id in set(refused)]
            paths.append(self._write("Calendar, not understood.json", json.dumps(odd, ensure_ascii=False, indent=1).encode()))
        return paths

    def _conversations(self, code: str, held: list[tuple[Item, dict[str, Any]]]) -> list[str]:
        whole = [{"id": item.id, "name": item.name} | told for item, told in held]
        lines = [{"conversation": item.name} | message for item, told in held for message in rows(told.get("messages"))]
        table = csv_table(lines, first=("conversation", "at", "from", "text"))
        page = talks_page("Messages", ((item.name, told) for item, told in held))
        return [
            self._write("Messages.csv", table.encode("utf-8", "replace")),
            self._write("Messages.json", _json(whole)),
            self._write("Messages.html", page.encode("utf-8", "replace")),
        ]

    def _rows(self, code: str, held: list[tuple[Item, dict[str, Any]]]) -> list[str]:
        label = kind(code).label
        table = csv_table({"name": item.name} | told for item, told in held)
        return [
            self._write(f"{label}.csv", table.encode("utf-8", "replace")),
            self._write(f"{label}.json", _json([{"id": item.id, "name": item.name} | told for item, told in held])),
        ]

    def _add_file(self, folder: str, item: Item, content: Content) -> None:
        own = shown_path(path_of(item)) if "mode" in (item.attributes or {}) else item.name
        path = self._names.take("/".join([*(safe_part(part) for part in folder.split("/")), plain_path(own)]))
        info = _entry(path, item)
        points_to = link_of(item)
        if points_to is not None:
            self._zip.writestr(info, points_to.encode("utf-8", "surrogateescape"))
        elif not self._written(info, content):
            self.report.damaged.append((item.kind, item.name))
            return
        if not path.endswith(f"/{own}"):
            self.report.renamed.append((item.kind, own, path))
        self._listed(item.kind, item, path)

    def _written(self, info: zipfile.ZipInfo, content: Content) -> bool:
        """False when the store could not give it back; then nothing of it is in the archive."""
        damaged = False
        with self._zip.open(info, "w", force_zip64=True) as out:
            try:
                for piece in content():
                    out.write(piece)
            except Damaged:
                damaged = True
        if damaged:  # the next entry is written over the half one
            self._zip.filelist.remove(info)
            del self._zip.NameToInfo[info.filename]
            self._zip.start_dir = info.header_offset
            self._file.truncate(info.header_offset)
        return not damaged

    def add_folders(self, items: Iterable[Item]) -> None:
        """Folders of a backup in which nothing lies would be lost without an entry of their own."""
        label = kind("documents").label
        held = {parent for name in self._zip.NameToInfo for parent in _parents(name)}
        for item in items:
            path = f"{label}/{plain_path(shown_path(path_of(item)))}/"
            if path not in held and path not in self._zip.NameToInfo:
                self._zip.writestr(_entry(path, item), b"")

    def _listed(self, code: str, item: Item, path: str) -> None:
        self.report.written[code] = self.report.written.get(code, 0) + 1
        entry: dict[str, Any] = {"kind": code, "name": item.name, "modified": item.modified.isoformat(), "bytes": item.size_bytes}
        entry |= {"file": path} | ({"attributes": item.attributes} if item.attributes else {})
        self._listing.append(entry)

    def _write(self, path: str, content: bytes) -> str:
        path = self._names.take(path)
        self._zip.writestr(path, content)
        return path


def _json(value: object) -> bytes:
    return json.dumps(value, ensure_ascii=False, indent=1).encode("utf-8", "replace")


def _entry(path: str, item: Item) -> zipfile.ZipInfo:
    """With the mode and the sort of a Unix file, and its time to the second in UTC (extra field 0x5455 of Info-ZIP's
    appnote, "extended timestamp"; from memory)."""
    mode = int((item.attributes or {}).get("mode", 0o755 if path.endswith("/") else 0o644)) & 0o777
    sort = stat.S_IFLNK if link_of(item) is not None else stat.S_IFDIR if path.endswith("/") else stat.S_IFREG
    info = zipfile.ZipInfo(path, date_time=_zip_time(item.modified))
    info.compress_type = zipfile.ZIP_DEFLATED
    info.create_system = 3
    info.external_attr = (sort | mode) << 16 | (0x10 if path.endswith("/") else 0)
    seconds = int(item.modified.timestamp())
    if -(2**31) <= seconds < 2**31:
        info.extra = struct.pack("<HHBi", 0x5455, 5, 1, seconds)
    return info


def _parents(name: str) -> Iterator[str]:
    at = name.find("/")
    while at != -1:
        yield name[: at + 1]
        at = name.find("/", at + 1)


def _zip_time(instant: datetime) -> tuple[int, int, int, int, int, int]:
    year = min(2107, max(1980, instant.year))
    return (year, instant.month, instant.day, instant.hour, instant.minute, instant.second)
