"""`./attic test --mutate PACKAGE`: breaks a sample of lines one at a time, runs the tests that reach each, and says what survived."""

import argparse
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections import Counter
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from hashlib import sha256
from pathlib import Path
from queue import SimpleQueue

from checks.mutants.faults import Fault, python_faults
from checks.mutants.reach import SPENT, Reached

ROOT = Path(__file__).resolve().parents[2]
SIDES = 2
"""Faults that are tried at the same time, each in a copy and on a database of its own."""
MOST_SECONDS = 150.0
"""What the tests of one fault may take together; the quickest come first, and the first that notices ends it."""
WITHOUT_DJANGO = ("core", "adapters", "standins", "checks.reference")
"""Tests that are asked first, in forks of one process: most faults of core and adapters are noticed within a second."""
LEFT = (".git", ".venv", "node_modules", ".cache", "data", "__pycache__", ".mypy_cache", ".ruff_cache")
KNOWN = Path(__file__).with_name("equivalent.json")


SURVIVED = "survived"
PYTHON = ("core", "adapters", "server", "commandline", "standins", "checks")
"""The first three are what is broken, and recorded."""
LABELS = ("core", "adapters", "commandline", "standins", "checks.reference", "checks.contracts"), ("server", "checks.promises")
"""Tests that may notice, recorded side by side; the browser's take too long for one fault."""
OF_EVERY_TEXT = ["checks.house.test_limits"]
OF_THE_TEXT = ["checks.house.test_journal_lines", "checks.house.test_locks_and_news", "checks.house.test_cuts"]
"""Of the server: what reads its code runs no line of it, and notices one that is left out; the one above, a number that is another."""


def main() -> int:
    parser = argparse.ArgumentParser(prog="attic test --mutate")
    parser.add_argument("packages", nargs="*", help="folders: core/retention, server/retention/actions, web/src")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--most", type=int, default=60, help="faults that are tried of each")
    parser.add_argument("--labels", nargs="*", default=[], help="the only tests that are asked, instead of all but the browser's")
    options = parser.parse_args()
    changing = sorted(str(folder.relative_to(ROOT)) for folder in (ROOT / "server").glob("*/actions"))
    places = [ROOT / package.rstrip("/") for package in options.packages or ["core", "adapters", *changing, "web/src"]]
    if missing := [str(place.relative_to(ROOT)) for place in places if not place.is_dir()]:
        print(f"There is no folder {', '.join(missing)}.", file=sys.stderr)
        return 2
    bad = 0
    with tempfile.TemporaryDirectory(prefix="attic-mutants-") as scratch:
        front = _Front(Path(scratch) / "front") if any(place.is_relative_to(ROOT / "web") for place in places) else None
        behind = [place for place in places if not place.is_relative_to(ROOT / "web")]
        sides = (options.labels,) if options.labels else tuple(list(side) for side in LABELS)
        back = _Back(Path(scratch) / "back", sides=sides) if behind else None
        for place in places:
            tried = front if place.is_relative_to(ROOT / "web") else back
            assert tried is not None
            bad += not _tried(tried, place, seed=options.seed, most=options.most)
    return 1 if bad else 0


def _tried(tried: "_Copies", place: Path, *, seed: int, most: int) -> bool:
    """Whether nine of ten were noticed."""
    everything = tried.faults(place)
    sample = sorted(random.Random(seed).sample(everything, min(most, len(everything))), key=lambda one: (one.path, one.start, one.new))
    print(f"\n{len(everything)} places in {place.relative_to(ROOT)}; {len(sample)} are tried, seed {seed}.", flush=True)
    with ThreadPoolExecutor(SIDES) as hands:
        return _told(zip(sample, hands.map(tried.outcome, sample), strict=True))


class _Copies:
    """Copies of the project, one for each that is tried at the same time. What no test notices is shown to the type checker, which is
    a part of the suite as well."""

    types: tuple[list[str], str]
    """Its command, and the folder where it runs."""

    def __init__(self, scratch: Path) -> None:
        self._free: SimpleQueue[tuple[int, Path]] = SimpleQueue()
        for number in range(SIDES):
            copy = scratch / f"copy{number}"
            shutil.copytree(ROOT, copy, ignore=shutil.ignore_patterns(*LEFT), symlinks=True)
            (copy / ".venv").symlink_to(ROOT / ".venv")
            (copy / "web" / "node_modules").symlink_to(ROOT / "web" / "node_modules")
            if self._typed(copy) != SURVIVED:
                raise SystemExit("The type checker does not pass as it is.")
            self._free.put((number, copy))

    def _typed(self, copy: Path) -> str:
        command, folder = self.types
        return _run(command, copy / folder, dict(os.environ), 900)

    def outcome(self, fault: Fault) -> str:
        number, copy = self._free.get()
        whole, stat = (ROOT / fault.path).read_bytes(), (copy / fault.path).stat()
        try:
            (copy / fault.path).write_bytes(fault.applied(whole))
            outcome = self.tried(fault, number, copy)
            return outcome if outcome != SURVIVED else self._typed(copy)
        finally:
            (copy / fault.path).write_bytes(whole)
            os.utime(copy / fault.path, ns=(stat.st_atime_ns, stat.st_mtime_ns))  # as it was compiled
            self._free.put((number, copy))

    def faults(self, place: Path) -> list[Fault]:
        raise NotImplementedError

    def tried(self, fault: Fault, number: int, copy: Path) -> str:
        raise NotImplementedError


class _Back(_Copies):
    types = ([sys.executable, "-m", "mypy"], ".")

    def __init__(self, scratch: Path, *, sides: tuple[list[str], ...]) -> None:
        super().__init__(scratch)
        self._forks: dict[int, subprocess.Popen[str]] = {}
        self._sides = sides
        self._reached = Reached(self._recorded(), ROOT)

    def faults(self, place: Path) -> list[Fault]:
        return python_faults(_sources(place))

    def _recorded(self) -> Path:
        """Made once for these sources and these tests."""
        files = sorted(file for top in PYTHON for file in (ROOT / top).rglob("*.py"))
        content = repr(self._sides).encode() + b"".join(bytes(file) + file.read_bytes() for file in files)
        folder = ROOT / ".cache" / "mutants" / sha256(content).hexdigest()[:16]
        if not folder.exists():
            shutil.rmtree(folder.parent, ignore_errors=True)
            begun = folder.with_suffix(".begun")
            begun.mkdir(parents=True)
            with ThreadPoolExecutor(SIDES) as hands:
                list(hands.map(lambda side: self._record(begun, *side), enumerate(self._sides)))
            begun.rename(folder)
        return folder

    def _record(self, folder: Path, number: int, labels: list[str]) -> None:
        data, spent = folder / f"coverage{number}", folder / f"spent{number}"
        command = [sys.executable, "-m", "coverage", "run", f"--data-file={data}", f"--source={','.join(PYTHON[:3])}", "server/manage.py"]
        command += ["test", "--no-input", "--keepdb", "--testrunner", "checks.mutants.reach.Recording", *labels]
        print(f"Recording which tests of {' '.join(labels)} reach what …", flush=True)
        done = subprocess.run(command, cwd=ROOT, env=_env(number, ROOT) | {SPENT: str(spent)}, capture_output=True, text=True, check=False)
        if done.returncode or not spent.exists():
            raise SystemExit(f"They do not pass as they are:\n{(done.stdout + done.stderr)[-3000:]}")

    def tried(self, fault: Fault, number: int, copy: Path) -> str:
        chosen, seconds = [], 0.0
        for test in self._reached.tests(fault.path, fault.lines()):
            seconds += self._reached.spent[test]
            if chosen and seconds > MOST_SECONDS:
                break
            chosen.append(test)
        if not chosen:
            return "not reached"
        quick = [test for test in chosen if test.startswith(tuple(f"{top}." for top in WITHOUT_DJANGO))]
        if quick and self._forked(quick, number, copy, 60 + 3 * seconds) == "noticed":
            return "noticed"
        chosen = [test for test in chosen if test not in quick]
        chosen += [*OF_EVERY_TEXT, *(OF_THE_TEXT if fault.path.startswith("server/") else [])]
        command = [sys.executable, "server/manage.py", "test", "--no-input", "--keepdb", "--failfast", *chosen]
        return _run(command, copy, _env(number, copy), 60 + 3 * seconds)

    def _forked(self, tests: list[str], number: int, copy: Path, seconds: float) -> str:
        if number not in self._forks:
            self._forks[number] = subprocess.Popen(
                [sys.executable, "-m", "checks.mutants.trial", *WITHOUT_DJANGO],
                cwd=copy, env=_env(number, copy), stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
            )  # fmt: skip
            self._answer(number)
        fork = self._forks[number]
        assert fork.stdin is not None
        print(json.dumps({"tests": tests, "seconds": seconds}), file=fork.stdin, flush=True)
        return self._answer(number)

    def _answer(self, number: int) -> str:
        fork = self._forks[number]
        assert fork.stdout is not None
        if answer := fork.stdout.readline():
            return answer.strip()
        raise SystemExit("What tries faults in forks has ended.")


class _Front(_Copies):
    types = (["node", "node_modules/tsc-native/bin/tsc", "--noEmit"], "web")

    def faults(self, place: Path) -> list[Fault]:
        """Of its pure functions: files without markup."""
        done = subprocess.run(
            ["node", "mutants.mjs", str(place.relative_to(ROOT / "web"))],
            cwd=ROOT / "web",
            capture_output=True,
            text=True,
            check=True,
        )
        return [Fault(**one | {"path": f"web/{one['path']}"}) for one in json.loads(done.stdout)]

    def tried(self, fault: Fault, number: int, copy: Path) -> str:
        file = fault.path.removeprefix("web/")
        return _run(["npx", "vitest", "related", "--run", "--bail=1", "--passWithNoTests", file], copy / "web", dict(os.environ), 240)


def _run(command: list[str], cwd: Path, env: dict[str, str], most_seconds: float) -> str:
    """A test that does not end is one that notices."""
    try:
        done = subprocess.run(command, cwd=cwd, env=env, capture_output=True, check=False, timeout=most_seconds)
    except subprocess.TimeoutExpired:
        return "noticed"
    return "noticed" if done.returncode else SURVIVED


def _sources(place: Path) -> Iterator[tuple[str, bytes]]:
    for file in sorted(place.rglob("*.py")):
        if not {"tests", "migrations"} & set(file.relative_to(ROOT).parts):
            yield str(file.relative_to(ROOT)), file.read_bytes()


def _env(number: int, copy: Path) -> dict[str, str]:
    data = os.environ["ATTIC_MUTANTS_DATA"].format(number)
    return {**os.environ, "PYTHONPATH": str(copy), "ATTIC_DATABASE_NAME": f"attic{number}", "ATTIC_DATA": data}


def _told(tried: Iterable[tuple[Fault, str]]) -> bool:
    """Each as it comes; whether nine of ten were noticed."""
    argued = {(one["path"], one["line"], one["new"]): one["why"] for one in json.loads(KNOWN.read_text())}
    counts: Counter[str] = Counter()
    for fault, outcome in tried:
        text = (ROOT / fault.path).read_bytes().splitlines()[fault.line - 1].decode().strip()
        if outcome == SURVIVED and (why := argued.get((fault.path, text, fault.new))):
            outcome = "argued"
            print(f"argued      {fault.path}:{fault.line} {fault.what}: {why}")
        elif outcome != "noticed":
            print(f"{outcome:11} {fault.path}:{fault.line} {fault.what}: {text[:100]}  →  {fault.new[:80]}", flush=True)
        counts[outcome] += 1
    counted = counts.total() - counts["argued"]
    share = 100 * counts["noticed"] / counted if counted else 100.0
    print(f"{counts['noticed']} of {counted} noticed ({share:.0f} %), {counts[SURVIVED]} survived, {counts['not reached']} not reached.")
    return share >= 90


if __name__ == "__main__":
    sys.exit(main())
