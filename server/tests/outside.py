"""The server's outside in memory: devices, stores, clock and keys under the test's control.

Fulfils the same port as the real wiring. Nothing sleeps, nothing leaves the process.
"""

import random
import shutil
from collections.abc import Callable, Sequence
from copy import deepcopy
from dataclasses import asdict
from datetime import UTC, datetime, timedelta, tzinfo
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, ClassVar

from core.content.classify import FileRule
from core.content.errors import DeviceAway, PairingRefused
from core.content.link import DeviceLink
from core.errors import AtticError
from core.exchange.downloads import Downloads
from core.exchange.folders import LyingFolder
from core.recovery.drill import Scratch
from core.schedule.clock import Ticks
from core.vault import blobs as names
from core.vault.address import BucketAddress, SftpAddress, StoreAddress, where_words
from core.vault.blobs import BlobStore
from core.vault.chunks import VaultLimits
from core.vault.errors import StoreMissing
from core.vault.key_slots import add_key_file
from core.vault.memory import MemoryBlobs
from core.vault.opening import create_vault, open_vault
from core.vault.tests.bench_of_one import LENIENT, MemoryDevice
from core.vault.unlocking import read_header
from core.vault.vault import Vault
from server.fleet.convert import private_ssh_key
from server.fleet.models import Device
from server.ports import DriveSeen, FilesLink, KeyTold, NetworkOffer, OldLink, Paired, SftpPlace

ELSEWHERE = BucketAddress | SftpAddress
"""Reached over real sockets in tests, too."""
CODE = "ABCD2345"
PASSWORD = "saltmarsh attic"
PASSPHRASE = "low tide at the old sluice"
MORNING = datetime(2026, 3, 2, 7, 0, tzinfo=UTC)
"""A Monday, 08:00 in Berlin."""


class PretendOutside:
    """See the module."""

    next: "ClassVar[PretendOutside | None]" = None
    """What `waiting` hands out, once."""

    def __init__(self) -> None:
        self.limits = VaultLimits(pack_bytes=64 * 1024, grace_seconds=3600, workers=1)
        self.slot_policy = LENIENT
        self._make_folders()
        self.start_word = b"first start of it"
        self.accepts = True
        self.told_to_forget: list[str] = []
        self.serials: dict[str, str] = {}
        self.at = MORNING
        self.key_trouble = ""
        self.boot, self.jumped = "first", timedelta()
        self.clocks: list[tuple[str, str, timedelta]] = []
        self.devices: dict[str, MemoryDevice] = {}
        self.away: set[str] = set()
        self.stores: dict[str, MemoryBlobs] = {}
        self.holding: dict[str, list[str]] = {}
        self.flushed: list[str] = []
        self.hooked: list[tuple[str, bytes, bytes]] = []
        self.deaf_hooks: set[str] = set()
        self._random = random.Random(11)

    def _make_folders(self) -> None:
        self._folders = [TemporaryDirectory(prefix="attic-pretend-") for _ in range(3)]
        self.exports, self.incoming, self.remembered = (Path(folder.name) for folder in self._folders)

    def __deepcopy__(self, memo: dict[int, Any]) -> "PretendOutside":
        """All that it holds, in folders of its own."""
        copy = memo[id(self)] = PretendOutside.__new__(PretendOutside)
        copy._make_folders()
        for theirs, ours in zip(self._folders, copy._folders, strict=True):
            shutil.copytree(theirs.name, ours.name, dirs_exist_ok=True)
        mine = set(vars(copy))
        for name, value in vars(self).items():
            if name not in mine:
                setattr(copy, name, deepcopy(value, memo))
        return copy

    def forget(self) -> None:
        """Remove its folders."""
        for folder in self._folders:
            folder.cleanup()

    def now(self) -> datetime:
        self.at += timedelta(milliseconds=250)
        return self.at

    def key_state(self) -> KeyTold:
        return KeyTold(
            kind="beside", where="/keys/server", thief="Everything.", fingerprint="00", trouble=self.key_trouble, remedy="Put it back."
        )

    def make_key(self) -> str:
        return "00"

    def ticks(self) -> Ticks:
        """Follows the clock, unless a test lets the clock jump: then `jumped` is how far."""
        return Ticks(boot=self.boot, seconds=(self.at - self.jumped).timestamp())

    def outer_clocks(self) -> Sequence[tuple[str, str, datetime]]:
        return [(name, kind, self.now() + off) for name, kind, off in self.clocks]

    def random(self, count: int) -> bytes:
        return self._random.randbytes(count)

    def offers(self) -> Sequence[NetworkOffer]:
        return [
            NetworkOffer(
                device=id,
                name=f"H1, {id}",
                family="orlo",
                make="Orlo",
                model="H1",
                os_version="9",
                address="http://x",
                paired=False,
                serial=self.serials.get(id, ""),
            )
            for id in self.devices
            if id not in self.away
        ]

    def pair(self, address: str, code: str) -> Paired:
        if code != CODE:
            raise PairingRefused("The device does not know this code. 4 more tries before the code changes.")
        waiting = set(self.devices) - set(Device.objects.exclude(agent_key=None).values_list("agent_id", flat=True))
        return Paired(device=next(iter(waiting)), key=b"x" * 32, accepted=self.accepts)

    def unpair(self, agent_id: str, address: str, key: bytes) -> None:
        if agent_id in self.away:
            raise DeviceAway("The device does not answer on the office network.")
        self.told_to_forget.append(agent_id)

    def scratch(self, name: str) -> Scratch:
        from adapters.destinations.scratch import ScratchFolder

        return ScratchFolder(self.exports / "scratch" / name)

    def agent_link(self, agent_id: str, address: str, key: bytes) -> DeviceLink:
        assert key == b"x" * 32
        if agent_id in self.away:
            raise DeviceAway("The device does not answer on the office network.")
        return self.devices[agent_id]

    def folder_link(self, path: str, rules: Sequence[FileRule] = ()) -> FilesLink:
        from adapters.links.folder import FolderLink

        return FolderLink(Path(path), rules)

    def meet_sftp(self, host: str, port: int) -> tuple[str, str]:
        from adapters.links.sftp_session import fingerprint, host_key

        key = host_key(host, port)
        return key, fingerprint(key)

    def fingerprint(self, host_key: str) -> str:
        from adapters.links.sftp_session import fingerprint

        return fingerprint(host_key)

    def make_ssh_key(self) -> tuple[str, str]:
        from adapters.links.sftp_session import new_key

        return new_key("old-attic")

    def sftp_link(self, where: SftpPlace, rules: Sequence[FileRule]) -> FilesLink:
        from adapters.links.sftp import SftpLink
        from adapters.links.sftp_session import Sftp

        return SftpLink(Sftp(**asdict(where)), rules)

    def old_link(self, path: Path, zone: tzinfo) -> OldLink:
        from adapters.links.gathered import GatheredLink

        return GatheredLink(path, zone=zone)

    def paced(self, link: DeviceLink, limit: Callable[[], int | None]) -> DeviceLink:
        from adapters.links.paced import PacedLink

        return PacedLink(link, limit, sleep=lambda seconds: None)

    def place(self, path: str, *, of_store: object = None) -> Path:
        from adapters.places import StorePlaces

        return StorePlaces(data=Path("/attic/data"), program=Path("/attic/program")).checked(path)

    def drives(self, known: Sequence[str]) -> Sequence[DriveSeen]:
        """Whatever lies in its stores, whose header says whose it is."""
        there = {path: blobs for path, blobs in sorted(self.stores.items()) if names.HEADER in blobs.held}
        return [DriveSeen(path=path, store=read_header(blobs)["store"]) for path, blobs in there.items()]

    def drive_held_by(self, path: str) -> Sequence[str]:
        return self.holding.get(path, [])

    def flush_drive(self, path: str) -> None:
        self.flushed.append(path)

    def to_try(self, address: StoreAddress) -> Callable[[], BlobStore]:
        if isinstance(address, ELSEWHERE):
            return self._elsewhere(address)
        return lambda: self.stores.get(where_words(address), MemoryBlobs())

    def _elsewhere(self, address: StoreAddress) -> Callable[[], BlobStore]:
        from adapters.stores.places import blobs_at

        key = private_ssh_key()
        return lambda: blobs_at(address, ssh_key=key)

    def blobs(self, address: StoreAddress | str) -> BlobStore:
        if isinstance(address, ELSEWHERE):
            return self._elsewhere(address)()
        where = address if isinstance(address, str) else where_words(address)
        if where not in self.stores:
            raise StoreMissing(f"The folder {where} is not there.")
        return self.stores[where]

    def create_vault(self, address: StoreAddress | str, passphrase: str, *, same_key_as: Vault | None = None) -> tuple[Vault, str]:
        if not isinstance(address, ELSEWHERE):
            self.stores[address if isinstance(address, str) else where_words(address)] = MemoryBlobs()
        return create_vault(
            self.blobs(address),
            passphrase=passphrase,
            key_file=b"k" * 32,
            now=self.now(),
            random=self.random,
            limits=self.limits,
            policy=LENIENT,
            same_key_as=same_key_as,
        )

    def attach_vault(self, address: StoreAddress | str, passphrase: str) -> Vault:
        vault = open_vault(self.blobs(address), passphrase=passphrase, random=self.random, limits=self.limits, policy=LENIENT)
        add_key_file(vault, b"k" * 32, now=self.now())
        return vault

    def open_vault(self, address: StoreAddress | str) -> Vault:
        return open_vault(self.blobs(address), key_file=b"k" * 32, random=self.random, limits=self.limits, policy=LENIENT)

    @property
    def downloads(self) -> Downloads:
        from adapters.destinations.downloads import SealedDownloads

        return SealedDownloads(self.exports, key=lambda: b"k" * 32, word=self.start_word, random=self.random)

    def export_folder(self, path: str) -> LyingFolder:
        from adapters.destinations.lying import FolderOnServer

        return FolderOnServer(Path(path))

    def checked_hook(self, address: str) -> str:
        from adapters.hooks.http import checked_address

        return checked_address(address)

    def tell_hook(self, address: str, body: bytes, *, key: bytes, key_id: str, inside: bool) -> None:
        if address in self.deaf_hooks:
            raise AtticError("example.org answered 500.")
        self.hooked.append((address, body, key))

    def seal(self, purpose: str, secret: bytes) -> bytes:
        """No cipher, and nothing that reads like what went in."""
        return purpose.encode() + b"\0" + bytes(letter ^ 0xA5 for letter in secret)

    def unseal(self, purpose: str, sealed: bytes) -> bytes:
        assert sealed.startswith(purpose.encode() + b"\0")
        return bytes(letter ^ 0xA5 for letter in sealed.partition(b"\0")[2])


def waiting() -> PretendOutside:
    """For the settings: the outside that a test has put there, else a new one."""
    there, PretendOutside.next = PretendOutside.next, None
    return there or PretendOutside()
