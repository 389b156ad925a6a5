"""`./attic test`: everything that must hold, in one command, on a throw-away database.

Linters and type checks first, then every test through Django's runner. Ends with one plain line. With
labels only the tests below them run.
"""

import os
import re
import shutil
import subprocess
import tempfile
import time
from pathlib import Path

from launcher.cluster import Cluster
from launcher.console import StepFailed, say
from launcher.processes import free_port
from launcher.setup import ROOT, VENV, WEB, node_environment, set_up

LABELS = ("core", "adapters", "commandline", "standins", "launcher", "server", "checks")
_RAN = re.compile(r"^Ran (\d+) tests? in", re.MULTILINE)
_BAD = re.compile(r"(failures|errors|unexpected successes)=(\d+)")
_SKIPPED = re.compile(r"skipped=(\d+)")


def test(only: list[str]) -> int:
    """0 when everything passed."""
    began = time.monotonic()
    set_up(for_tests=True)
    passed = failed = 0
    if not only:
        for name, command, cwd in _linters():
            good = _show(name, command, cwd)
            passed, failed = passed + good, failed + (not good)
    ran, bad, skipped = _django(only or list(LABELS))
    passed, failed = passed + max(0, ran - bad - skipped), failed + bad
    say(f"\n{time.monotonic() - began:.0f} seconds")
    say(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""))
    return 1 if failed or not ran else 0


def _linters() -> list[tuple[str, list[str], Path]]:
    bin_ = VENV / "bin"
    return [
        ("ruff check", [str(bin_ / "ruff"), "check", "--no-cache", "."], ROOT),
        ("ruff format", [str(bin_ / "ruff"), "format", "--no-cache", "--check", "."], ROOT),
        ("mypy", [str(bin_ / "mypy")], ROOT),
        ("import-linter", [str(bin_ / "lint-imports"), "--no-cache"], ROOT),
        ("tsc --strict", ["npx", "tsc", "--noEmit"], WEB),
        ("eslint", ["npx", "eslint", "--max-warnings", "0", "."], WEB),
    ]


def _show(name: str, command: list[str], cwd: Path) -> bool:
    began = time.monotonic()
    done = subprocess.run(command, cwd=cwd, env=node_environment(), capture_output=True, text=True, check=False)
    say(f"  {name} … {'ok' if done.returncode == 0 else 'FAILED'} ({time.monotonic() - began:.1f} s)")
    if done.returncode:
        say((done.stdout + done.stderr)[-6000:])
    return done.returncode == 0


def _django(labels: list[str]) -> tuple[int, int, int]:
    """(tests run, failed, skipped)."""
    data = Path(tempfile.mkdtemp(prefix="attic-test-"))
    data.chmod(0o755)
    cluster = Cluster(data, free_port(), fast=True)
    try:
        cluster.start()
        cluster.make_database("attic")
        env = {
            **os.environ,
            "PYTHONPATH": str(ROOT),
            "DJANGO_SETTINGS_MODULE": "server.project.settings",
            "ATTIC_DATA": str(data),
            "ATTIC_DATABASE_PORT": str(cluster.port),
            "ATTIC_ANNOUNCEMENTS_URL": "",
        }
        command = [str(VENV / "bin" / "python"), "server/manage.py", "test", "--no-input", "-v", "1", *labels]
        process = subprocess.Popen(command, cwd=ROOT, env=env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
        assert process.stdout is not None
        told: list[str] = []
        for line in process.stdout:
            print(line, end="", flush=True)
            told.append(line)
        code = process.wait()
    finally:
        cluster.remove()
        shutil.rmtree(data, ignore_errors=True)
    text = "".join(told)
    if not (found := _RAN.search(text)):
        raise StepFailed(f"The tests did not run (exit {code}).")
    bad = sum(int(count) for _, count in _BAD.findall(text.rpartition("\nRan ")[2]))
    skipped = sum(int(count) for count in _SKIPPED.findall(text.rpartition("\nRan ")[2]))
    return int(found[1]), bad or (1 if code else 0), skipped
