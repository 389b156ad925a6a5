"""One process of several that use a store at once: a writer, a sweeper, a checker, a copier. Tells what it did, a JSON line each.

Writers take their content from the same small pool, so that each relies on what the other has stored and on
what the sweeper is just about to remove.
"""

import hashlib
import json
import random
import secrets
import sys
import time
from datetime import UTC, datetime
from pathlib import Path

from adapters.stores.folder import FolderBlobs
from core.vault.blobs import BlobStore
from core.vault.capture import Capture, Request
from core.vault.check import check
from core.vault.chunks import VaultLimits
from core.vault.copying import copy
from core.vault.errors import RunTooLong
from core.vault.manifests import Manifest
from core.vault.opening import open_vault
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import LENIENT, PASSPHRASE, MemoryDevice
from core.vault.vault import Vault
from core.vault.writer import Writer

LIMITS = VaultLimits(pack_bytes=128 * 1024, bundle_bytes=1024, tiny_bytes=512, most_small_packs=8)
GRACE_SECONDS = 1.0
PAUSE_SECONDS = 1.0
MOST_ROUNDS_AFTER = 100
OWN_BYTES = 150_000
POOL = [random.Random(n).randbytes(30_000) for n in range(14)]


def blobs_of(where: str) -> BlobStore:
    if where.startswith("s3 "):
        from adapters.stores.s3 import Bucket, S3Blobs

        _, endpoint, bucket, key, secret = where.split()
        return S3Blobs(Bucket(bucket=bucket, prefix="attic", endpoint=endpoint, access_key=key, secret_key=secret))
    return FolderBlobs(Path(where))


def digest(content: dict[tuple[str, str], bytes]) -> str:
    return hashlib.sha256(repr(sorted(content.items())).encode()).hexdigest()


def opened(where: str) -> Vault:
    return open_vault(blobs_of(where), passphrase=PASSPHRASE, random=secrets.token_bytes, limits=LIMITS, policy=LENIENT)


def write(where: str, seed: int, backups: int) -> None:
    source, mine, made = random.Random(seed), list[Manifest](), 0
    content: dict[tuple[str, str], bytes] = {}
    while made < backups:
        for n in range(6):
            content["photos", f"p{n}"] = source.choice(POOL)
        for n in source.sample(range(40), 8):
            content["contacts", f"c{n:02}"] = source.choice(POOL)[:100]
        content["photos", "own"] = source.randbytes(OWN_BYTES)  # nobody else needs it: once removed it is there to be freed
        vault = opened(where)
        request = Request(device=f"d{seed}", device_told={"name": f"d{seed}"}, kinds=("contacts", "photos"), note="", zone="UTC")
        try:
            device = MemoryDevice(dict(content))
            captured = Capture(device, Writer(vault), request, clock=lambda: datetime.now(UTC)).run(mine[-1] if mine else None)
        except RunTooLong:
            tell({"too_long": True})
            continue
        mine.append(captured.manifest)
        made += 1
        tell({"made": captured.manifest.id.hex(), "digest": digest(content)})
        while len(mine) > 3:
            gone = mine.pop(source.randrange(len(mine) - 1))
            tell({"removed": gone.id.hex()})  # before it is done: whoever is killed in between may or may not have done it
            vault.remove(gone.id)
        # so that the others get on too: whoever writes without end takes all of a small machine
        time.sleep(source.random() * PAUSE_SECONDS)


def clean(where: str, done: Path) -> None:
    """Sweeps until the file `done` is there, and then until it has freed something, for so many rounds at the most."""
    freed, left = 0, MOST_ROUNDS_AFTER
    while left and not (done.exists() and freed > 0):
        left -= done.exists()
        report = sweep(opened(where), now=datetime.now(UTC), grace_seconds=GRACE_SECONDS)
        freed += report.freed_bytes
        tell({"freed": report.freed_bytes})
        time.sleep(0.1)


def prove(where: str) -> None:
    """Checks for ever."""
    while True:
        report = check(opened(where), percent=50)
        tell({"damaged": [f"{entry.object}: {entry.reason}" for entry in report.damaged]})


def carry(where: str, to: str) -> None:
    """Copies for ever."""
    while True:
        report = copy(opened(where), opened(to))
        tell({"copied": len(report.copied)})


def tell(what: dict[str, object]) -> None:
    print(json.dumps(what), flush=True)


if __name__ == "__main__":
    if sys.argv[1] == "write":
        _, _, where, seed, backups = sys.argv
        write(where, int(seed), int(backups))
    elif sys.argv[1] == "check":
        prove(sys.argv[2])
    elif sys.argv[1] == "copy":
        carry(sys.argv[2], sys.argv[3])
    else:
        clean(sys.argv[2], Path(sys.argv[3]))
