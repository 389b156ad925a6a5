"""The SFTP link: a device that runs an SFTP server (SSH File Transfer Protocol, version 3).

Files are items, sorted into kinds as in a folder; symbolic links and folders are carried and never followed. What may
not be read, by itself or with everything below it, is named and stops nothing. Reads go on at the byte where a cut
ended them. SFTP has no lock, battery or network to tell of.
"""

import contextlib
import logging
import posixpath
import secrets
import stat
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import UTC, datetime

import paramiko

from adapters.guard import port
from adapters.links.sftp_reading import Fetch, SftpReading
from adapters.links.sftp_session import Session, Sftp, no_access, wrapped
from adapters.links.tree import OURS
from core.content.classify import NOTHING, FileRule, kind_below, kind_of_name, ruled
from core.content.errors import DataAccessOff, DeviceAway, DeviceLied, ItemNotTaken, LinkCut, LinkFault, PlaceRefuses, PlaceTaken
from core.content.items import MAX_ITEMS, Item, checked_inventory
from core.content.kinds import FOLDERS, KINDS
from core.content.link import DeviceReport, NotRead
from core.content.paths import decoded, item_id, link_attribute, link_of, name_attribute, path_bytes, path_of, shown_path

log = logging.getLogger("attic.links")
MAX_PATH_BYTES = 4000
LOOK_SECONDS = 600
TRIES = 4
Facts = paramiko.SFTPAttributes


@port(LinkFault, "The device")
class SftpLink:
    """One device, connected when it is first asked something."""

    def __init__(self, where: Sftp, rules: Sequence[FileRule] = (), *, timeout_seconds: float = 20) -> None:
        self._where, self._rules, self._timeout = where, rules, timeout_seconds
        self._open: Session | None = None
        self._found: dict[str, dict[str, Item]] | None = None
        self._ruled_out: list[tuple[str, int]] = []
        self._not_read: list[NotRead] = []
        self._following: Iterator[Item] = iter(())
        self._reading: SftpReading | None = None
        self._made: set[bytes] = set()

    def state(self) -> DeviceReport:
        session = self._session()
        with wrapped(self._where.host):
            room = session.room()
        total_bytes, free_bytes = room or (None, None)
        used_bytes = None if total_bytes is None or free_bytes is None else total_bytes - free_bytes
        return DeviceReport(
            make="", model="SFTP", family="folder", os_version="", data_access=True,
            storage_total_bytes=total_bytes, storage_used_bytes=used_bytes, free_bytes=free_bytes,
        )  # fmt: skip

    def kinds(self) -> list[str]:
        held = self._listing()
        return [kind for kind in (*KINDS, FOLDERS) if kind in held]

    def inventory(self, kind: str) -> list[Item]:
        return checked_inventory(self._listing().get(kind, {}).values(), kind=kind)

    def not_read(self) -> list[NotRead]:
        self._listing()
        return self._not_read

    def files(self) -> list[tuple[str, int]]:
        """(path, bytes) of every file, those included that a rule leaves out: for the preview of rules."""
        listing = self._listing()
        return [(path_of(item), item.size_bytes) for kind, held in listing.items() if kind != FOLDERS for item in held.values()] + [
            *self._ruled_out
        ]

    def expect(self, items: Iterable[Item]) -> None:
        self._following, self._reading = (item for item in items if _has_content(item)), None

    def read(self, item: Item) -> Iterator[bytes]:
        if not _has_content(item):
            return
        if not _is_inside(path_of(item)):
            raise DeviceLied("Its path lies outside of the folder.")
        done, tries = 0, 0
        while True:
            try:
                for piece in self._read_from(item, done):
                    done += len(piece)
                    yield piece
                    tries = 0
                return
            except (LinkCut, DeviceAway):
                tries += 1
                if tries >= TRIES:
                    raise
                self._hang_up()

    def close(self) -> None:
        self._found = None
        self._hang_up()

    # -- connection

    def _session(self) -> Session:
        if self._open is None or not self._open.alive:
            self._hang_up()
            try:
                self._open = Session(self._where, timeout_seconds=self._timeout)
            except DeviceLied:
                raise
            except ItemNotTaken as error:
                raise no_access(error) from None
        return self._open

    def _hang_up(self) -> None:
        if self._open is not None:
            self._open.close()
        if self._reading is not None:
            self._following = self._reading.left()
        self._open = self._reading = None

    # -- looking

    def _listing(self) -> dict[str, dict[str, Item]]:
        if self._found is None:
            self._not_read, self._ruled_out = [], []
            self._found = self._walk(self._session())
        return self._found

    def _walk(self, session: Session) -> dict[str, dict[str, Item]]:
        items: dict[str, dict[str, Item]] = {}
        folders: list[tuple[str, str | None]] = [("", None)]
        count, until = 0, time.monotonic() + LOOK_SECONDS
        while folders:
            folder, above = folders.pop()
            try:
                with wrapped(self._where.host):
                    for name, facts in session.listed(_below(session.root, path_bytes(folder))):
                        count += 1
                        if count > MAX_ITEMS or time.monotonic() > until:
                            raise LinkFault("The folders of the device do not end.", remedy="Give it a folder further down, under Link.")
                        self._take(session, decoded(name), facts, folder, above, items, folders)
            except ItemNotTaken as error:
                if not folder:
                    raise no_access(error) from None
                if error.why != "gone":
                    self._lacks(FOLDERS, folder, error)
        return items

    def _take(
        self, session: Session, name: str, facts: Facts, folder: str, above: str | None, of_folder: dict[str, dict[str, Item]],
        folders: list[tuple[str, str | None]],
    ) -> None:  # fmt: skip
        path = f"{folder}/{name}" if folder else name
        kind = ruled(shown_path(path), self._rules) if self._rules else None
        if kind is None:
            kind = kind_of_name(above, name)
        mode = facts.st_mode
        if "/" in name or not _is_inside(path):
            self._lacks(FOLDERS, folder or ".", DeviceLied("The device lists a name that no file can have."))
        elif len(path_bytes(path)) > MAX_PATH_BYTES:
            self._lacks(kind or FOLDERS, path, ItemNotTaken("", why="too_deep"))
        elif mode is None:
            self._lacks(kind or FOLDERS, path, ItemNotTaken("The device does not say what it is.", why="lied"))
        elif stat.S_ISDIR(mode):
            folders.append((path, kind_below(above, name)))
            of_folder.setdefault(FOLDERS, {})[item_id(path)] = _item(FOLDERS, path, facts)
        elif kind == NOTHING:
            self._ruled_out.append((path, facts.st_size or 0))
        elif stat.S_ISREG(mode) and OURS.fullmatch(name):
            self._lacks(kind, path, ItemNotTaken("It was never finished.", why="own"))
        elif stat.S_ISREG(mode):
            of_folder.setdefault(kind, {})[item_id(path)] = _item(kind, path, facts)
        elif stat.S_ISLNK(mode):
            try:
                with wrapped(self._where.host):
                    target = decoded(session.link_target(_below(session.root, path_bytes(path))))
                of_folder.setdefault(kind, {})[item_id(path)] = _item(kind, path, facts, target)
            except ItemNotTaken as error:
                self._lacks(kind, path, error)
        else:
            self._lacks(kind, path, ItemNotTaken("", why="special"))

    def _lacks(self, kind: str, path: str, error: ItemNotTaken) -> None:
        self._not_read.append(NotRead(kind=kind, name=shown_path(path), code=error.why, detail=error.message))

    # -- reading

    def _read_from(self, item: Item, start: int) -> Iterator[bytes]:
        session = self._session()
        if self._reading is None:
            with wrapped(self._where.host):
                most = session.most_bytes()[0]
            self._reading = SftpReading(session.client, self._following, lambda one, at: self._fetch(session, one, at, most))
        with wrapped(self._where.host):
            yield from self._reading.pieces(item, start)

    @staticmethod
    def _fetch(session: Session, item: Item, start: int, most: int) -> Fetch:
        path = _below(session.root, path_bytes(path_of(item)))
        return Fetch(session.client, path, start=start, size_bytes=item.size_bytes, tag=item.tag, request_bytes=most)

    # -- writing

    def put(self, path: str, item: Item, pieces: Iterable[bytes], *, over: bool) -> str:
        def write(session: Session, unfinished: bytes) -> None:
            with session.client.open(unfinished, "wx") as file:
                file.set_pipelined(True)
                for piece in pieces:
                    file.write(piece)
            session.client.chmod(unfinished, _mode(item, 0o600))
            session.client.utime(unfinished, _times(item))

        return self._put(path, write, over=over)

    def put_link(self, path: str, item: Item, *, over: bool) -> str:
        points_to = link_of(item) or ""
        if not points_to or "\x00" in points_to:
            raise PlaceRefuses("The symbolic link points to nothing that can exist.")
        return self._put(path, lambda session, unfinished: session.make_link(path_bytes(points_to), unfinished), over=over)

    def put_folder(self, path: str, item: Item) -> None:
        session = self._session()
        target = self._target(session, path)
        with _written(self._where.host):
            self._make(session, target)
            session.client.chmod(target, _mode(item, 0o700))
            session.client.utime(target, _times(item))
        self._found = None

    def _put(self, path: str, write: Callable[[Session, bytes], None], *, over: bool) -> str:
        """Beside its place, then moved there; nothing is written through a symbolic link."""
        session = self._session()
        target = self._target(session, path)
        unfinished = posixpath.join(posixpath.dirname(target), f".attic-{secrets.token_hex(8)}".encode())
        with _written(self._where.host):
            self._make(session, posixpath.dirname(target))
            there = _sort_of(session, target)
            if there is not None and (not over or there == stat.S_IFDIR):
                raise PlaceTaken("Something of this name is there already.")
            try:
                write(session, unfinished)
                session.client.posix_rename(unfinished, target)
            except BaseException:
                if session.alive:
                    _remove(session, unfinished)
                raise
        self._found = None
        return item_id(path)

    def _target(self, session: Session, path: str) -> bytes:
        """Where it lies on the device. Raises PlaceRefuses."""
        raw = path_bytes(path)
        if not _is_inside(path) or len(raw) > MAX_PATH_BYTES or any(len(part) > 255 for part in raw.split(b"/")):
            raise PlaceRefuses("Its path would lead out of the folder, or is too long for it.")
        return _below(session.root, raw)

    def _make(self, session: Session, folder: bytes) -> None:
        """This folder and those above it, down from the root; none of them may be a link."""
        if folder == session.root or folder in self._made:
            return
        self._make(session, posixpath.dirname(folder))
        there = _sort_of(session, folder)
        if there is None:
            session.client.mkdir(folder)
        elif there != stat.S_IFDIR:
            raise PlaceRefuses("A file lies where its folder would have to be.")
        self._made.add(folder)


def _has_content(item: Item) -> bool:
    return item.kind != FOLDERS and item.size_bytes > 0 and link_of(item) is None


def _below(root: bytes, path: bytes) -> bytes:
    return posixpath.join(root, path) if path else root


def _is_inside(relative: str) -> bool:
    return bool(relative) and "\x00" not in relative and not {"", ".", ".."} & set(relative.split("/"))


def _item(kind: str, path: str, facts: Facts, target: str | None = None) -> Item:
    size_bytes, at = (0 if target is not None or kind == FOLDERS else facts.st_size or 0), facts.st_mtime or 0
    attributes: dict[str, int | str] = {"mode": stat.S_IMODE(facts.st_mode or 0), **name_attribute(path)}
    tag = "folder" if kind == FOLDERS else f"{at:x}-{size_bytes:x}"
    if target is not None:
        attributes |= link_attribute(target)
        tag = "link " + shown_path(target)
    return Item(
        kind=kind, id=item_id(path), name=shown_path(path), size_bytes=size_bytes, modified=datetime.fromtimestamp(at, UTC), tag=tag,
        attributes=attributes,
    )  # fmt: skip


def _mode(item: Item, usual: int) -> int:
    return int((item.attributes or {}).get("mode", usual)) & 0o777


def _times(item: Item) -> tuple[int, int]:
    """Whole seconds from 1970 to 2106: the protocol carries no others."""
    seconds = min(max(0, int(item.modified.timestamp())), 0xFFFF_FFFF)
    return seconds, seconds


def _sort_of(session: Session, path: bytes) -> int | None:
    """Folder, file or link; None where nothing is."""
    try:
        return stat.S_IFMT(session.client.lstat(path).st_mode or 0)
    except FileNotFoundError:
        return None


def _remove(session: Session, path: bytes) -> None:
    """What was begun and is not wanted; the walker leaves it out, should it stay."""
    try:
        session.client.remove(path)
    except (OSError, EOFError, paramiko.SSHException) as error:
        log.info("an unfinished file stays on the device: %s", error)


@contextlib.contextmanager
def _written(host: str) -> Iterator[None]:
    """What a server says while something is written."""
    try:
        with wrapped(host):
            yield
    except DeviceLied:
        raise
    except ItemNotTaken as error:
        if error.why == "denied":
            raise DataAccessOff(
                "The device does not let this account write there.", remedy="Let the account write on the device, then restore again."
            ) from None
        raise PlaceRefuses("The device cannot hold a file of this name.") from None
