"""What a cloud costs: copies to it and restores from it against boto3's own transfers of the same bytes from and to files, in memory, and
in requests.

Twice: the simulated cloud that ships with the product, and an independent object store. In each both sides talk to the same
process, so that what is compared is what the engine adds: opening every chunk, sealing, checking, writing thousands of files.
"""

import os
import secrets
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from functools import partial
from pathlib import Path
from typing import Any

from adapters.stores.places import blobs_at
from bench.content import Phone
from bench.figures import Figure
from bench.million import million
from bench.office import large_office, stores_asked
from bench.vaults import backup, new_vault, opened, prepared, restore
from core.vault.address import BucketAddress
from core.vault.copying import copy
from core.vault.manifests import Manifest
from core.vault.vault import Vault

BUCKET, ACCESS = "bench", "BENCHKEY"
Cloud = tuple[BucketAddress, Any]
"""An address for us, a client for the bare side."""


def storage(folder: Path, *, megabytes: int, rounds: int) -> Iterator[Figure]:
    with large_office(nights=60) as (_, words):
        yield from stores_asked(words)
    yield from million()
    phone = Phone(folder / "phone", megabytes=megabytes)
    source = new_vault(folder / "source")
    first = backup(source, phone.root).manifest
    for name, start in (("the simulated cloud", _simulated), ("an object store", _independent)):
        yield from _transfers(folder, name, start, source, first, rounds)
    with _simulated(folder / "peak") as (address, _):
        _target(address, source)
        yield _peak(address, folder / "source", first, megabytes)
    with _simulated(folder / "again") as (address, _):
        target = _target(address, source)
        copy(source, target, backups=[first.id])
        second = backup(source, phone.root, first).manifest
        asked = _counted(target)
        copy(source, target, backups=[second.id], settled=True)
        words = ", ".join(f"{count} {name}" for name, count in sorted(asked.items()))
        yield Figure(name="second copy, unchanged", value=sum(asked.values()), unit=" requests", told=words, good=20, wanted=20)


def _transfers(
    folder: Path, name: str, start: Callable[[Path], AbstractContextManager[Cloud]], source: Vault, first: Manifest, rounds: int
) -> Iterator[Figure]:
    packs = {pack: folder / "source" / pack for pack, _ in source.blobs.list("packs/")}
    size = sum(path.stat().st_size for path in packs.values())
    ours, bare, back, bare_back, requests = [], [], [], [], 0
    for number in range(rounds):
        here = folder / f"{name} {number}"
        with start(here) as (address, client):
            target = _target(address, source)
            asked = _counted(target)
            ours.append(_timed(partial(copy, source, target, backups=[first.id])))
            requests = sum(asked.values())
            bare.append(_timed(partial(_put, client, packs)))
            back.append(_timed(partial(_restored, address, first, here / "back")))
            bare_back.append(_timed(partial(_get, client, packs, here / "bare")))
    words = f", {requests * 1e9 / size:.0f} requests a GB"
    yield _against(f"copy to {name}", size, min(ours), min(bare), more=words)
    yield _against(f"restore from {name}", size, min(back), min(bare_back))


def _against(name: str, size: int, ours: float, bare: float, *, more: str = "") -> Figure:
    words = f"{size / ours / 1e6:.0f} MB/s against {size / bare / 1e6:.0f} MB/s by boto3 alone{more}"
    return Figure(name=name, value=bare / ours, unit=" of bare", told=words, good=0.5, wanted=0.7, higher=True)


def _peak(address: BucketAddress, source: Path, first: Manifest, megabytes: int) -> Figure:
    words = [os.fspath(source), first.id.hex(), address.endpoint, address.bucket, address.access_key, address.secret_key]
    printed = subprocess.run([sys.executable, "-m", "bench.copied", *words], check=True, capture_output=True, text=True).stdout
    return Figure(
        name="memory of a copy",
        value=int(printed) / 1e6,
        unit=" MB",
        told=f"peak resident, {megabytes} MB of content",
        good=300,
        wanted=200,
    )


def _timed(act: Any) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


@contextmanager
def _simulated(folder: Path) -> Iterator[Cloud]:
    """A simulated cloud in a process of its own."""
    secret = secrets.token_hex(16)
    words = ["--data", os.fspath(folder), "--bucket", BUCKET, "--access-key", ACCESS, "--secret-key", secret]
    process = subprocess.Popen([sys.executable, "-m", "standins.cloud", *words], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None and process.stdin is not None
    address = BucketAddress(
        bucket=BUCKET,
        prefix="attic",
        endpoint=f"http://127.0.0.1:{int(process.stdout.readline())}",
        access_key=ACCESS,
        secret_key=secret,
        inside="yes",
    )
    try:
        yield address, _client(address)
    finally:
        process.stdin.close()
        process.wait(timeout=30)


@contextmanager
def _independent(folder: Path) -> Iterator[Cloud]:
    """SeaweedFS, where its wheel is installed."""
    from bench.object_store import KEY, SECRET, SeaweedFS

    folder.mkdir(parents=True)
    server = SeaweedFS()
    address = BucketAddress(bucket=BUCKET, prefix="attic", endpoint=server.url, access_key=KEY, secret_key=SECRET, inside="yes")
    client = _client(address)
    client.create_bucket(Bucket=BUCKET)
    try:
        yield address, client
    finally:
        server.stop()


def _client(address: BucketAddress) -> Any:
    import boto3
    from botocore.config import Config

    return boto3.session.Session().client(
        "s3", endpoint_url=address.endpoint, aws_access_key_id=address.access_key, aws_secret_access_key=address.secret_key,
        region_name="us-east-1", config=Config(s3={"addressing_style": "path"}, max_pool_connections=16),
    )  # fmt: skip


def _target(address: BucketAddress, source: Vault) -> Vault:
    return prepared(blobs_at(address), same_key_as=source)


def _restored(address: BucketAddress, manifest: Manifest, into: Path) -> None:
    restore(opened(blobs_at(address)), manifest, into)


def _put(client: Any, packs: dict[str, Path]) -> None:
    for name, path in packs.items():
        client.upload_file(os.fspath(path), BUCKET, f"bare/{name}")


def _get(client: Any, packs: dict[str, Path], into: Path) -> None:
    into.mkdir(parents=True)
    for name in packs:
        client.download_file(BUCKET, f"bare/{name}", os.fspath(into / name.replace("/", "-")))


def _counted(target: Vault) -> Counter[str]:
    """What is asked of the target from now on, by name; a page of a list counts once."""
    asked: Counter[str] = Counter()
    blobs: Any = target.blobs
    for name in ("create", "read", "delete", "list"):
        real = getattr(blobs, name)

        def counting(*arguments: Any, _real: Any = real, _name: str = name, **more: Any) -> Any:
            asked[_name] += 1
            return _real(*arguments, **more)

        setattr(blobs, name, counting)
    return asked
