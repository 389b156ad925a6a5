"""What was backed up before Old Attic came, as a device that can be read: folders, archives, cards, calendars, mail.

`.vcf` and `.ics` files become one item a card or event, an mbox one item a mail; everything else is the file
that it is. Pictures carry the date on which they were taken. Read only.
"""

import hashlib
import json
import mailbox
import os
import tempfile
from collections.abc import Callable, Iterator, Sequence
from datetime import UTC, datetime, tzinfo
from email.parser import BytesHeaderParser
from email.utils import parsedate_to_datetime
from pathlib import Path, PurePosixPath
from typing import IO

from adapters.guard import port
from adapters.links.exif import HEAD_BYTES, taken_at
from adapters.links.own_export import Row, attributes_of, own_export
from adapters.links.sources import BROKEN, Entry, LeftAside, Source, pieces, source_at
from core.content.classify import NOTHING, FileRule, kind_of_file
from core.content.errors import DeviceLied, LinkFault
from core.content.items import Item, checked_inventory, clean_name
from core.content.kinds import KINDS
from core.content.link import DeviceReport
from core.content.records import UnreadableRecord
from core.exchange.contentlines import Block
from core.exchange.read_calendar import event, events
from core.exchange.read_vcard import cards, contact
from core.exchange.vcard import keep_card

MAX_MAIL_BYTES = 256 << 20
_KEPT = "the file is kept whole among documents"
Reader = Callable[[], Iterator[bytes]]
Attributes = dict[str, int | str] | None


@port(LinkFault, "The old backup")
class GatheredLink:
    """One folder, archive or file. Closed by whoever opened it."""

    def __init__(self, path: Path, *, zone: tzinfo, rules: Sequence[FileRule] = ()) -> None:
        self._path, self._zone, self._rules = path, zone, rules
        self._source: Source | None = None
        self._found: dict[str, dict[str, tuple[Item, Reader]]] = {}
        self._spool: IO[bytes] | None = None

    def state(self) -> DeviceReport:
        self._listing()
        return DeviceReport(make="", model="Brought in", family="folder", os_version="", data_access=True)

    def kinds(self) -> list[str]:
        held = self._listing()
        return [kind for kind in KINDS if kind in held]

    def inventory(self, kind: str) -> list[Item]:
        return checked_inventory([item for item, _ in self._listing().get(kind, {}).values()], kind=kind)

    def read(self, item: Item) -> Iterator[bytes]:
        held = self._listing().get(item.kind, {}).get(item.id)
        if held is None:
            raise DeviceLied("There is no such item in it.")
        return held[1]()

    def left_aside(self) -> list[LeftAside]:
        """What is in it and was not taken, with the reason."""
        self._listing()
        assert self._source is not None
        return self._source.left_aside

    def close(self) -> None:
        if self._source is not None:
            self._source.close()
        if self._spool is not None:
            self._spool.close()
        self._source, self._spool, self._found = None, None, {}

    def _listing(self) -> dict[str, dict[str, tuple[Item, Reader]]]:
        if self._source is None:
            source = source_at(self._path, zone=self._zone)
            self._source, self._spool = source, tempfile.TemporaryFile()  # noqa: SIM115 - closed with the link
            own = own_export(source)
            if own is not None:
                own.links(self._keep_own)
            for entry in source.entries:
                try:
                    if own is None or not own.takes(entry, self._keep_own):
                        self._take(source, entry)
                except BROKEN:
                    source.leave(entry.path, "it is damaged inside the archive")
        return self._found

    def _keep_own(self, kind: str, id: str, row: Row, modified: datetime, content: bytes | Entry) -> None:
        """An item of our own export."""
        name, attributes = str(row["name"]), attributes_of(row) or None
        if isinstance(content, bytes):
            self._spooled(kind, id, name, content, modified, attributes)
            return
        tag = f"{int(modified.timestamp()):x}-{content.size_bytes:x}"
        self._add(kind, id, name, content.size_bytes, modified, tag, lambda: pieces(content), attributes)

    def _take(self, source: Source, entry: Entry) -> None:
        match PurePosixPath(entry.path).suffix.casefold():
            case ".vcf":
                self._cards(source, entry)
            case ".ics":
                self._events(source, entry)
            case ".mbox":
                self._mails(source, entry)
            case _:
                self._file(entry)

    def _file(self, entry: Entry) -> None:
        kind = kind_of_file(PurePosixPath(entry.path), self._rules)
        if kind == NOTHING:
            return
        modified = entry.modified
        if kind == "photos":
            with entry.open() as file:
                modified = taken_at(file.read(min(HEAD_BYTES, entry.size_bytes)), zone=self._zone) or modified
        tag = f"{int(entry.modified.timestamp()):x}-{entry.size_bytes:x}"
        self._add(kind, entry.path, entry.path, entry.size_bytes, modified, tag, lambda: pieces(entry))

    def _cards(self, source: Source, entry: Entry) -> None:
        whole = True
        for block in cards(pieces(entry)):
            if block.trouble:
                whole = False
                source.leave(f"card {block.number} of {entry.path}", f"{block.trouble}; {_KEPT}")
                continue
            uid, record = contact(block)
            keep_card(record, bytes(block.raw))
            name = str(record.get("display") or " ".join(str(part) for part in dict(record.get("name") or {}).values()) or "(no name)")
            self._record("contacts", uid or f"{entry.path}#{block.number}", name, record, entry.modified)
        if not whole:
            self._keep_file(entry)

    def _events(self, source: Source, entry: Entry) -> None:
        whole = True
        for block, zones in events(pieces(entry)):
            place = f"event {block.number} of {entry.path}"
            try:
                if block.trouble:
                    raise UnreadableRecord(block.trouble)
                uid, record = event(block, zones)
            except UnreadableRecord as error:
                whole = False
                source.leave(place, f"{error.message.rstrip('.')}; {_KEPT}")
                continue
            own = f"{uid} {_recurrence(block)}".strip() if uid else f"{entry.path}#{block.number}"
            record |= {"uid": uid} if uid else {}
            modified = _entered_at(block) or entry.modified  # when it is may lie years ahead
            self._record("calendar", own, str(record.get("title") or "(no title)"), record, modified)
        if not whole:
            self._keep_file(entry)

    def _keep_file(self, entry: Entry) -> None:
        """Beside what was understood of it: nothing is lost."""
        tag = f"{int(entry.modified.timestamp()):x}-{entry.size_bytes:x}"
        self._add("documents", entry.path, entry.path, entry.size_bytes, entry.modified, tag, lambda: pieces(entry))

    def _mails(self, source: Source, entry: Entry) -> None:
        """An mbox is copied out of its archive first, because it is read at several places; into a file that has no name."""
        with tempfile.TemporaryFile() as file:
            for piece in pieces(entry):
                file.write(piece)
            file.flush()
            box = mailbox.mbox(f"/proc/self/fd/{file.fileno()}", create=False)
            try:
                for number, key in enumerate(box.iterkeys(), start=1):
                    self._mail(source, entry, number, box.get_bytes(key))
            finally:
                box.close()

    def _mail(self, source: Source, entry: Entry, number: int, content: bytes) -> None:
        if len(content) > MAX_MAIL_BYTES:
            source.leave(f"mail {number} of {entry.path}", "it is larger than 256 MiB")
            return
        head = BytesHeaderParser().parsebytes(content[: 256 * 1024])
        subject = clean_name(str(head.get("Subject") or "(no subject)"))[:200]
        own = str(head.get("Message-ID") or "").strip()[:300] or f"{entry.path}#{number}"
        folder = PurePosixPath(entry.path).with_suffix("").as_posix()
        self._spooled("mail", own, f"{folder}/{subject}.eml", content, _mail_time(head.get("Date"), self._zone) or entry.modified)

    def _record(self, kind: str, id: str, name: str, record: dict[str, object], modified: datetime) -> None:
        self._spooled(kind, id, name, json.dumps(record, ensure_ascii=False).encode("utf-8", "replace"), modified)

    def _spooled(self, kind: str, id: str, name: str, content: bytes, modified: datetime, attributes: Attributes = None) -> None:
        assert self._spool is not None
        start = self._spool.seek(0, os.SEEK_END)
        self._spool.write(content)
        self._spool.flush()
        tag = hashlib.sha256(content).hexdigest()[:32]
        self._add(kind, id, name, len(content), modified, tag, lambda: self._from_spool(start, len(content)), attributes)

    def _from_spool(self, start: int, length: int) -> Iterator[bytes]:
        assert self._spool is not None
        yield os.pread(self._spool.fileno(), length, start)

    def _add(
        self, kind: str, id: str, name: str, size_bytes: int, modified: datetime, tag: str, reader: Reader, attributes: Attributes = None
    ) -> None:
        held = self._found.setdefault(kind, {})
        first, number = clean_name(id)[:480], 1
        own = first
        while own in held:
            if held[own][0].tag == tag and held[own][0].size_bytes == size_bytes and kind in ("contacts", "calendar", "mail"):
                return  # the same card stands in two files
            number += 1
            own = f"{first} ({number})"
        item = Item(
            kind=kind, id=own, name=clean_name(name)[:1000], size_bytes=size_bytes, modified=modified, tag=tag, attributes=attributes
        )
        held[own] = (item, reader)


def _recurrence(block: Block) -> str:
    """Which occurrence of a series an event replaces: such events share their UID."""
    return next((line.partition(":")[2] for line in block.lines if line.upper().startswith("RECURRENCE-ID")), "")


def _entered_at(block: Block) -> datetime | None:
    """When somebody last changed it: its LAST-MODIFIED, else CREATED, else DTSTAMP, which are UTC (RFC 5545 §3.8.7)."""
    fields = {name.upper(): value.strip() for name, _, value in (line.partition(":") for line in block.lines)}
    for name in ("LAST-MODIFIED", "CREATED", "DTSTAMP"):
        try:
            return datetime.strptime(fields.get(name, ""), "%Y%m%dT%H%M%SZ").replace(tzinfo=UTC)
        except ValueError:
            continue
    return None


def _mail_time(value: object, zone: tzinfo) -> datetime | None:
    try:
        moment = parsedate_to_datetime(str(value)) if value else None
        return None if moment is None else (moment if moment.tzinfo else moment.replace(tzinfo=zone)).astimezone(UTC)
    except (ValueError, TypeError, OverflowError, IndexError):
        return None
