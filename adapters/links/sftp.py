"""The SFTP link: a device that runs an SFTP server (SSH File Transfer Protocol, version 3), reached with paramiko.

Its host key is pinned when it is met first; any other key is refused, with both fingerprints, before a password
is sent. Files are items, sorted into kinds as in a folder; symbolic links are not followed. Reads go on at the
byte where a cut ended them. SFTP has no lock, battery or network to tell of.
"""

import base64
import contextlib
import hashlib
import logging
import posixpath
import secrets
import socket
import stat
import time
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import PurePosixPath

import paramiko

from adapters.guard import port
from core.content.classify import FileRule, kind_of_file
from core.content.errors import DataAccessOff, DeviceAway, DeviceFull, DeviceLied, LinkCut, LinkError, LinkFault, NotPaired, OtherHost
from core.content.items import MAX_ITEMS, Item, checked_inventory, clean_name
from core.content.kinds import KINDS
from core.content.link import DeviceState
from core.exchange.filenames import safe_path

logging.getLogger("paramiko").setLevel(logging.CRITICAL)  # what it has to say is raised, and told in our words
PIECE_BYTES = 256 * 1024
MAX_DEPTH = 40
LOOK_SECONDS = 600
TRIES = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Sftp:
    """Where the device answers, and who asks."""

    host: str
    port: int
    username: str
    password: str
    folder: str
    """Absolute path on the device."""
    host_key: str
    """Type and base64 of the pinned key, as in a known_hosts file."""


def host_key(host: str, port: int, *, timeout_seconds: float = 8) -> str:
    """The key that answers there now, unproven: for a person to compare. Raises LinkError."""
    with _wrapped(host), contextlib.closing(_transport(host, port, timeout_seconds)) as transport:
        transport.start_client(timeout=timeout_seconds)
        key = transport.get_remote_server_key()
        return f"{key.get_name()} {key.get_base64()}"


def fingerprint(key: str) -> str:
    """`SHA256:…` as `ssh-keygen -l` shows it."""
    digest = hashlib.sha256(base64.b64decode(key.partition(" ")[2])).digest()
    return "SHA256:" + base64.b64encode(digest).decode().rstrip("=")


@port(LinkFault, "The device")
class SftpLink:
    """One device, connected when it is first asked something."""

    def __init__(self, where: Sftp, rules: Sequence[FileRule] = (), *, timeout_seconds: float = 20) -> None:
        self._where, self._rules, self._timeout = where, rules, timeout_seconds
        self._transport: paramiko.Transport | None = None
        self._client: paramiko.SFTPClient | None = None
        self._found: dict[str, list[Item]] | None = None
        self._root = ""

    def state(self) -> DeviceState:
        self._sftp()
        return DeviceState(make="", model="SFTP", family="folder", os_version="", data_access=True)

    def kinds(self) -> list[str]:
        held = self._listing()
        return [kind for kind in KINDS if kind in held]

    def inventory(self, kind: str) -> list[Item]:
        return checked_inventory(self._listing().get(kind, []), kind=kind)

    def files(self) -> list[tuple[str, int]]:
        """(path, bytes) of every file, those included that a rule leaves out: for the preview of rules."""
        return [(item.id, item.size_bytes) for held in self._listing().values() for item in held]

    def read(self, item: Item) -> Iterator[bytes]:
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

    def create(self, kind: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> str:
        path, number = PurePosixPath(safe_path(name)), 1
        candidate = path
        while self._is_there(candidate.as_posix()):
            number += 1
            candidate = path.with_name(f"{path.stem} ({number}){path.suffix}")
        self._write(candidate.as_posix(), pieces)
        return candidate.as_posix()

    def replace(self, kind: str, id: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> None:
        self._write(id if _is_inside(id) else safe_path(id), pieces)

    def close(self) -> None:
        self._found = None
        self._hang_up()

    # -- connection

    def _sftp(self) -> paramiko.SFTPClient:
        if self._client is not None and self._transport is not None and self._transport.is_active():
            return self._client
        self._hang_up()
        where = self._where
        with _wrapped(where.host):
            transport = _transport(where.host, where.port, self._timeout)
            try:
                transport.start_client(timeout=self._timeout)
                key = transport.get_remote_server_key()
                met = f"{key.get_name()} {key.get_base64()}"
                if met != where.host_key:
                    raise OtherHost(
                        f"Another key answers at {where.host}: {fingerprint(met)} instead of {fingerprint(where.host_key)}. "
                        "Nothing was sent to it."
                    )
                transport.auth_password(where.username, where.password)
                client = paramiko.SFTPClient.from_transport(transport)
                assert client is not None
                channel = client.get_channel()
                assert channel is not None
                channel.settimeout(self._timeout)
                self._root = client.normalize(where.folder)
            except BaseException:
                transport.close()
                raise
        self._transport, self._client = transport, client
        return client

    def _hang_up(self) -> None:
        if self._transport is not None:
            self._transport.close()
        self._transport = self._client = None

    # -- looking

    def _listing(self) -> dict[str, list[Item]]:
        if self._found is None:
            client = self._sftp()
            with _wrapped(self._where.host):
                self._found = self._walk(client)
        return self._found

    def _walk(self, client: paramiko.SFTPClient) -> dict[str, list[Item]]:
        found: dict[str, list[Item]] = {}
        folders, count, until = [""], 0, time.monotonic() + LOOK_SECONDS
        while folders:
            folder = folders.pop()
            for entry in client.listdir_iter(posixpath.join(self._root, folder) if folder else self._root):
                path = f"{folder}/{entry.filename}" if folder else entry.filename
                if entry.st_mode is None or not _is_inside(path) or "/" in entry.filename or entry.filename.startswith(".attic-"):
                    continue
                count += 1
                if count > MAX_ITEMS or time.monotonic() > until:
                    raise DeviceLied("The folders of the device do not end.")
                if stat.S_ISDIR(entry.st_mode) and path.count("/") < MAX_DEPTH:
                    folders.append(path)
                elif stat.S_ISREG(entry.st_mode):
                    kind = kind_of_file(PurePosixPath(path), self._rules)
                    found.setdefault(kind, []).append(_item(kind, path, entry))
        return found

    def _is_there(self, relative: str) -> bool:
        client = self._sftp()
        try:
            with _wrapped(self._where.host):
                client.lstat(posixpath.join(self._root, relative))
        except DeviceLied:
            return False
        return True

    # -- bytes

    def _read_from(self, item: Item, start: int) -> Iterator[bytes]:
        if not _is_inside(item.id):
            raise DeviceLied(f"{clean_name(item.id)!r} lies outside the folder.")
        client = self._sftp()
        path = posixpath.join(self._root, item.id)
        with _wrapped(self._where.host):
            if not client.normalize(path).startswith(self._root.rstrip("/") + "/"):
                raise DeviceLied(f"{clean_name(item.id)!r} leads outside the folder.")
            with client.open(path, "rb") as file:
                facts = file.stat()
                if f"{facts.st_mtime:x}-{facts.st_size:x}" != item.tag:
                    raise DeviceLied("The file changed while it was read.")
                file.seek(start)
                if not start:
                    file.prefetch(item.size_bytes, max_concurrent_requests=32)
                left = item.size_bytes - start
                while left >= 0:
                    piece = file.read(min(PIECE_BYTES, left + 1))
                    if not piece:
                        return
                    left -= len(piece)
                    yield piece

    def _write(self, relative: str, pieces: Iterable[bytes]) -> None:
        client = self._sftp()
        target = posixpath.join(self._root, relative)
        unfinished = posixpath.join(self._root, f".attic-{secrets.token_hex(8)}")
        with _wrapped(self._where.host):
            self._make_folders(client, relative)
            if not client.normalize(posixpath.dirname(target)).startswith(self._root):
                raise DeviceLied(f"{clean_name(relative)!r} lies outside the folder.")
            try:
                with client.open(unfinished, "wx") as file:
                    file.set_pipelined(True)
                    for piece in pieces:
                        file.write(piece)
                client.posix_rename(unfinished, target)
            except BaseException:
                with contextlib.suppress(OSError, paramiko.SSHException):
                    client.remove(unfinished)
                raise
        self._found = None

    def _make_folders(self, client: paramiko.SFTPClient, relative: str) -> None:
        path = self._root
        for part in PurePosixPath(relative).parts[:-1]:
            path = posixpath.join(path, part)
            try:
                facts = client.lstat(path)
            except FileNotFoundError:
                client.mkdir(path)
                continue
            if not stat.S_ISDIR(facts.st_mode or 0):
                raise DeviceLied(f"{clean_name(relative)!r} lies outside the folder.")


def _transport(host: str, port: int, timeout_seconds: float) -> paramiko.Transport:
    connection = socket.create_connection((host, port), timeout=timeout_seconds)
    transport = paramiko.Transport(connection)
    transport.banner_timeout = transport.auth_timeout = timeout_seconds
    return transport


def _item(kind: str, path: str, facts: paramiko.SFTPAttributes) -> Item:
    size_bytes, at = facts.st_size or 0, facts.st_mtime or 0
    modified = datetime.fromtimestamp(at, UTC)
    return Item(kind=kind, id=path, name=clean_name(path), size_bytes=size_bytes, modified=modified, tag=f"{at:x}-{size_bytes:x}")


def _is_inside(relative: str) -> bool:
    parts = relative.split("/")
    return bool(relative) and not {"", ".", ".."} & set(parts) and "\x00" not in relative


@contextlib.contextmanager
def _wrapped(host: str) -> Iterator[None]:
    """paramiko's and the socket's exceptions as `LinkError`s."""
    try:
        yield
    except LinkError:
        raise
    except paramiko.AuthenticationException:
        raise NotPaired(
            "The device refuses the name and password.", remedy="Type them again on the page of the device, under Link."
        ) from None
    except (ConnectionRefusedError, socket.gaierror):
        raise DeviceAway(f"Nothing answers at {host}.") from None
    except TimeoutError:
        raise LinkCut("The device stopped answering.") from None
    except (paramiko.SSHException, EOFError):
        raise LinkCut("The connection to the device ended in the middle.") from None
    except FileNotFoundError:
        raise DeviceLied("The file or folder is gone from the device.") from None
    except PermissionError:
        raise DataAccessOff("The device does not let this account read or write there.") from None
    except OSError as error:
        if "space" in str(error).casefold() or "quota" in str(error).casefold():
            raise DeviceFull("There is no room on the device.") from None
        if error.errno is not None and isinstance(error, ConnectionError):
            raise LinkCut("The connection to the device ended in the middle.") from None
        if error.errno is not None and error.errno >= 100:
            raise DeviceAway(f"Nothing answers at {host}.") from None
        raise DeviceLied(f"The device refuses this: {clean_name(str(error))[:120]}.") from None
