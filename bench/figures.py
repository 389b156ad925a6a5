"""Which figures there are, against what, and what is good. Each is measured by a function of its own."""

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

from bench import limit, tools
from bench.content import Phone, many_small_files
from bench.large import index_of_two_million, mark_for_a_sweep
from bench.vaults import WORKERS, backup, new_vault, reopened, restore
from core.vault.check import check

T = TypeVar("T")


@dataclass(frozen=True, slots=True, kw_only=True)
class Figure:
    name: str
    value: float | None
    unit: str
    told: str
    """Both sides in words."""
    good: float
    wanted: float
    higher: bool = False
    """Whether more is better."""

    @property
    def standing(self) -> str:
        if self.value is None:
            return "not measured"
        reached = [
            name
            for name, mark in (("wanted", self.wanted), ("good", self.good))
            if (self.value >= mark) == self.higher or self.value == mark
        ]
        return reached[0] if reached else "short"

    @property
    def shown(self) -> str:
        return "-" if self.value is None else _number(self.value) + self.unit

    @property
    def good_shown(self) -> str:
        return ("≥ " if self.higher else "≤ ") + _number(self.good) + self.unit

    @property
    def wanted_shown(self) -> str:
        return ("≥ " if self.higher else "≤ ") + _number(self.wanted) + self.unit

    def document(self) -> dict[str, Any]:
        return asdict(self) | {"standing": self.standing}


def figures(folder: Path, *, megabytes: int, rounds: int, only: list[str]) -> Iterator[Figure]:
    """One after another."""
    groups: list[tuple[tuple[str, ...], Callable[[], Iterator[Figure]]]] = [
        (("first", "restore to", "full check", "photo"), lambda: _streams(folder / "streams", megabytes, rounds)),
        (("unchanged", "tiny"), lambda: _small(folder / "small", megabytes, rounds)),
        (("stored", "newest"), lambda: _days(folder / "days", megabytes, rounds)),
        (("memory",), lambda: _memory(folder / "memory", megabytes)),
        (("index", "open", "mark"), lambda: _large(folder / "large", rounds)),
    ]
    for names, measured in groups:
        if not only or any(name.startswith(wanted) or wanted.startswith(name) for name in names for wanted in only):
            yield from measured()
            shutil.rmtree(folder, ignore_errors=True)
            folder.mkdir(exist_ok=True)


def _streams(folder: Path, megabytes: int, rounds: int) -> Iterator[Figure]:
    phone = Phone(folder / "phone", megabytes=megabytes)
    files = sorted(path for path in phone.root.rglob("*") if path.is_file())
    size = sum(path.stat().st_size for path in files)
    ours: dict[str, list[float]] = {"backup": [], "restore": [], "check": [], "photo": []}
    theirs: dict[str, list[float]] = {"backup": [], "restore": [], "check": []}
    store, stored, back = folder / "store", folder / "limit", folder / "back"
    for number in range(rounds):
        # whoever comes second finds the machine as the first one left it: they take turns
        turn = 1 if number % 2 else -1
        vault: Any = None
        layout: Any = None
        manifest: Any = None
        for who in ("limit", "vault")[::turn]:
            _settle()
            if who == "limit":
                seconds, paths = _timed(partial(limit.forward, files, stored, workers=WORKERS))
                layout = paths[0]
                theirs["backup"].append(seconds)
            else:
                vault = new_vault(store)
                seconds, captured = _timed(partial(backup, vault, phone.root))
                manifest = captured.manifest
                ours["backup"].append(seconds)
        for who in ("limit", "vault")[::turn]:
            _settle()
            if who == "limit":
                theirs["restore"].append(_timed(partial(limit.backward, layout, stored, root=phone.root, into=back, workers=WORKERS))[0])
            else:
                ours["restore"].append(_timed(partial(restore, reopened(vault), manifest, back))[0])
            shutil.rmtree(back)
        for who in ("limit", "vault")[::turn]:
            _settle()
            if who == "limit":
                theirs["check"].append(_timed(partial(limit.backward, layout, stored, root=phone.root, into=None, workers=WORKERS))[0])
                continue
            seconds, report = _timed(partial(check, reopened(vault), percent=100))
            ours["check"].append(seconds)
            if not report.ok:
                raise SystemExit("the check of a fresh store failed")
        ours["photo"].append(_timed(partial(_one_photo, reopened(vault), manifest, phone))[0])
        shutil.rmtree(store)
    yield _ratio("first backup against its limit", theirs["backup"], ours["backup"], size, good=0.65, wanted=0.85)
    yield _ratio("restore to a folder against its limit", theirs["restore"], ours["restore"], size, good=0.6, wanted=0.8)
    yield _ratio("full check against its limit", theirs["check"], ours["check"], size, good=0.6, wanted=0.8)
    best = min(ours["photo"]) * 1000
    yield Figure(
        name="photo of 3 MB out of the backup", value=best, unit=" ms", told="index read, item found, content fetched", good=300, wanted=80
    )


def _one_photo(vault: Any, manifest: Any, phone: Phone) -> None:
    vault.refresh()
    item = vault.item(manifest, "photos", phone.a_photo.relative_to(phone.root).as_posix())
    if b"".join(vault.read(item)) != phone.a_photo.read_bytes():
        raise SystemExit("the photo came back wrong")


def _small(folder: Path, megabytes: int, rounds: int) -> Iterator[Figure]:
    """Fewer items where little content is measured."""
    root, count = folder / "files", min(10_000, 100 * megabytes)
    many_small_files(root, count)
    fresh, unchanged, bare = [], [], []
    for number in range(max(rounds, 3)):
        vault = new_vault(folder / f"store-{number}")
        seconds, captured = _timed(partial(backup, vault, root))
        fresh.append(seconds)
        bare.append(_timed(partial(limit.walk_stat_compare, root, limit.known_files(root)))[0])
        unchanged.append(_timed(partial(backup, reopened(vault), root, captured.manifest))[0])
    words = f"{min(unchanged) * 1000:.0f} ms against {min(bare) * 1000:.0f} ms of walk, stat, compare"
    yield Figure(name=f"unchanged folder of {count:,} items", value=min(unchanged) / min(bare), unit=" ×", told=words, good=8, wanted=4)
    yield Figure(
        name=f"tiny items, {count:,} new ones", value=min(fresh), unit=" s", told="read, bundled, sealed, committed", good=2, wanted=0.8
    )


def _days(folder: Path, megabytes: int, rounds: int) -> Iterator[Figure]:
    phone = Phone(folder / "phone", megabytes=megabytes)
    vault = new_vault(folder / "store")
    others = tools.Tools(folder, phone.root)
    seen: set[bytes] = set()
    baseline, manifest = 0, None
    for day in range(8):
        if day:
            phone.one_day_later()
        manifest = backup(reopened(vault), phone.root, manifest).manifest
        files = sorted(path for path in phone.root.rglob("*") if path.is_file())
        baseline += limit.unique_64k_after_zstd([files], seen)
        others.take(day)
    stored = vault.stored_bytes()
    words = f"{stored / 1e6:.1f} MB against {baseline / 1e6:.1f} MB"
    yield Figure(
        name="stored after 7 days against unique 64 KiB chunks", value=stored / baseline, unit="", told=words, good=1.03, wanted=0.97
    )
    for name, size, wanted in others.sizes():
        ratio = None if size is None else stored / size
        words = "the tool is not installed" if size is None else f"{stored / 1e6:.1f} MB against {size / 1e6:.1f} MB"
        yield Figure(name=f"stored against {name}", value=ratio, unit="", told=words, good=1.0, wanted=wanted)
    assert manifest is not None
    ours, theirs = [], []
    for number in range(rounds):
        _settle()
        if (seconds := others.restore_chain(folder / f"chain-{number}")) is not None:
            theirs.append(seconds)
            shutil.rmtree(folder / f"chain-{number}")
        _settle()
        ours.append(_timed(partial(restore, reopened(vault), manifest, folder / f"newest-{number}"))[0])
        same = subprocess.run(["diff", "-rq", phone.root, folder / f"newest-{number}"], capture_output=True, check=False)
        if same.returncode:
            raise SystemExit("the newest day came back wrong")
        shutil.rmtree(folder / f"newest-{number}")
    value = min(ours) / min(theirs) if theirs else None
    words = f"{min(ours):.2f} s against {min(theirs):.2f} s" if theirs else "the tool is not installed"
    yield Figure(name="newest day, restored, against the chain", value=value, unit="", told=words, good=1.0, wanted=0.5)


def _memory(folder: Path, megabytes: int) -> Iterator[Figure]:
    cases: tuple[tuple[str, Callable[[Path], object]], ...] = (
        (f"memory of a first backup of {megabytes} MB", lambda root: Phone(root, megabytes=megabytes)),
        ("memory of a first backup of 200,000 items", lambda root: many_small_files(root, 200_000)),
    )
    for name, make in cases:
        root = folder / "files"
        make(root)
        command = [sys.executable, "-m", "bench.peak", os.fspath(folder / "store"), os.fspath(root)]
        printed = subprocess.run(command, capture_output=True, text=True, check=True).stdout
        peak, items = (int(word) for word in printed.split())
        shutil.rmtree(folder)
        yield Figure(name=name, value=peak / 1e6, unit=" MB", told=f"peak resident, {items} items", good=400, wanted=200)


def _large(folder: Path, rounds: int) -> Iterator[Figure]:
    folder.mkdir(parents=True)
    measured = index_of_two_million(folder / "index", rounds)
    yield Figure(
        name="index of 2 million chunks in memory", value=measured.memory_bytes / 1e6, unit=" MB", told=measured.told, good=150, wanted=60
    )
    yield Figure(
        name="open such a store", value=measured.seconds, unit=" s", told="list, read, decrypt and sort its index", good=3, wanted=1
    )
    marked = mark_for_a_sweep(folder / "mark", rounds)
    yield Figure(name="mark for a sweep", value=marked.seconds, unit=" s", told=marked.told, good=2, wanted=0.5)


def _ratio(name: str, theirs: list[float], ours: list[float], size: int, *, good: float, wanted: float) -> Figure:
    words = f"{size / min(ours) / 1e6:.0f} MB/s against {size / min(theirs) / 1e6:.0f} MB/s"
    return Figure(name=name, value=min(theirs) / min(ours), unit="", told=words, good=good, wanted=wanted, higher=True)


def _timed(work: Callable[[], T]) -> tuple[float, T]:
    """(seconds, result)."""
    began = time.perf_counter()
    result = work()
    return time.perf_counter() - began, result


def _settle() -> None:
    """Nobody should pay for what somebody else wrote before."""
    os.sync()


def _number(value: float) -> str:
    return f"{value:.0f}" if abs(value) >= 100 else f"{value:.3g}"
