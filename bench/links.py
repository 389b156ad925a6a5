"""Links and restores against the plain tools that do the same bytes, in the same run: walk and stat, `sftp`, `cp -a`, tar in a pipe.

Each side takes turns and the best of its rounds counts. What a figure includes is said in its name.
"""

import json
import os
import random
import secrets
import shutil
import subprocess
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from argon2.low_level import Type, hash_secret_raw

from adapters.links.folder import FolderLink
from adapters.links.sftp import SftpLink
from bench.figures import Figure
from bench.ssh import SshServer
from bench.vaults import new_vault, reopened
from core.content.digests import digest, digest_of
from core.content.items import Item
from core.content.kinds import FOLDERS, KIND_CODES
from core.content.link import DeviceLink, DeviceReport, SmallItem
from core.recovery.conflicts import WhenThere
from core.recovery.into_files import IntoFiles
from core.recovery.into_items import IntoItems
from core.recovery.report import Report
from core.recovery.restore import Going
from core.recovery.restore import restore as write_back
from core.recovery.selection import Selection, chosen, folders_of
from core.vault.capture import Capture, Captured, Request
from core.vault.manifests import Manifest
from core.vault.vault import Vault
from core.vault.writer import Writer

ROOT = Path(__file__).resolve().parents[1]
PASSPHRASE = "a passphrase for the bench"


def links(folder: Path, *, rounds: int, only: list[str]) -> Iterator[Figure]:
    """One figure after another."""
    groups: list[tuple[str, Callable[[], Iterator[Figure]]]] = [
        ("folder", lambda: _unchanged_folder(folder / "many", rounds)),
        ("sftp", lambda: _over_sftp(folder / "sftp", rounds)),
        ("restore", lambda: _into_folders(folder / "restore", rounds)),
        ("agent", lambda: _to_an_agent(folder / "agent")),
        ("command", lambda: _commands(folder / "commands", rounds)),
        ("day", lambda: _a_day_by_command(folder / "day", rounds)),
    ]
    for name, measured in groups:
        if only and not any(name.startswith(one) for one in only):
            continue
        yield from measured()
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir()


def _unchanged_folder(folder: Path, rounds: int) -> Iterator[Figure]:
    """A run of a folder device in which nothing changed."""
    _many_files(folder, 50_000)
    vault = new_vault(folder.parent / "store")
    before = _taken(vault, FolderLink(folder))
    ours, theirs = [], []
    for _ in range(rounds):
        theirs.append(_seconds(lambda: _walk_and_stat(folder)))
        again = reopened(vault)
        ours.append(_seconds(lambda: _taken(again, FolderLink(folder), before.manifest)))  # noqa: B023
    yield _times("folder device of 50,000 files, unchanged: a run against a bare walk and stat", ours, theirs, good=6, wanted=4)


def _over_sftp(folder: Path, rounds: int) -> Iterator[Figure]:
    """300 photos of 3 MB from OpenSSH's own server: walked, read, sealed and stored; against OpenSSH's own client fetching them."""
    if not Path("/usr/sbin/sshd").exists() or not shutil.which("sftp"):
        yield _nothing("SFTP, 300 photos of 3 MB", "OpenSSH is not installed", good=0.4, wanted=0.6)
        return
    photos = folder / "photos"
    photos.mkdir(parents=True)
    for number in range(300):
        (photos / f"site-{number:03}.jpg").write_bytes(os.urandom(3_000_000))
    ours, theirs = [], []
    with SshServer(folder / "keys") as server:
        for number in range(rounds):
            into = folder / f"got-{number}"
            into.mkdir()
            theirs.append(_seconds(lambda: server.fetch(photos, into)))  # noqa: B023 - called at once
            shutil.rmtree(into)
            vault = new_vault(folder / f"store-{number}")
            link = SftpLink(server.place(photos), timeout_seconds=60)
            ours.append(_seconds(lambda: _taken(vault, link)))  # noqa: B023
            link.close()
            shutil.rmtree(folder / f"store-{number}")
    yield _rate("SFTP, 300 photos of 3 MB, walked and sealed, against sftp -b", ours, theirs, good=0.4, wanted=0.6)


def _into_folders(folder: Path, rounds: int) -> Iterator[Figure]:
    """To an empty folder device, every file read back afterwards and compared; against `cp -a`, which does not."""
    small, large = folder / "small", folder / "large"
    _many_files(small, 10_000)
    large.mkdir(parents=True)
    source = random.Random(5)
    for number in range(25):
        (large / f"video-{number:02}.mp4").write_bytes(source.randbytes(40_000_000))
    for name, root, good, wanted in (("10,000 small files", small, 0.2, 0.3), ("1 GB", large, 0.4, 0.6)):
        vault = new_vault(folder / "store")
        manifest = _taken(vault, FolderLink(root)).manifest
        ours, theirs = [], []
        for _ in range(rounds):
            into = folder / "back"
            theirs.append(_seconds(lambda: subprocess.run(["cp", "-a", str(root), str(into)], check=True)))  # noqa: B023
            shutil.rmtree(into)
            into.mkdir()
            again = reopened(vault)
            ours.append(_seconds(lambda: _whole(_to_folder(again, manifest, into))))  # noqa: B023
            shutil.rmtree(into)
        shutil.rmtree(folder / "store")
        yield _rate(f"restore of {name} to a folder device, read back, against cp -a", ours, theirs, good=good, wanted=wanted)


def _to_an_agent(folder: Path) -> Iterator[Figure]:
    """Requests and bytes, counted: to a device that tells digests and takes many items at once."""
    root = folder / "phone"
    _many_files(root, 5_000)
    for number in range(20):
        (root / f"photo-{number}.jpg").write_bytes(os.urandom(3_000_000))
    vault = new_vault(folder / "store")
    manifest = _taken(vault, FolderLink(root)).manifest
    counting, again = _CountingBlobs(vault.blobs), reopened(vault)
    again.blobs = counting
    device, going = _Agent(), Going()
    again.refresh()
    kinds = list(chosen(again, manifest, Selection(everything=True)))
    counting.read_bytes = 0
    place = IntoItems(again, device, when_there=WhenThere.REPLACE, same_device=False, going=going)
    report = write_back(again, device, place, kinds, going=going)
    _whole(report)
    small = sum(1 for _, items in kinds for stored in items if stored.item.size_bytes <= 64 * 1024)
    size = sum(stored.item.size_bytes for _, items in kinds for stored in items)
    words = f"{device.small_requests} requests for {small} small items"
    yield _figure("restore to an agent: requests a small item", device.small_requests / small, words, good=0.5, wanted=0.2)
    words = f"{counting.read_bytes:,} bytes read for {size:,} restored"
    yield _figure(
        "restore to an agent: bytes read from the store for each restored", counting.read_bytes / size, words, good=1.3, wanted=1.05
    )


def _commands(folder: Path, rounds: int) -> Iterator[Figure]:
    """The command line by itself."""
    folder.mkdir(parents=True)
    (folder / "pass").write_text(PASSPHRASE)
    (folder / "phone").mkdir()
    (folder / "phone" / "a.txt").write_text("one")
    store, opened = str(folder / "store"), ["--passphrase-file", str(folder / "pass")]
    _attic("init", store, *opened)
    _attic("backup", store, str(folder / "phone"), "--device", "x", *opened)
    helped = min(_seconds(lambda: _attic("--help")) for _ in range(rounds * 3))
    listed = min(_seconds(lambda: _attic("list", store, *opened)) for _ in range(rounds * 3))
    derived = min(_derivation(folder / "store") for _ in range(rounds * 3))
    yield _figure("command: ./attic vault --help", helped, f"{helped * 1000:.0f} ms", good=0.3, wanted=0.15, unit=" s")
    words = f"{listed * 1000:.0f} ms, of which {derived * 1000:.0f} ms derive the key"
    yield _figure("command: list of a small store beyond its key derivation", listed - derived, words, good=0.4, wanted=0.2, unit=" s")


def _attic(*arguments: str) -> None:
    subprocess.run([str(ROOT / "attic"), "vault", *arguments], check=True, capture_output=True)


def _derivation(store: Path) -> float:
    """Seconds that nothing but the key costs, whatever program asks for it."""
    slots = [json.loads(path.read_bytes()) for path in (store / "keys").iterdir()]
    slot = next(one for one in slots if one["kind"] == "passphrase")
    cost = (slot["passes"], slot["memory_bytes"] // 1024, slot["lanes"])
    return _seconds(lambda: hash_secret_raw(PASSPHRASE.encode(), bytes.fromhex(slot["salt"]), *cost, 32, Type.ID, version=0x13))


def _a_day_by_command(folder: Path, rounds: int) -> Iterator[Figure]:
    """An unchanged device of 130 MB, the whole command with its start and key derivation; against tar, zstd and openssl in a pipe."""
    name = "day: an unchanged device of 130 MB, the whole command, against tar | zstd | openssl"
    if not all(shutil.which(tool) for tool in ("tar", "zstd", "openssl")):
        yield _nothing(name, "tar, zstd or openssl is not installed", good=4, wanted=2.5)
        return
    phone = folder / "phone"
    _many_files(phone, 4_000)
    for number in range(40):
        (phone / f"photo-{number}.jpg").write_bytes(os.urandom(3_000_000))
    (folder / "pass").write_text(PASSPHRASE)
    attic, opened = [str(ROOT / "attic"), "vault"], ["--passphrase-file", str(folder / "pass")]
    subprocess.run([*attic, "init", str(folder / "store"), *opened], check=True, capture_output=True)
    command = [*attic, "backup", str(folder / "store"), str(phone), "--device", "x", *opened]
    pipe = (
        f"tar --listed-incremental='{folder}/snapshot' -cf - . | zstd -3 -q | "
        f"openssl enc -aes-256-ctr -pbkdf2 -pass file:'{folder}/pass' > '{folder}/day.tar'"
    )
    for first in (command, ["sh", "-c", pipe]):
        subprocess.run(first, check=True, capture_output=True, cwd=phone)
    ours, theirs = [], []
    for _ in range(rounds):
        theirs.append(_seconds(lambda: subprocess.run(["sh", "-c", pipe], check=True, capture_output=True, cwd=phone)))
        ours.append(_seconds(lambda: subprocess.run(command, check=True, capture_output=True, cwd=phone)))
    yield _times(name, ours, theirs, good=4, wanted=2.5)


# -- what is measured


def _taken(vault: Vault, link: DeviceLink, previous: Manifest | None = None) -> Captured:
    request = Request(device="bench", device_told={"name": "bench"}, kinds=tuple(KIND_CODES), note="", zone="UTC")
    captured = Capture(link, Writer(vault), request, clock=lambda: datetime.now(UTC)).run(previous)
    if captured.skipped:
        raise SystemExit(f"left out: {captured.skipped[:3]}")
    return captured


def _to_folder(vault: Vault, manifest: Manifest, into: Path) -> Report:
    vault.refresh()
    kinds, going, link = list(chosen(vault, manifest, Selection(everything=True))), Going(), FolderLink(into)
    folders = folders_of(vault, manifest, kinds, everything=True)
    place = IntoFiles(vault, link, when_there=WhenThere.REPLACE, folders=folders, going=going)
    return write_back(vault, link, place, kinds, going=going)


def _whole(report: Report) -> None:
    if not all(counts.whole for counts in report.values()):
        raise SystemExit(f"the restore is not whole: {report}")


def _walk_and_stat(root: Path) -> None:
    for folder, _, files in os.walk(root):
        for name in files:
            os.lstat(os.path.join(folder, name))


def _many_files(root: Path, count: int) -> None:
    source = random.Random(3)
    for number in range(count):
        path = root / f"{number // 200:03}" / f"note {number:05}.txt"
        if number % 200 == 0:
            path.parent.mkdir(parents=True)
        path.write_bytes(source.randbytes(200 + number % 1800))


class _CountingBlobs:
    """The same store; counts what is read."""

    def __init__(self, blobs: Any) -> None:
        self._blobs, self.read_bytes = blobs, 0

    def __getattr__(self, name: str) -> Any:
        return getattr(self._blobs, name)

    def read(self, name: str, **more: Any) -> bytes:
        content: bytes = self._blobs.read(name, **more)
        self.read_bytes += len(content)
        return content


class _Agent:
    """A device that keeps nothing but digests, and counts what it is asked."""

    def __init__(self) -> None:
        self.small_requests = 0
        self._held: dict[str, dict[str, tuple[Item, bytes]]] = {}

    def state(self) -> DeviceReport:
        return DeviceReport(make="", model="", family="orlo", os_version="")

    def kinds(self) -> list[str]:
        return [kind for kind in self._held if kind != FOLDERS]

    def inventory(self, kind: str) -> list[Item]:
        self.small_requests += 1 + len(self._held.get(kind, {})) // 500
        return [item for item, _ in self._held.get(kind, {}).values()]

    def read(self, item: Item) -> Iterator[bytes]:
        raise NotImplementedError

    def close(self) -> None:
        """Nothing is open."""

    def tells_digests(self) -> bool:
        return True

    def digests(self, kind: str, ids: Any) -> list[bytes | None]:
        self.small_requests += 1
        return [self._held[kind][id][1] for id in ids]

    def writes_many(self) -> bool:
        return True

    def write_many(self, kind: str, items: Any) -> list[str]:
        self.small_requests += 1
        return [self._keep(kind, small, digest(kind, small.content)) for small in items]

    def create(self, kind: str, name: str, pieces: Any, *, size_bytes: int) -> str:
        return self._keep(kind, SmallItem(id=None, name=name, content=bytes(size_bytes)), digest_of(kind, pieces))

    def replace(self, kind: str, id: str, name: str, pieces: Any, *, size_bytes: int) -> None:
        self.create(kind, name, pieces, size_bytes=size_bytes)

    def _keep(self, kind: str, small: SmallItem, content: bytes) -> str:
        id = secrets.token_hex(8)
        item = Item(kind=kind, id=id, name=small.name, size_bytes=len(small.content), modified=datetime.now(UTC), tag="t")
        self._held.setdefault(kind, {})[id] = (item, content)
        return id


# -- figures


def _seconds(work: Callable[[], object]) -> float:
    os.sync()
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def _figure(name: str, value: float, words: str, *, good: float, wanted: float, unit: str = "", higher: bool = False) -> Figure:
    return Figure(name=name, value=value, unit=unit, told=words, good=good, wanted=wanted, higher=higher)


def _nothing(name: str, why: str, *, good: float, wanted: float) -> Figure:
    return Figure(name=name, value=None, unit="", told=why, good=good, wanted=wanted)


def _times(name: str, ours: list[float], theirs: list[float], *, good: float, wanted: float) -> Figure:
    """How many times as long."""
    words = f"{min(ours):.2f} s, {min(theirs):.2f} s"
    return _figure(name, min(ours) / min(theirs), words, good=good, wanted=wanted, unit=" ×")


def _rate(name: str, ours: list[float], theirs: list[float], *, good: float, wanted: float) -> Figure:
    """Our speed as a share of theirs."""
    words = f"{min(ours):.2f} s, {min(theirs):.2f} s"
    return _figure(name, min(theirs) / min(ours), words, good=good, wanted=wanted, higher=True)
