"""What it costs to know whose bytes lie in a store of a million chunks, and to make room in it.

The store is filled by the engine itself: devices of many small items of which some change each night. Measured in a process of its own
that opens it as a server does, with its index at hand.
"""

import json
import os
import random
import re
import subprocess
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

from adapters.stores.folder import FolderBlobs
from bench.figures import Figure
from bench.vaults import LIMITS, opened, prepared
from core.content.items import Item
from core.content.link import DeviceReport
from core.quota.admission import AdmissionWish, Room, admit_night
from core.quota.books import Books
from core.quota.ladder import Move, Rung, propose
from core.vault.accounting import Accounts
from core.vault.capture import Capture, Request
from core.vault.remembered_trees import decoded_trees
from core.vault.writer import Writer

KINDS = ("photos", "documents", "app_data")
ITEM_BYTES = 48
SOME = 20
"""One of so many is not new."""
BEGIN = datetime(2026, 1, 1, tzinfo=UTC)


class _Device:
    """Many small items, none of them bundled."""

    protocol = 2

    def __init__(self, number: int, items: int) -> None:
        self._source = random.Random(number)
        self.held = {kind: {f"{at:07}": self._made(f"{at:07}", kind, 0) for at in range(items // len(KINDS))} for kind in KINDS}
        self._number = number

    def _made(self, id: str, kind: str, night: int) -> Item:
        return Item(kind=kind, id=id, name=f"{id}.bin", size_bytes=ITEM_BYTES, modified=BEGIN + timedelta(days=night), tag=f"{night}")

    def night(self, night: int, new: int) -> None:
        """Mostly new ones, and some that change where they are."""
        for number in range(new):
            kind = KINDS[number % len(KINDS)] if number % SOME else self._source.choice(KINDS)
            at = len(self.held[kind]) if number % SOME else self._source.randrange(len(self.held[kind]))
            self.held[kind][f"{at:07}"] = self._made(f"{at:07}", kind, night)

    def state(self) -> DeviceReport:
        return DeviceReport(make="Orlo", model="P5", family="orlo", os_version="1")

    def kinds(self) -> list[str]:
        return list(KINDS)

    def inventory(self, kind: str) -> Sequence[Item]:
        return list(self.held[kind].values())

    def read(self, item: Item) -> Iterator[bytes]:
        yield f"{self._number:06}{item.kind[:4]}{item.id}{item.tag:>4}".encode().ljust(item.size_bytes, b".")


def fill(folder: Path, *, devices: int, nights: int, items: int, new: int) -> None:
    vault = prepared(FolderBlobs(folder))
    vault.limits = replace(LIMITS, tiny_bytes=0)
    now = BEGIN
    for number in range(devices):
        device, previous = _Device(number, items), None
        for night in range(nights):
            device.night(night, new if night else 0)
            now += timedelta(minutes=1)
            request = Request(device=f"device {number:03}", device_told={}, kinds=KINDS, note="", zone="UTC")
            previous = Capture(device, Writer(vault, fresh=False), request, clock=lambda now=now: now).run(previous).manifest  # type: ignore[misc, arg-type]


def quotas(folder: Path, *, devices: int) -> Iterator[Figure]:
    (folder / "store").mkdir(parents=True)
    many = min(devices, 50)
    fill(folder / "store", devices=many, nights=60, items=8_200, new=200)
    measured = _alone(folder, "read") | _alone(folder, "measured")
    size = f"{measured['devices']} devices, {measured['backups']} backups, {measured['chunks']:,} chunks"
    yield Figure(name="by device, from a warm index", value=measured["by_device"], unit=" s", told=size, good=3, wanted=2)
    yield Figure(name="the same, all trees read anew", value=measured["anew"], unit=" s", told="as once a night", good=10, wanted=6)
    yield Figure(
        name="memory for that", value=measured["peak"] / 1e6, unit=" MB", told="at its highest, of the whole process", good=400, wanted=300
    )
    yield Figure(name="by backup and by kind", value=measured["by_backup_and_kind"], unit=" s", told=size, good=9, wanted=6)
    yield Figure(
        name="what a set of removals frees",
        value=measured["removals"],
        unit=" ms",
        told=f"{measured['removed']} backups",
        good=300,
        wanted=200,
    )
    yield Figure(
        name="making room: first proposal", value=measured["proposal"], unit=" s", told="a move a device in two steps", good=3, wanted=2
    )
    yield Figure(name="the same of 500 devices", value=measured["proposal_500"], unit=" s", told="500 moves in one step", good=5, wanted=3)
    yield _night()


def _alone(folder: Path, what: str) -> dict[str, float]:
    """In a process of its own, so that its memory is that of this alone."""
    command = [sys.executable, "-m", "bench.quotas", what, os.fspath(folder / "store"), os.fspath(folder / "trees")]
    measured: dict[str, float] = json.loads(subprocess.run(command, check=True, capture_output=True, text=True).stdout)
    return measured


def _night() -> Figure:
    rooms = (
        {f"store {n}": _room() for n in range(5)} | {f"team {n}": _room() for n in range(20)} | {f"device {n}": _room() for n in range(500)}
    )
    wishes = [
        AdmissionWish(key=str(n), expected_bytes=10_000 + n, rooms=(f"store {n % 5}", f"team {n % 20}", f"device {n}")) for n in range(500)
    ]
    took = _timed(lambda: admit_night(wishes, rooms))
    return Figure(
        name="admission of a night of 500 runs", value=took, unit=" s", told="against 5 stores, 20 teams, 500 devices", good=8, wanted=5
    )


def _room() -> Room:
    return Room(stored_bytes=0, allowance_bytes=1 << 40, free_bytes=None)


def _timed(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def _read(folder: Path, trees: Path) -> dict[str, float]:
    vault = opened(FolderBlobs(folder))
    vault.refresh()
    began = time.perf_counter()
    accounts = Accounts(vault)
    took = time.perf_counter() - began
    trees.write_bytes(accounts.trees().encoded())
    return {"anew": took}


def _measured(folder: Path, trees: Path) -> dict[str, float]:
    """With what was remembered of the store, as a server measures after a run."""
    vault = opened(FolderBlobs(folder))
    vault.refresh()
    began = time.perf_counter()
    accounts = Accounts(vault, lambda: decoded_trees(trees.read_bytes()))
    teams = {manifest.device: manifest.device[-1] for manifest in accounts.manifests}
    books = Books(accounts, teams)
    assert sum(row.share.fair_bytes for row in books.teams.values()) + books.nobodys.sum_bytes == accounts.stored_bytes
    measured: dict[str, float] = {"by_device": time.perf_counter() - began}
    peak = re.search(r"VmHWM:\s+(\d+) kB", Path("/proc/self/status").read_text())
    assert peak is not None
    measured |= {
        "peak": int(peak[1]) * 1024,
        "devices": len(books.devices),
        "backups": len(accounts.manifests),
        "chunks": len(vault.index.lengths),
    }

    def by_backup_and_kind() -> None:
        for device in books.devices:
            books.backups_of(device)
            books.kinds_of(device)

    measured["by_backup_and_kind"] = _timed(by_backup_and_kind)
    going = [manifest.id for manifest in accounts.manifests[::5]]
    measured |= {"removed": len(going), "removals": min(_timed(lambda: accounts.alone_bytes(going)) for _ in range(3)) * 1000}
    of: dict[str, list[bytes]] = {}
    for manifest in accounts.manifests:
        of.setdefault(manifest.device, []).append(manifest.id)
    moves = [_move(f"third {device}", Rung.THIRD_COPIES, ids[1::2]) for device, ids in of.items()]
    moves += [_move(f"thin {device}", Rung.THINNING, ids[2::2]) for device, ids in of.items()]
    everything = accounts.alone_bytes([id for move in moves for id in move.going])
    measured["proposal"] = _timed(lambda: propose(moves, everything * 3 // 4, accounts.alone_bytes))
    parts = [_move(f"{device} {n}", Rung.THIRD_COPIES, ids[n * 6 + 1 : n * 6 + 6]) for device, ids in of.items() for n in range(10)]
    part = accounts.alone_bytes([id for move in parts for id in move.going])
    measured["proposal_500"] = _timed(lambda: propose(parts, part // 2, accounts.alone_bytes))
    return measured


def _move(key: str, rung: Rung, going: Sequence[bytes]) -> Move:
    return Move(key=key, rung=rung, going=frozenset(going), loss=len(going) * 10)


if __name__ == "__main__":
    print(json.dumps({"read": _read, "measured": _measured}[sys.argv[1]](Path(sys.argv[2]), Path(sys.argv[3]))))
