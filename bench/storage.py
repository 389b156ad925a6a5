"""What a cloud costs: copies to the simulated one against a bare transfer of the same bytes by boto3, and how many requests they take.

Both sides talk to the same process, which is a simple one: what is compared is what the engine adds.
"""

import secrets
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

from adapters.stores.places import blobs_at
from bench.content import Phone
from bench.figures import Figure
from bench.vaults import WORKERS, backup, new_vault, restore
from core.vault.address import BucketAddress
from core.vault.chunks import VaultLimits
from core.vault.copying import copy
from core.vault.key_slots import Policy
from core.vault.keys import Cost
from core.vault.manifests import Manifest
from core.vault.opening import create_vault, open_vault
from core.vault.vault import Vault

BUCKET, ACCESS = "bench", "BENCHKEY"
_QUICK = Policy(cost=Cost(passes=1, memory_bytes=128 * 1024, lanes=1), floor=Cost(passes=1, memory_bytes=1024, lanes=1))
AT_ONCE = 8
"""Transfers side by side of the bare client, as many as the engine's."""


def storage(folder: Path, *, megabytes: int, rounds: int) -> Iterator[Figure]:
    phone = Phone(folder / "phone", megabytes=megabytes)
    source = new_vault(folder / "source")
    first = backup(source, phone.root).manifest
    packs = {name: source.blobs.read(name) for name, _ in source.blobs.list("packs/")}
    size = sum(map(len, packs.values()))
    ours, bare, back, bare_back = [], [], [], []
    for number in range(rounds):
        with _cloud(folder / f"cloud{number}") as (address, client):
            target, into = _target(address, source), folder / f"back{number}"
            ours.append(_timed(partial(copy, source, target, backups=[first.id])))
            bare.append(_timed(partial(_put, client, packs)))
            back.append(_timed(partial(_restored, address, target, first, into)))
            bare_back.append(_timed(partial(_get, client, packs)))
    yield _against("copy to the cloud", size, min(ours), min(bare))
    yield _against("restore from the cloud", size, min(back), min(bare_back))
    with _cloud(folder / "again") as (address, _):
        target = _target(address, source)
        copy(source, target, backups=[first.id])
        second = backup(source, phone.root, first).manifest
        asked = _counted(target)
        copy(source, target, backups=[second.id], settled=True)
        told = ", ".join(f"{count} {name}" for name, count in sorted(asked.items()))
        yield Figure(name="second copy, unchanged", value=sum(asked.values()), unit=" requests", told=told, good=20, wanted=20)


def _against(name: str, size: int, ours: float, bare: float) -> Figure:
    told = f"{size / ours / 1e6:.0f} MB/s against {size / bare / 1e6:.0f} MB/s by boto3 alone"
    return Figure(name=name, value=bare / ours, unit=" of bare", told=told, good=0.5, wanted=0.7, higher=True)


def _timed(act: Any) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


@contextmanager
def _cloud(folder: Path) -> Iterator[tuple[BucketAddress, Any]]:
    """A simulated cloud of its own, as an address for us and a client for the bare side."""
    import boto3
    from botocore.config import Config

    secret = secrets.token_hex(16)
    command = [
        sys.executable,
        "-m",
        "standins.cloud",
        "--data",
        str(folder),
        "--bucket",
        BUCKET,
        "--access-key",
        ACCESS,
        "--secret-key",
        secret,
    ]
    process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None and process.stdin is not None
    url = f"http://127.0.0.1:{int(process.stdout.readline())}"
    config = Config(s3={"addressing_style": "path"}, max_pool_connections=AT_ONCE * 2)
    client = boto3.session.Session().client(
        "s3", endpoint_url=url, aws_access_key_id=ACCESS, aws_secret_access_key=secret, region_name="us-east-1", config=config
    )
    try:
        yield BucketAddress(bucket=BUCKET, prefix="attic", endpoint=url, access_key=ACCESS, secret_key=secret), client
    finally:
        process.stdin.close()
        process.wait(timeout=30)


def _target(address: BucketAddress, source: Vault) -> Vault:
    return create_vault(
        blobs_at(address), passphrase=secrets.token_hex(10), key_file=b"k" * 32, now=datetime.now(UTC), random=secrets.token_bytes,
        limits=VaultLimits(workers=WORKERS), policy=_QUICK, same_key_as=source,
    )[0]  # fmt: skip


def _opened(address: BucketAddress, target: Vault) -> Vault:
    return open_vault(blobs_at(address), key_file=b"k" * 32, random=secrets.token_bytes, limits=target.limits, policy=_QUICK)


def _restored(address: BucketAddress, target: Vault, manifest: Manifest, into: Path) -> None:
    restore(_opened(address, target), manifest, into)


def _put(client: Any, packs: dict[str, bytes]) -> None:
    with ThreadPoolExecutor(AT_ONCE) as pool:
        list(pool.map(lambda name: client.put_object(Bucket=BUCKET, Key=f"bare/{name}", Body=packs[name]), packs))


def _get(client: Any, packs: dict[str, bytes]) -> None:
    with ThreadPoolExecutor(AT_ONCE) as pool:
        list(pool.map(lambda name: client.get_object(Bucket=BUCKET, Key=f"bare/{name}")["Body"].read(), packs))


def _counted(target: Vault) -> Counter[str]:
    """What is asked of the target from now on, by name; a page of a list counts once."""
    asked: Counter[str] = Counter()
    blobs: Any = target.blobs
    for name in ("create", "read", "delete", "list"):
        real = getattr(blobs, name)

        def counting(*given: Any, _real: Any = real, _name: str = name, **more: Any) -> Any:
            asked[_name] += 1
            return _real(*given, **more)

        setattr(blobs, name, counting)
    return asked
