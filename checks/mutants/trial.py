"""Tries faults one after another without starting Python anew for each: what is not the project's own is loaded once, and every trial
is a fork that loads the project from this folder as it is then.

Started in a copy of the project, as `python -m checks.mutants.trial PREFIX…` (tests that it loads once, to know what they load). Reads
a line of JSON, `{"tests": [ids], "seconds": most}`, and answers a line: `noticed` or `survived`.
"""

import importlib
import json
import os
import pkgutil
import signal
import sys
import time
import unittest
import warnings
from collections.abc import Iterator

from checks.runner import at_any_speed

TOPS = ("core", "adapters", "standins", "checks", "commandline", "launcher", "server", "demo")
LOOK_AGAIN = 0.005


def main() -> None:
    warnings.simplefilter("ignore")
    answers = os.fdopen(os.dup(1), "w", buffering=1)
    silence = os.open(os.devnull, os.O_RDWR)
    for stream in (1, 2):
        os.dup2(silence, stream)
    at_any_speed()  # a test that is slow has noticed nothing
    for prefix in sys.argv[1:]:
        for name in _test_modules(prefix):
            importlib.import_module(name)
    for name in [name for name in sys.modules if name.partition(".")[0] in TOPS]:
        del sys.modules[name]
    importlib.invalidate_caches()
    print("ready", file=answers)
    for line in sys.stdin:
        asked = json.loads(line)
        print(_outcome(asked["tests"], asked["seconds"]), file=answers)


def _test_modules(prefix: str) -> Iterator[str]:
    package = importlib.import_module(prefix)
    for one in pkgutil.walk_packages(package.__path__, f"{prefix}."):
        if ".tests.test_" in one.name or one.name.startswith("checks.reference.test_"):
            yield one.name


def _outcome(tests: list[str], seconds: float) -> str:
    """A test that does not end is one that notices."""
    child = os.fork()
    if not child:
        os.setsid()  # what a test started ends with it
        sys.dont_write_bytecode = True
        try:
            passed = _passes(tests)
        except BaseException:  # whatever it is: these tests notice
            passed = False
        os._exit(0 if passed else 1)
    until = time.monotonic() + seconds
    status = None
    while status is None and time.monotonic() < until:
        done, code = os.waitpid(child, os.WNOHANG)
        if done:
            status = code
        else:
            time.sleep(LOOK_AGAIN)
    _killed(child)
    if status is None:
        os.waitpid(child, 0)
    return "survived" if status == 0 else "noticed"


def _killed(group: int) -> bool:
    try:
        os.killpg(group, signal.SIGKILL)
    except ProcessLookupError:
        return False  # all has ended
    return True


def _passes(tests: list[str]) -> bool:
    suite = unittest.defaultTestLoader.loadTestsFromNames(tests)
    with open(os.devnull, "w") as nowhere:
        return unittest.TextTestRunner(stream=nowhere, failfast=True).run(suite).wasSuccessful()


if __name__ == "__main__":
    main()
