"""A connection to an SFTP server (version 3) on paramiko: who answers is checked, names are bytes, errors are our own.

paramiko reads every name as UTF-8 and ends a listing at the first that is not; the few requests that carry names are
put together here from its own pieces instead. What belongs to one file is raised as `ItemNotTaken`, so that one file
takes nothing else with it.
"""

import base64
import contextlib
import errno
import hashlib
import io
import logging
import socket
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

import paramiko
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat, PublicFormat
from paramiko.message import Message
from paramiko.sftp import (
    CMD_ATTRS,
    CMD_CLOSE,
    CMD_EXTENDED,
    CMD_FSTAT,
    CMD_HANDLE,
    CMD_INIT,
    CMD_NAME,
    CMD_OPENDIR,
    CMD_READDIR,
    CMD_READLINK,
    CMD_REALPATH,
    CMD_STAT,
    CMD_SYMLINK,
    CMD_VERSION,
)

from core.content.errors import DataAccessOff, DeviceAway, DeviceFull, DeviceLied, ItemNotTaken, LinkCut, LinkError, NotPaired, OtherHost
from core.content.items import clean_name

logging.getLogger("paramiko").setLevel(logging.CRITICAL)  # what it has to say is raised, and told in our words
CIPHERS = ("aes128-gcm@openssh.com", "aes256-gcm@openssh.com")
"""Asked for first: they seal and prove in one pass."""
WINDOW_BYTES = 16 << 20
LEAST_PIECE_BYTES, MOST_PIECE_BYTES = 32 * 1024, 192 * 1024
Facts: Any = paramiko.SFTPAttributes


@dataclass(frozen=True, slots=True, kw_only=True)
class Sftp:
    """Where the device answers, and who asks."""

    host: str
    port: int
    username: str
    password: str = field(default="", repr=False)
    private_key: str = field(default="", repr=False)
    """In OpenSSH's format, without a passphrase; used where there is no password."""
    folder: str
    """Absolute path on the device."""
    host_key: str
    """Type and base64 of the pinned key, as in a known_hosts file."""


def host_key(host: str, port: int, *, timeout_seconds: float = 8) -> str:
    """The key that answers there now, unproven: for a person to compare. Raises LinkError."""
    with wrapped(host), contextlib.closing(_transport(host, port, timeout_seconds)) as transport:
        transport.start_client(timeout=timeout_seconds)
        key = transport.get_remote_server_key()
        return f"{key.get_name()} {key.get_base64()}"


def fingerprint(key: str) -> str:
    """`SHA256:…` as `ssh-keygen -l` shows it."""
    digest = hashlib.sha256(base64.b64decode(key.partition(" ")[2])).digest()
    return "SHA256:" + base64.b64encode(digest).decode().rstrip("=")


def new_key(comment: str) -> tuple[str, str]:
    """(private key in OpenSSH's format, the line for an authorized_keys file): Ed25519 (RFC 8709)."""
    key = Ed25519PrivateKey.generate()
    private = key.private_bytes(Encoding.PEM, PrivateFormat.OpenSSH, NoEncryption()).decode()
    return private, f"{key.public_key().public_bytes(Encoding.OpenSSH, PublicFormat.OpenSSH).decode()} {comment}"


class _Client(paramiko.SFTPClient):
    """Remembers what the server says that it knows beyond the protocol."""

    extensions: frozenset[bytes]

    def _send_version(self) -> int:
        asked = Message()
        asked.add_int(3)
        self._send_packet(CMD_INIT, asked)  # type: ignore[attr-defined]  # its stubs leave out what starts with an underscore
        sort, content = self._read_packet()  # type: ignore[attr-defined]
        if sort != CMD_VERSION:
            raise paramiko.SFTPError("no version")
        answer = Message(content)
        version, known = answer.get_int(), set()
        while answer.get_remainder():
            known.add(bytes(answer.get_binary()))
            answer.get_binary()
        self.extensions = frozenset(known)
        return version


class Session:
    """One signed-in connection."""

    def __init__(self, where: Sftp, *, timeout_seconds: float) -> None:
        """Raises LinkError; nothing is sent to another host than the pinned one."""
        self.host = where.host
        self._most: tuple[int, int] | None = None
        with wrapped(where.host):
            self._transport = _transport(where.host, where.port, timeout_seconds)
            try:
                self._transport.start_client(timeout=timeout_seconds)
                self._check_host(where)
                _sign_in(self._transport, where)
                client = _Client.from_transport(self._transport, window_size=WINDOW_BYTES, max_packet_size=1 << 18)
                assert client is not None
                self.client: Any = client  # its stubs do not tell the requests that are put together here
                channel = client.get_channel()
                assert channel is not None
                channel.settimeout(timeout_seconds)
                self.extensions = client.extensions
                self.root = self.real_path(where.folder.encode("utf-8", "surrogateescape"))
            except BaseException:
                self._transport.close()
                raise

    @property
    def alive(self) -> bool:
        channel = self.client.get_channel()
        return self._transport.is_active() and not channel.closed

    def close(self) -> None:
        self._transport.close()

    def _check_host(self, where: Sftp) -> None:
        key = self._transport.get_remote_server_key()
        met = f"{key.get_name()} {key.get_base64()}"
        if met != where.host_key:
            raise OtherHost(
                f"Another key answers at {where.host}: {fingerprint(met)} instead of {fingerprint(where.host_key)}. Nothing was sent to it."
            )

    # -- requests with names in bytes

    def listed(self, path: bytes) -> Iterator[tuple[bytes, paramiko.SFTPAttributes]]:
        """(name, facts) of everything in a folder. Raises OSError."""
        sort, answer = self.client._request(CMD_OPENDIR, path)
        if sort != CMD_HANDLE:
            raise OSError("the server does not open the folder")
        handle = answer.get_string()
        try:
            while True:
                try:
                    sort, answer = self.client._request(CMD_READDIR, handle)
                except EOFError:
                    return
                if sort != CMD_NAME:
                    raise OSError("the server does not list the folder")
                for _ in range(answer.get_int()):
                    name, _ = answer.get_string(), answer.get_string()
                    facts = Facts._from_msg(answer)
                    if name not in (b".", b".."):
                        yield name, facts
        finally:
            if self.alive:
                self.client._request(CMD_CLOSE, handle)

    def real_path(self, path: bytes) -> bytes:
        """Raises OSError."""
        return self._name(CMD_REALPATH, path)

    def link_target(self, path: bytes) -> bytes:
        """Where a symbolic link points. Raises OSError."""
        return self._name(CMD_READLINK, path)

    def _name(self, command: int, path: bytes) -> bytes:
        sort, answer = self.client._request(command, path)
        if sort != CMD_NAME or answer.get_int() != 1:
            raise OSError("the server answers with something else than a name")
        return bytes(answer.get_string())

    def make_link(self, points_to: bytes, path: bytes) -> None:
        """Raises OSError. The order of both is OpenSSH's, which others follow; the draft has it the other way round."""
        self.client._request(CMD_SYMLINK, points_to, path)

    def facts_at(self, path: bytes) -> paramiko.SFTPAttributes | None:
        """Of what lies there, behind links; None where nothing does. Raises OSError."""
        try:
            return self._facts(CMD_STAT, path)
        except FileNotFoundError:
            return None

    def facts_of(self, handle: bytes) -> paramiko.SFTPAttributes:
        """Of an open file. Raises OSError."""
        return self._facts(CMD_FSTAT, handle)

    def _facts(self, command: int, subject: bytes) -> paramiko.SFTPAttributes:
        sort, answer = self.client._request(command, subject)
        if sort != CMD_ATTRS:
            raise OSError("the server answers with something else than facts")
        facts: paramiko.SFTPAttributes = Facts._from_msg(answer)
        return facts

    def most_bytes(self) -> tuple[int, int]:
        """What it gives in one answer, and takes in one request: as it tells (limits@openssh.com), else what every server does."""
        if self._most is None:
            self._most = self._asked_most()
        return self._most

    def _asked_most(self) -> tuple[int, int]:
        try:
            _, answer = self.client._request(CMD_EXTENDED, b"limits@openssh.com")
        except OSError:
            return LEAST_PIECE_BYTES, LEAST_PIECE_BYTES  # a server that has no such request
        _, reads, writes = _int64(answer), _int64(answer), _int64(answer)
        return max(LEAST_PIECE_BYTES, min(reads, MOST_PIECE_BYTES)), max(LEAST_PIECE_BYTES, min(writes, MOST_PIECE_BYTES))

    def room(self) -> tuple[int, int] | None:
        """(bytes in all, free bytes) of the file system below the root, where the server tells it (statvfs@openssh.com)."""
        try:
            _, answer = self.client._request(CMD_EXTENDED, b"statvfs@openssh.com", self.root)
        except OSError:
            return None  # a server that has no such request
        numbers = [_int64(answer) for _ in range(5)]
        _, fragment_bytes, blocks, _, available = numbers
        total, free = blocks * fragment_bytes, available * fragment_bytes
        return (total, free) if 0 <= free <= total < 1 << 62 else None


def _int64(message: Message) -> int:
    return int.from_bytes(message.get_bytes(8), "big")


def _transport(host: str, port: int, timeout_seconds: float) -> paramiko.Transport:
    connection = socket.create_connection((host, port), timeout=timeout_seconds)
    transport = paramiko.Transport(connection)
    transport.banner_timeout = transport.auth_timeout = timeout_seconds
    options = transport.get_security_options()
    options.ciphers = (*(cipher for cipher in CIPHERS if cipher in options.ciphers), *(c for c in options.ciphers if c not in CIPHERS))
    return transport


def _sign_in(transport: paramiko.Transport, where: Sftp) -> None:
    if where.password or not where.private_key:
        transport.auth_password(where.username, where.password)
    else:
        transport.auth_publickey(where.username, paramiko.Ed25519Key.from_private_key(io.StringIO(where.private_key)))


@contextlib.contextmanager
def wrapped(host: str) -> Iterator[None]:
    """paramiko's and the socket's exceptions as `LinkError`s: what concerns one file as `ItemNotTaken`."""
    try:
        yield
    except LinkError:
        raise
    except paramiko.AuthenticationException:
        raise NotPaired(
            "The device refuses the name, password or key.", remedy="Correct them on the page of the device, under Link."
        ) from None
    except UnicodeError:
        raise DeviceAway(
            f"“{clean_name(host)[:80]}” is no name of a machine.", remedy="Give its name in the network, or its address."
        ) from None
    except (ConnectionRefusedError, socket.gaierror):
        raise DeviceAway(f"Nothing answers at {host}.") from None
    except TimeoutError:
        raise LinkCut("The device stopped answering.") from None
    except (paramiko.SSHException, EOFError):
        raise LinkCut("The connection to the device ended in the middle.") from None
    except FileNotFoundError:
        raise ItemNotTaken("It is gone from the device.", why="gone") from None
    except PermissionError:
        raise ItemNotTaken("The device does not let this account read it.", why="denied") from None
    except OSError as error:
        raise told(error, host) from None


def told(error: OSError, host: str) -> LinkError:
    """Any other answer of a server or of the network."""
    said = str(error).casefold()
    if "space" in said or "quota" in said:
        return DeviceFull("There is no room on the device.")
    if isinstance(error, ConnectionError) or "socket is closed" in said:  # the latter is paramiko's
        return LinkCut("The connection to the device ended in the middle.")
    if error.errno is not None and error.errno >= errno.ENETDOWN:
        return DeviceAway(f"Nothing answers at {host}.")
    return DeviceLied(f"The device refuses this: {clean_name(str(error))[:120]}.")


def no_access(error: ItemNotTaken) -> LinkError:
    """The same about the whole folder of the device."""
    if error.why == "denied":
        return DataAccessOff(
            "The device does not let this account read its folder.",
            remedy="Let the account read it on the device, or correct the folder on the page of the device, under Link.",
        )
    return DeviceLied("The folder is not on the device.", remedy="Correct the folder on the page of the device, under Link.")
