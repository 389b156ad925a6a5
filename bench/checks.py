"""What proving costs: a check through the server and a drill against what the machine can read, and what a night's share takes from runs.

The limit is that of `bench.limit`: the same content read, opened and unpacked by hand, with nothing to manage. Runs and checks are
measured as they work side by side, in two processes. A lower priority of the check's process was tried and changed nothing.
"""

import os
import secrets
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from random import Random

from adapters.destinations.scratch import ScratchFolder
from bench import limit
from bench.content import Phone
from bench.figures import Figure
from bench.office import large_office
from bench.vaults import WORKERS, backup, new_vault, reopened
from core.recovery.drill import drill
from core.vault import blobs as names
from core.vault.check import check
from core.vault.reading import SHARE_BYTES_PER_SECOND, next_packs, slowed

STORE_DAYS = 14
LARGE = 10
"""Times the content: the store of which a share is read."""


def checks(folder: Path, *, megabytes: int, rounds: int) -> Iterator[Figure]:
    phone = Phone(folder / "phone", megabytes=megabytes)
    size = sum(path.stat().st_size for path in phone.root.rglob("*") if path.is_file())
    layout, _ = limit.forward(sorted(path for path in phone.root.rglob("*") if path.is_file()), folder / "limit", workers=WORKERS)
    bare = min(
        _timed(partial(limit.backward, layout, folder / "limit", root=phone.root, into=None, workers=WORKERS)) for _ in range(rounds)
    )
    yield _through_the_server(phone, size, bare, rounds)
    vault = new_vault(folder / "store")
    manifest = backup(vault, phone.root).manifest
    drills = []
    for number in range(rounds):
        fresh = reopened(vault)
        fresh.refresh()
        began = time.perf_counter()
        report = drill(fresh, manifest, ScratchFolder(folder / f"scratch {number}"), draw=Random(1).random)
        drills.append(time.perf_counter() - began)
        if not report.whole:
            raise SystemExit("the drill of a fresh store failed")
    yield _against("a drill", size, min(drills), bare, wanted=0.5)
    yield _beside_runs(folder, megabytes, phone, rounds)


def _against(name: str, size: int, ours: float, bare: float, *, wanted: float) -> Figure:
    words = f"{size / ours / 1e6:.0f} MB/s against {size / bare / 1e6:.0f} MB/s by hand, nothing kept"
    return Figure(
        name=f"{name} against the read limit", value=bare / ours, unit=" of it", told=words, good=wanted * 0.8, wanted=wanted, higher=True
    )


def _through_the_server(phone: Phone, size: int, bare: float, rounds: int) -> Figure:
    with large_office(devices=1, nights=1) as (environment, _):
        from core.vault.address import FolderAddress
        from server import ports
        from server.people.models import User
        from server.runs.actions.check_store import check_store
        from server.storage.actions.add_store import create_store
        from server.storage.queries import opened

        ports.keys().make_key()
        passphrase = secrets.token_hex(12)
        store = create_store(
            name="measured", address=FolderAddress(path=f"{environment['ATTIC_DATA']}/stores/measured"), passphrase=passphrase,
            passphrase_again=passphrase, allowance_bytes=None, by=User.objects.first(), own_key=True,
        ).store  # fmt: skip
        backup(opened(store), phone.root)
        ours = min(_timed(partial(check_store, store, percent=100, by=None)) for _ in range(rounds))
        store.refresh_from_db()
        if "intact" not in store.check_says:
            raise SystemExit(f"the check of a fresh store failed: {store.check_says}")
    return _against("a full check through the server", size, ours, bare, wanted=0.75)


def _beside_runs(folder: Path, megabytes: int, phone: Phone, rounds: int) -> Figure:
    """A run into a small store while a share of a large one is read."""
    large = new_vault(folder / "large")
    for number in range(LARGE):
        other = Phone(folder / "other", megabytes=megabytes, seed=100 + number)
        backup(large, other.root)
        subprocess.run(["rm", "-rf", os.fspath(folder / "other")], check=True)
    stored = sum(size for _, size in large.blobs.list("packs/"))
    alone, beside, took = [], [], []
    for number in range(rounds):
        alone.append(_run(folder / f"alone {number}", phone))
        words = [sys.executable, "-m", "bench.checks", os.fspath(folder / "large")]
        other_process = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        assert other_process.stdin is not None and other_process.stdout is not None
        other_process.stdout.readline()  # it is there and waits, as a worker does
        began = time.perf_counter()
        other_process.stdin.close()
        beside.append(_run(folder / f"beside {number}", phone))
        if other_process.wait():
            raise SystemExit("the check beside the run failed")
        took.append(time.perf_counter() - began)
    cost = 1 - min(alone) / min(beside)
    told = (
        f"a run of {megabytes} MB in {min(alone):.1f} s alone, {min(beside):.1f} s while 1/{STORE_DAYS} of {stored / 1e9:.1f} GB is read; "
        f"both were through in {min(took):.1f} s"
    )
    return Figure(
        name="what a night's share takes from a run", value=max(0.0, cost), unit=" of its speed", told=told, good=0.15, wanted=0.1
    )


def _run(folder: Path, phone: Phone) -> float:
    took = _timed(partial(backup, new_vault(folder), phone.root))
    subprocess.run(["rm", "-rf", os.fspath(folder)], check=True)
    return took


def _timed(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def _share(words: list[str]) -> int:
    """The other process: a night's share of a store, as the worker of its pool reads it."""
    from datetime import UTC, datetime

    from adapters.stores.folder import FolderBlobs
    from bench.vaults import opened

    print("ready", flush=True)
    sys.stdin.read()
    vault = opened(FolderBlobs(Path(words[0])))
    vault.refresh()
    packs = next_packs(vault.ids(names.PACKS), {}, days=STORE_DAYS, now=datetime.now(UTC))
    held_back = slowed(SHARE_BYTES_PER_SECOND, time.monotonic(), time.monotonic, time.sleep)
    return int(bool(check(vault, packs=packs, on_progress=held_back).damaged))


if __name__ == "__main__":
    sys.exit(_share(sys.argv[1:]))
