"""What it costs to take content out in open formats: an archive and a bag against reading alone, and how much memory they take.

Both are held against the vault that reads the same content out of the same store: what is written is counted and dropped, as it is on that
side. What it costs to seal it onto the disk, where a download waits, is a figure of its own.
"""

import hashlib
import io
import json
import os
import random
import re
import secrets
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import IO, cast

from adapters.destinations.downloads import SealedDownloads
from adapters.stores.folder import FolderBlobs
from bench import limit
from bench.content import Phone
from bench.figures import Figure
from bench.vaults import WORKERS, backup, new_vault, opened, reopened
from core.content.items import Item
from core.content.link import DeviceReport
from core.exchange.archive import Archive
from core.exchange.bag import Bag
from core.exchange.read_vcard import cards, contact
from core.exchange.vcard import card_bytes, keep_card
from core.exchange.zipped import Zipped
from core.recovery.exporting import Chosen
from core.recovery.restore import Going
from core.vault.capture import Capture, Request
from core.vault.manifests import Manifest
from core.vault.vault import Vault
from core.vault.writer import Writer

CARDS = 20_000
ITEMS = 100_000
LARGE_BYTES = 8 << 30
NOW = datetime(2026, 3, 2, tzinfo=UTC)


def formats(folder: Path, *, megabytes: int, rounds: int) -> Iterator[Figure]:
    """The large item and the many items shrink with the content, so that little content is measured quickly."""
    phone = Phone(folder / "phone", megabytes=megabytes)
    size = sum(path.stat().st_size for path in phone.root.rglob("*") if path.is_file())
    layout, _ = limit.forward(sorted(path for path in phone.root.rglob("*") if path.is_file()), folder / "limit", workers=WORKERS)
    backward = partial(limit.backward, layout, folder / "limit", root=phone.root, into=None, workers=WORKERS)
    vault = new_vault(folder / "store")
    manifest = backup(vault, phone.root).manifest
    bare, reads, ours, sealed, hashing, bags = [], [], [], [], [], []
    for _ in range(rounds):
        bare.append(_timed(backward))
        reads.append(_timed(partial(read, reopened(vault), manifest)))
        ours.append(_timed(partial(fill, reopened(vault), manifest, cast("IO[bytes]", _Nowhere()), bag=False)))
        sealed.append(_timed(partial(export, reopened(vault), manifest, folder / "exports", bag=False)))
        hashing.append(_timed(partial(read, reopened(vault), manifest, hashlib.sha256().update)))
        bags.append(_timed(partial(fill, reopened(vault), manifest, cast("IO[bytes]", _Nowhere()), bag=True)))
        _removed(folder / "exports")
    yield _against("a ZIP against what the vault reads", size, min(ours), min(reads), f", {size / min(bare) / 1e6:.0f} MB/s by hand")
    yield _against("the same, sealed onto the disk", size, min(sealed), min(reads), ", as a download waits")
    yield _against("a bag against reading and hashing", size, min(bags), min(hashing), ", in one pipeline")
    share = min(1.0, megabytes / 1000)
    many, large = max(200, int(ITEMS * share)), max(1 << 25, int(LARGE_BYTES * share))
    yield _peak(folder, f"{many:,} items", _Many(many))
    yield _peak(folder, f"one item of {large / 2**30:.3g} GiB", _Large(large))
    count = max(100, int(CARDS * share))
    came = b"".join(_card(number) for number in range(count))
    fields: list[dict[str, object]] = []
    took_in = _timed(lambda: fields.extend(_cards_in(came)))
    took_out = _timed(lambda: [card_bytes(record, uid=f"{number}") for number, record in enumerate(fields)])
    yield Figure(
        name=f"{count:,} cards in and out", value=took_in + took_out, unit=" s", told=f"{took_in:.1f} s in, {took_out:.1f} s out",
        good=7 * share, wanted=5 * share,
    )  # fmt: skip


def export(vault: Vault, manifest: Manifest, into: Path, *, bag: bool) -> int:
    """As the product does it, into a sealed file: how large the archive is."""
    downloads = SealedDownloads(into, key=lambda: b"k" * 32, word=b"w" * 16, random=secrets.token_bytes)
    with downloads.new("out") as file:
        fill(vault, manifest, file, bag=bag)
        return file.seek(0, os.SEEK_END)


def fill(vault: Vault, manifest: Manifest, file: IO[bytes], *, bag: bool) -> None:
    vault.refresh()
    zipped = Zipped(file)
    archive = Archive(Bag(zipped, within="moment", now=NOW) if bag else zipped, now=NOW)
    for summary in manifest.kinds:
        archive.add_kind(summary.kind, Chosen(vault, list(vault.items(manifest, summary.kind)), Going()))
    report = archive.close()
    if report.damaged or sum(report.written.values()) != manifest.items:
        raise SystemExit("not everything of a fresh store was exported")


class _Nowhere(io.RawIOBase):
    """What is written is counted, and gone."""

    def __init__(self) -> None:
        super().__init__()
        self._at = 0

    def write(self, content: bytes) -> int:  # type: ignore[override]
        self._at += len(content)
        return len(content)

    def seek(self, offset: int, whence: int = os.SEEK_SET) -> int:
        self._at = offset
        return offset

    def tell(self) -> int:
        return self._at


def read(vault: Vault, manifest: Manifest, on_content: Callable[[bytes], object] = lambda content: None) -> None:
    """What the vault itself needs to give everything back, whatever becomes of it."""
    vault.refresh()
    for summary in manifest.kinds:
        for _, content in Chosen(vault, list(vault.items(manifest, summary.kind)), Going())():
            for piece in content():
                on_content(piece)


def _removed(exports: Path) -> None:
    for path in exports.iterdir():
        path.unlink()


def _against(name: str, size: int, ours: float, bare: float, besides: str) -> Figure:
    words = f"{size / ours / 1e6:.0f} MB/s against {size / bare / 1e6:.0f} MB/s{besides}"
    return Figure(name=name, value=bare / ours, unit=" of it", told=words, good=0.5, wanted=0.6, higher=True)


def _peak(folder: Path, name: str, device: "_Many | _Large") -> Figure:
    """In a process of its own, so that its memory is that of the export alone."""
    store = folder / f"store of {name}"
    vault = new_vault(store)
    request = Request(device="bench", device_told={}, kinds=tuple(device.kinds()), note="", zone="UTC")
    Capture(device, Writer(vault), request, clock=lambda: NOW).run(None)  # type: ignore[arg-type]
    command = [sys.executable, "-m", "bench.formats", os.fspath(store), os.fspath(folder / "exports")]
    measured = json.loads(subprocess.run(command, check=True, capture_output=True, text=True).stdout)
    took = f"{measured['seconds']:.0f} s, {measured['bytes'] / 1e6:.0f} MB of archive"
    return Figure(name=f"memory for {name}", value=measured["peak"] / 1e6, unit=" MB", told=took, good=300, wanted=200)


def _alone(store: Path, into: Path) -> dict[str, float]:
    vault = opened(FolderBlobs(store))
    vault.refresh()
    (manifest,) = vault.manifests()
    began = time.perf_counter()
    size = export(vault, manifest, into, bag=False)
    peak = re.search(r"VmHWM:\s+(\d+) kB", Path("/proc/self/status").read_text())
    assert peak is not None
    return {"peak": int(peak[1]) * 1024, "seconds": time.perf_counter() - began, "bytes": size}


class _Device:
    protocol = 2

    def state(self) -> DeviceReport:
        return DeviceReport(make="Orlo", model="P5", family="orlo", os_version="1")


class _Many(_Device):
    """Cards, messages and small files."""

    def __init__(self, count: int) -> None:
        self._of = {"contacts": count // 5, "messages": count // 5, "documents": count - 2 * (count // 5)}

    def kinds(self) -> list[str]:
        return list(self._of)

    def inventory(self, kind: str) -> list[Item]:
        return [
            Item(kind=kind, id=f"{n:07}", name=f"a folder/{n:07}", size_bytes=len(self._content(kind, n)), modified=NOW, tag="1")
            for n in range(self._of[kind])
        ]

    def read(self, item: Item) -> Iterator[bytes]:
        yield self._content(item.kind, int(item.id))

    @staticmethod
    def _content(kind: str, number: int) -> bytes:
        if kind == "contacts":
            return json.dumps({"display": f"Ada Quay {number}", "phones": [{"label": "cell", "number": f"+00 {number:09}"}]}).encode()
        if kind == "messages":
            texts = [{"from": "Bo", "at": "2026-01-01T10:00:00+00:00", "text": f"tide {number} {n} " + "low " * 20} for n in range(5)]
            return json.dumps({"with": ["Bo"], "messages": texts}).encode()
        return random.Random(number).randbytes(2000)


class _Large(_Device):
    """One film, whose content is the same megabyte again and again: in a store it takes no room."""

    def __init__(self, size_bytes: int) -> None:
        self._size = size_bytes
        self._piece = random.Random(1).randbytes(1 << 24)

    def kinds(self) -> list[str]:
        return ["videos"]

    def inventory(self, kind: str) -> list[Item]:
        return [Item(kind="videos", id="v", name="v.mp4", size_bytes=self._size, modified=NOW, tag="1")]

    def read(self, item: Item) -> Iterator[bytes]:
        left = self._size
        while left > 0:
            yield self._piece[:left]
            left -= len(self._piece)


def _card(number: int) -> bytes:
    """As phones write them; a made-up person."""
    lines = [
        "BEGIN:VCARD", "VERSION:3.0", f"N:Quay{number};Ada;;;", f"FN:Ada Quay{number}", "ORG:Saltmarsh & Pike;Surveying", "TITLE:Surveyor",
        f"TEL;TYPE=CELL:+00 555 {number:06}", f"TEL;TYPE=WORK,VOICE:+00 556 {number:06}", f"EMAIL;TYPE=INTERNET:ada{number}@office.example",
        f"item1.ADR;TYPE=HOME:;;{number} Sluice Lane;Saltmarsh;;04711;", "item1.X-ABLabel:Ferienhaus", "BDAY:1980-04-01",
        f"NOTE:Knows the tide tables. {'Likes long lines that have to be folded. ' * 3}", f"UID:card-{number}", "END:VCARD", "",
    ]  # fmt: skip
    return "\r\n".join(lines).encode()


def _cards_in(content: bytes) -> Iterator[dict[str, object]]:
    for block in cards(content[at : at + 65_536] for at in range(0, len(content), 65_536)):
        _, record = contact(block)
        keep_card(record, bytes(block.raw))
        yield record


def _timed(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


if __name__ == "__main__":
    print(json.dumps(_alone(Path(sys.argv[1]), Path(sys.argv[2]))))
