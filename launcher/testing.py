"""`./attic test`: everything that must hold, in one command, on a throw-away database.

Linters and type checks first, two at a time, then every test through Django's runner, in three processes
side by side. Ends with one plain line. With labels only the tests below them run, in one.
"""

import json
import os
import shutil
import subprocess
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

from launcher.cluster import Cluster
from launcher.console import StepFailed, run, say
from launcher.processes import free_port
from launcher.processors import taken_percent, ticks
from launcher.setup import ROOT, VENV, WEB, node_environment, set_up

SIDES = (
    (
        "core",
        "adapters",
        "commandline",
        "standins",
        "launcher",
        "server",
        "checks.house",
        "checks.kept",
        "checks.bench",
        "checks.reference",
    ),
    ("checks.web", "checks.contracts", "checks.promises", "checks.processes"),
    ("checks.browser",),
)
"""Run side by side, each on a database of its own: the first computes, the others wait for sockets and browsers much of the time."""
RESULT = "ATTIC_TEST_RESULT"
"""Names the file into which the runner writes its counts."""
TESTS = "test_attic"
"""The database of a side, as Django names it."""
LABELS = tuple(label for side in SIDES for label in side)


def test(only: list[str]) -> int:
    """0 when everything passed."""
    began, before = time.monotonic(), ticks()
    set_up(for_tests=True)
    passed = failed = 0
    sides = [only] if only else [list(side) for side in SIDES]
    with _databases(len(sides)) as databases:
        with ThreadPoolExecutor(2) as hands:
            tables = hands.submit(databases.make_tables)
            for good in hands.map(lambda linter: _show(*linter), [] if only else _linters()):
                passed, failed = passed + good, failed + (not good)
            tables.result()
        ran, bad, skipped = _django(sides, databases)
    passed, failed = passed + max(0, ran - bad - skipped), failed + bad
    taken = taken_percent(before, ticks())
    say(f"\n{time.monotonic() - began:.0f} seconds" + (f"; {taken} % of the processors' time went to other machines" if taken else ""))
    say(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""))
    return 1 if failed or not ran else 0


def _linters() -> list[tuple[str, list[str], Path]]:
    bin_ = VENV / "bin"
    return [
        ("eslint", ["npx", "eslint", "--max-warnings", "0", "."], WEB),  # the slowest first: the others are through beside it
        ("oxlint", ["npx", "oxlint", "--type-aware", "--deny-warnings", "."], WEB),  # the rules that ask for types
        ("ruff check", [str(bin_ / "ruff"), "check", "--no-cache", "."], ROOT),
        ("ruff format", [str(bin_ / "ruff"), "format", "--no-cache", "--check", "."], ROOT),
        ("mypy", [str(bin_ / "mypy")], ROOT),
        ("import-linter", [str(bin_ / "lint-imports"), "--no-cache"], ROOT),
        ("tsc --strict", ["node", "node_modules/tsc-native/bin/tsc", "--noEmit"], WEB),  # a third of the script's time
        ("prettier", ["npx", "prettier", "--check", "--log-level", "warn", "."], WEB),
    ]


def _show(name: str, command: list[str], cwd: Path) -> bool:
    began = time.monotonic()
    done = subprocess.run(command, cwd=cwd, env=node_environment(), capture_output=True, text=True, check=False)
    say(f"  {name} … {'ok' if done.returncode == 0 else 'FAILED'} ({time.monotonic() - began:.1f} s)")
    if done.returncode:
        say((done.stdout + done.stderr)[-6000:])
    return done.returncode == 0


def mutate(packages: list[str], *, seed: int, most: int, labels: list[str]) -> int:
    """0 when nine of ten faults were noticed."""
    set_up(for_tests=True)
    command = [str(VENV / "bin" / "python"), "-m", "checks.mutants", *packages, "--seed", str(seed), "--most", str(most)]
    with _databases(2) as databases:
        databases.make_tables()
        env = databases.env(0) | {"ATTIC_MUTANTS_DATA": str(databases.data / "side{}")}
        return subprocess.run([*command, "--labels", *labels], cwd=ROOT, env=env, check=False).returncode


class Databases:
    """Of one cluster, each with a folder for its keys."""

    def __init__(self, cluster: Cluster, data: Path, count: int) -> None:
        self.cluster, self.data, self.count = cluster, data, count

    def env(self, number: int) -> dict[str, str]:
        """For who works on that one."""
        return {
            **os.environ,
            "PYTHONPATH": str(ROOT),
            "DJANGO_SETTINGS_MODULE": "server.project.settings",
            "ATTIC_DATABASE_PORT": str(self.cluster.port),
            "ATTIC_ANNOUNCEMENTS_URL": "",
            "ATTIC_DATABASE_NAME": f"attic{number}",
            "ATTIC_DATA": str(self.data / f"side{number}"),
        }

    def make_tables(self) -> None:
        """Those that the tests begin with: made once, and copied for every side."""
        command: list[str | Path] = [VENV / "bin" / "python", "server/manage.py", "migrate", "--no-input", "-v", "0"]
        self.cluster.make_database(f"{TESTS}0")
        run(
            command,
            remedy="The message above says which migration does not hold.",
            cwd=ROOT,
            env=self.env(0) | {"ATTIC_DATABASE_NAME": f"{TESTS}0"},
        )
        for number in range(1, self.count):
            self.cluster.make_database(f"{TESTS}{number}", like=f"{TESTS}0")


@contextmanager
def _databases(count: int) -> Iterator[Databases]:
    """On a cluster to be thrown away."""
    data = Path(tempfile.mkdtemp(prefix="attic-test-"))
    data.chmod(0o755)
    cluster = Cluster(data, free_port(), fast=True)
    try:
        cluster.start()
        for number in range(count):
            cluster.make_database(f"attic{number}")
            shutil.copytree(data / "keys", data / f"side{number}" / "keys")
        yield Databases(cluster, data, count)
    finally:
        cluster.remove()
        shutil.rmtree(data, ignore_errors=True)


def _django(sides: list[list[str]], databases: Databases) -> tuple[int, int, int]:
    """(tests run, failed, skipped). More than one side run side by side; their words come one after the other."""
    with ThreadPoolExecutor(len(sides)) as hands:
        jobs = [
            hands.submit(_side, databases.env(number) | {RESULT: str(databases.data / f"result{number}")}, labels)
            for number, labels in enumerate(sides)
        ]
        counted = [job.result() for job in jobs]
    ran, bad, skipped = (sum(counts) for counts in zip(*counted, strict=True))
    return ran, bad, skipped


def _side(env: dict[str, str], labels: list[str]) -> tuple[int, int, int]:
    began = time.monotonic()
    command = [str(VENV / "bin" / "python"), "server/manage.py", "test", "--no-input", "--keepdb", "-v", "1", *labels]
    done = subprocess.run(command, cwd=ROOT, env=env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, check=False)
    text, result = done.stdout, Path(env[RESULT])
    if not result.exists():
        raise StepFailed(f"The tests of {', '.join(labels)} did not run (exit {done.returncode}).\n{text[-3000:]}")
    say(f"{text.rstrip()}\n  {', '.join(labels)}: {time.monotonic() - began:.0f} seconds\n")
    counts = json.loads(result.read_text())
    return counts["ran"], counts["failed"] or int(done.returncode != 0), counts["skipped"]
