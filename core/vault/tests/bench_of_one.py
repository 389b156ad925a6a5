"""A small vault in memory and a device in memory, for tests. Time and randomness are under control."""

import random
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime, timedelta
from zlib import crc32

from core.content.accounts import Account
from core.content.digests import digest
from core.content.errors import LinkCut
from core.content.items import Item
from core.content.kinds import FOLDERS
from core.content.link import DeviceReport, SmallItem
from core.vault.blobs import BlobStore
from core.vault.capture import Capture, Captured, Request
from core.vault.chunks import VaultLimits
from core.vault.key_slots import SlotPolicy
from core.vault.keys import StretchCost
from core.vault.manifests import Manifest
from core.vault.memory import MemoryBlobs
from core.vault.opening import create_vault
from core.vault.vault import Vault
from core.vault.writer import Writer

CHEAP = StretchCost(passes=1, memory_bytes=128 * 1024, lanes=1)
LENIENT = SlotPolicy(cost=CHEAP, floor=CHEAP)
"""Guesses that cost nothing, so that tests need not wait for them."""
PASSPHRASE = "tide tables and chalk"
START = datetime(2026, 3, 2, 22, 0, tzinfo=UTC)
SMALL = VaultLimits(pack_bytes=64 * 1024, grace_seconds=3600, workers=1)


class MemoryDevice:
    """A device whose content is a dictionary. `cut_after` bytes its cable comes loose."""

    def __init__(self, content: dict[tuple[str, str], bytes]) -> None:
        self.content = content
        self.names: dict[tuple[str, str], str] = {}
        """Of items that are called otherwise than their id."""
        self.cut_after: int | None = None
        self.lies: dict[str, int] = {}
        self.told = DeviceReport(make="Harrow", model="H1", family="orlo", os_version="9", locked=False, data_access=True)
        self.told_accounts: list[Account] = []
        self.sent_bytes = self.requests = 0
        self.protocol = 2
        self.takes_at_once = 100

    def state(self) -> DeviceReport:
        return self.told

    def accounts(self) -> list[Account]:
        return self.told_accounts

    def kinds(self) -> list[str]:
        return sorted({kind for kind, _ in self.content})

    def inventory(self, kind: str) -> list[Item]:
        return [
            Item(
                kind=kind,
                id=id,
                name=self.names.get((kind, id), id),
                size_bytes=self.lies.get(id, len(content)),
                modified=START,
                tag=str(crc32(content)),
            )
            for (of, id), content in sorted(self.content.items())
            if of == kind
        ]

    def read(self, item: Item) -> Iterator[bytes]:
        content = self.content[item.kind, item.id]
        for at in range(0, len(content), 10_000):
            piece = content[at : at + 10_000]
            self.sent_bytes += len(piece)
            if self.cut_after is not None and self.sent_bytes > self.cut_after:
                raise LinkCut("The cable came loose.")
            yield piece

    def tells_digests(self) -> bool:
        return self.protocol >= 2

    def digests(self, kind: str, ids: Sequence[str]) -> list[bytes | None]:
        return [digest(kind, self.content[kind, id]) if (kind, id) in self.content else None for id in ids]

    def writes_many(self) -> bool:
        return self.protocol >= 2

    def write_many(self, kind: str, items: Sequence[SmallItem]) -> list[str]:
        self.requests += 1
        ids = []
        for item in items[: self.takes_at_once]:
            if item.id is None:
                ids.append(self.create(kind, item.name, [item.content], size_bytes=len(item.content)))
            else:
                self.replace(kind, item.id, item.name, [item.content], size_bytes=len(item.content))
                ids.append(item.id)
        return ids

    def create(self, kind: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> str:
        id, number = name, 1
        while (kind, id) in self.content:
            number += 1
            id = f"{name} {number}"
        self.content[kind, id] = b"".join(pieces)
        self.names[kind, id] = name
        return id

    def replace(self, kind: str, id: str, name: str, pieces: Iterable[bytes], *, size_bytes: int) -> None:
        self.content[kind, id] = b"".join(pieces)

    def close(self) -> None:
        pass


class Bench:
    """One vault, a clock that only moves when told, and back doors into the blobs."""

    def __init__(
        self, blobs: BlobStore | None = None, limits: VaultLimits = SMALL, *, seed: int = 7, same_key_as: Vault | None = None
    ) -> None:
        self.blobs = blobs or MemoryBlobs()
        self.random = random.Random(seed).randbytes
        self.now = START
        self.limits = limits
        self.vault, self.recovery_code = create_vault(
            self.blobs,
            passphrase=PASSPHRASE,
            key_file=b"k" * 32,
            now=self.now,
            random=self.random,
            limits=limits,
            policy=LENIENT,
            same_key_as=same_key_as,
        )

    def again(self) -> Vault:
        """The same vault as another process would see it."""
        return Vault(self.blobs, self.vault.keys, store=self.vault.store, random=self.random, limits=self.limits)

    def capture(self, device: MemoryDevice, previous: Manifest | None = None, *, of: str = "d1", **hooks: object) -> Captured:
        self.now += timedelta(minutes=1)
        request = Request(
            device=of,
            device_told={"name": "H1"},
            kinds=tuple(kind for kind in device.kinds() if kind != FOLDERS),
            note="",
            zone="Europe/Berlin",
        )
        return Capture(device, Writer(self.again()), request, clock=lambda: self.now, **hooks).run(previous)  # type: ignore[arg-type]


def contents(vault: Vault, manifest: Manifest) -> dict[tuple[str, str], bytes]:
    """Everything in a backup, read back."""
    vault.refresh()
    return {
        (summary.kind, stored.item.id): b"".join(vault.read(stored))
        for summary in manifest.kinds
        for stored in vault.items(manifest, summary.kind)
    }


def phone(seed: int = 1) -> dict[tuple[str, str], bytes]:
    """Content of a small phone: many tiny contacts, some photos, a database, an empty file."""
    source = random.Random(seed)
    held = {("contacts", f"c{n:03}"): f'{{"name": "Person {n}"}}'.encode() for n in range(150)}
    held |= {("photos", f"p{n}"): source.randbytes(30_000 + n) for n in range(6)}
    held["app_data", "notes.sqlite"] = b"SQLite format 3\x00" + b"row of text, " * 20_000
    held["documents", "empty.txt"] = b""
    return held
