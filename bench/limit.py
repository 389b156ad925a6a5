"""The limit: what the machine could do if there were nothing to manage.

A loop composed by hand of the same libraries: read → FastCDC → keyed hash → zstd-3 → seal → append, and its reverse.
One thread reads and cuts, a pool of as many threads as the vault has does the rest; one file takes everything.
No index, no names, no footers, no proof that the disk has it. The vault cannot be faster; the ratio says what it adds.
"""

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from threading import local

import zstandard
from blake3 import blake3
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from pyfastcdc import FastCDC

_KEY = b"k" * 32
_BATCH = 1 << 20
_PIECE = 4 << 20
_kept = local()

Record = tuple[int, int]
"""(offset in the file, length)."""


def forward(files: Iterable[Path], out: Path, *, workers: int) -> tuple[list[tuple[Path, list[Record]]], int]:
    """Everything into one file: (records of each file, bytes written)."""
    cipher = AESGCM(_KEY)
    cdc = FastCDC(256 << 10, min_size=64 << 10, max_size=2 << 20)
    layout: list[tuple[Path, list[Record]]] = []
    seen: set[bytes] = set()
    at = number = 0

    def done(chunks: list[memoryview], first: int) -> list[tuple[bytes, bytes]]:
        if not hasattr(_kept, "zip"):
            _kept.zip = zstandard.ZstdCompressor(level=3)
        sealed = []
        for offset, chunk in enumerate(chunks):
            id = blake3(chunk, key=_KEY).digest(length=16)
            packed = _kept.zip.compress(chunk)
            frame = b"\1" + packed if len(packed) < len(chunk) else b"\0" + chunk
            sealed.append((id, cipher.encrypt((first + offset).to_bytes(12, "big"), frame, None)))
        return sealed

    with ThreadPoolExecutor(workers) as pool, out.open("wb", buffering=0) as file:
        pending: deque[tuple[list[list[Record]], Future[list[tuple[bytes, bytes]]]]] = deque()

        def collect() -> None:
            nonlocal at
            owners, future = pending.popleft()
            for records, (id, sealed) in zip(owners, future.result(), strict=True):
                seen.add(id)
                file.write(sealed)
                records.append((at, len(sealed)))
                at += len(sealed)

        batch: list[memoryview] = []
        owners: list[list[Record]] = []
        size = 0
        for path in files:
            records: list[Record] = []
            layout.append((path, records))
            for chunk in _chunks(path, cdc):
                batch.append(chunk)
                owners.append(records)
                size += len(chunk)
                if size >= _BATCH:
                    pending.append((owners, pool.submit(done, batch, number)))
                    number += len(batch)
                    batch, owners, size = [], [], 0
                    while len(pending) > workers + 2:
                        collect()
        pending.append((owners, pool.submit(done, batch, number)))
        while pending:
            collect()
    return layout, at


def _chunks(path: Path, cdc: FastCDC) -> Iterator[memoryview]:
    with path.open("rb", buffering=0) as file:
        size = os.fstat(file.fileno()).st_size
        rest = b""
        while size > 0:
            piece = file.read(min(_PIECE, size))
            size -= len(piece)
            whole = rest + piece if rest else piece
            view, start = memoryview(whole), 0
            for chunk in cdc.cut_buf(whole):
                end = chunk.offset + chunk.length
                if end < len(whole) or size <= 0:
                    yield view[chunk.offset : end]
                    start = end
            rest = whole[start:]


def backward(
    layout: list[tuple[Path, list[Record]]],
    stored: Path,
    *,
    root: Path,
    into: Path | None,
    workers: int,
    on_content: Callable[[bytes], object] = lambda content: None,
) -> None:
    """The reverse: read → open → decompress, then write the files again, or hash when there is nowhere to write.
    `on_content`: gets everything, in order."""
    cipher = AESGCM(_KEY)
    numbers = {record: number for number, record in enumerate(record for _, records in layout for record in records)}

    def opened(descriptor: int, records: list[Record]) -> list[bytes]:
        if not hasattr(_kept, "unzip"):
            _kept.unzip = zstandard.ZstdDecompressor()
        first = records[0][0]
        whole = memoryview(os.pread(descriptor, records[-1][0] + records[-1][1] - first, first))
        rows = []
        for offset, length in records:
            frame = cipher.decrypt(numbers[offset, length].to_bytes(12, "big"), whole[offset - first : offset - first + length], None)
            content = _kept.unzip.decompress(memoryview(frame)[1:]) if frame[:1] == b"\1" else frame[1:]
            if into is None:
                blake3(content, key=_KEY).digest(length=16)
            rows.append(content)
        return rows

    descriptor = os.open(stored, os.O_RDONLY)
    pending: deque[tuple[list[tuple[Path, int, int]], Future[list[bytes]]]] = deque()
    current: list[object] = [None, None]

    def put(plan: list[tuple[Path, int, int]], contents: list[bytes]) -> None:
        for (path, place, count), content in zip(plan, contents, strict=True):
            on_content(content)
            if into is None:
                continue
            if place == 0:
                target = into / path.relative_to(root)
                target.parent.mkdir(parents=True, exist_ok=True)
                current[0] = target.open("wb", buffering=0)
            current[0].write(content)  # type: ignore[attr-defined]
            if place == count - 1:
                current[0].close()  # type: ignore[attr-defined]

    try:
        with ThreadPoolExecutor(workers) as pool:
            plan: list[tuple[Path, int, int]] = []
            records: list[Record] = []
            for path, rows in layout:
                for place, record in enumerate(rows):
                    plan.append((path, place, len(rows)))
                    records.append(record)
                    if records[-1][0] + records[-1][1] - records[0][0] >= _BATCH:
                        pending.append((plan, pool.submit(opened, descriptor, records)))
                        plan, records = [], []
                        while len(pending) > workers + 1:
                            paths, future = pending.popleft()
                            put(paths, future.result())
            if records:
                pending.append((plan, pool.submit(opened, descriptor, records)))
            while pending:
                paths, future = pending.popleft()
                put(paths, future.result())
    finally:
        os.close(descriptor)


def walk_stat_compare(root: Path, known: dict[str, tuple[int, int]]) -> int:
    """Walk a folder, stat every file, compare with what is known: how many differ."""
    differ = 0
    waiting = [os.fspath(root)]
    start = len(waiting[0]) + 1
    while waiting:
        with os.scandir(waiting.pop()) as entries:
            for entry in entries:
                if entry.is_dir(follow_symlinks=False):
                    waiting.append(entry.path)
                else:
                    facts = entry.stat(follow_symlinks=False)
                    differ += known.get(entry.path[start:]) != (facts.st_mtime_ns, facts.st_size)
    return differ


def known_files(root: Path) -> dict[str, tuple[int, int]]:
    """What `walk_stat_compare` compares with."""
    fields = {}
    for path in root.rglob("*"):
        if path.is_file():
            facts = path.lstat()
            fields[path.relative_to(root).as_posix()] = (facts.st_mtime_ns, facts.st_size)
    return fields


def unique_64k_after_zstd(roots_by_day: Iterable[list[Path]], seen: set[bytes] | None = None) -> int:
    """Bytes of all unique FastCDC chunks of 64 KiB after zstd-3, over several days."""
    cdc = FastCDC(64 << 10)
    zip_ = zstandard.ZstdCompressor(level=3)
    seen = set() if seen is None else seen
    total = 0
    for files in roots_by_day:
        for path in files:
            content = path.read_bytes()
            view = memoryview(content)
            for chunk in cdc.cut_buf(content) if content else ():
                part = view[chunk.offset : chunk.offset + chunk.length]
                id = blake3(part).digest(length=16)
                if id not in seen:
                    seen.add(id)
                    total += min(len(zip_.compress(part)), len(part))
    return total
