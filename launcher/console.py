"""What the launcher says: one line a step, with how long it took; a failed step with what to do."""

import contextlib
import subprocess
import sys
import time
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

KEPT_OPEN: list[int] = []
"""Descriptors that every process started from here inherits."""


class StepFailed(Exception):
    """A step did not work. The message says what failed and what to do."""


class Voice:
    """Where the launcher speaks: a command whose standard output is an answer moves it."""

    out = sys.stdout


def say(text: str) -> None:
    print(text, flush=True, file=Voice.out)


@contextlib.contextmanager
def step(what: str) -> Iterator[None]:
    """Show a step while it runs and how long it took."""
    began = time.monotonic()
    print(f"  {what} … ", end="", flush=True, file=Voice.out)
    try:
        yield
    except StepFailed:
        print("failed", flush=True, file=Voice.out)
        raise
    print(f"{time.monotonic() - began:.1f} s", flush=True, file=Voice.out)


def run(command: Sequence[str | Path], *, remedy: str, cwd: Path | None = None, env: Mapping[str, str] | None = None) -> str:
    """Standard output of a command. Raises StepFailed with the end of what it said."""
    try:
        done = subprocess.run(
            [str(part) for part in command], cwd=cwd, env=env, capture_output=True, text=True, check=False, pass_fds=KEPT_OPEN
        )
    except OSError as error:
        raise StepFailed(f"{command[0]}: {error.strerror}. {remedy}") from None
    if done.returncode:
        last = "\n".join((done.stdout + done.stderr).strip().splitlines()[-12:])
        raise StepFailed(f"{' '.join(str(part) for part in command[:4])} ended with {done.returncode}:\n{last}\n{remedy}")
    return done.stdout


def fail(text: str) -> int:
    print(f"\nattic: {text}", file=sys.stderr, flush=True)
    return 1
