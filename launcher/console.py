"""What the launcher says: one line a step, with how long it took; a failed step with what to do."""

import contextlib
import subprocess
import sys
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

KEPT_OPEN: list[int] = []
"""Descriptors that every process started from here inherits."""


class StepFailed(Exception):
    """A step did not work. The message says what failed and what to do."""


class Voice:
    """Where the launcher speaks: a command whose standard output is an answer moves it."""

    out = sys.stdout
    many = False
    """Whether steps run side by side: a line for the beginning of each, and one for its end."""


def say(text: str) -> None:
    print(text, flush=True, file=Voice.out)


@contextlib.contextmanager
def step(what: str) -> Iterator[None]:
    """Show a step while it runs and how long it took."""
    began, named = time.monotonic(), f"  {what}: " if Voice.many else ""
    print(f"  {what} … ", end="\n" if named else "", flush=True, file=Voice.out)
    try:
        yield
    except StepFailed:
        print(f"{named}failed", flush=True, file=Voice.out)
        raise
    print(f"{named}{time.monotonic() - began:.1f} s", flush=True, file=Voice.out)


def together(*jobs: Callable[[], None]) -> None:
    """Side by side; ends when all have ended. Raises StepFailed of the first that failed."""
    Voice.many = True
    try:
        with ThreadPoolExecutor(len(jobs)) as hands:
            running = [hands.submit(job) for job in jobs]
        for job in running:
            job.result()
    finally:
        Voice.many = False


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
