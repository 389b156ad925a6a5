"""Django's test runner on machines of any speed: property tests are judged by what they find, not by how long a draw takes.

Whoever makes a temporary folder removes it: what lies there after the last test is a failure.
"""

import gc
import json
import os
import shutil
import tempfile
import time
import unittest
from collections import Counter
from pathlib import Path
from typing import Any

from django.test.runner import DiscoverRunner
from hypothesis import HealthCheck, settings

RESULT = "ATTIC_TEST_RESULT"
"""Names a file into which the counts go, for whoever has started this."""


SLOWEST = 12
OBJECTS_BETWEEN = 50_000
"""New objects between two searches for rings of them: what Django and all modules hold is searched each time, and seldom goes."""


def at_any_speed() -> None:
    """On a busy machine the first draw of a text, which builds tables, takes longer than the limit of a second."""
    settings.register_profile(
        "any speed",
        settings.get_profile(settings.get_current_profile_name()),
        deadline=None,
        suppress_health_check=[HealthCheck.too_slow],
    )
    settings.load_profile("any speed")


class Timed(unittest.TextTestResult):
    """Knows how long each test took, its set-up included."""

    spent: dict[str, float] = {}

    def startTest(self, test: unittest.TestCase) -> None:
        self._began, self._id = time.monotonic(), test.id()  # a test may call something of its own `id` by and by
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        self.spent[self._id] = time.monotonic() - self._began


class Runner(DiscoverRunner):
    """See the module."""

    def get_resultclass(self) -> Any:
        return Timed

    def __init__(self, *arguments: Any, **options: Any) -> None:
        super().__init__(*arguments, **options)
        at_any_speed()

    def setup_test_environment(self, **options: Any) -> None:
        super().setup_test_environment(**options)
        gc.freeze()
        gc.set_threshold(OBJECTS_BETWEEN)
        self._before = (tempfile.tempdir, os.environ.get("TMPDIR"))
        self._folder = tempfile.mkdtemp(prefix="attic-run-")
        os.chmod(self._folder, 0o755)  # PostgreSQL and servers under test run as somebody else
        tempfile.tempdir = os.environ["TMPDIR"] = self._folder

    def run_suite(self, suite: unittest.TestSuite, **options: Any) -> unittest.TestResult:
        result: unittest.TestResult = super().run_suite(suite, **options)
        self._left = sorted(path.name for path in Path(self._folder).iterdir() if path.name.startswith(("attic-", "tmp")))
        return result

    def suite_result(self, suite: unittest.TestSuite, result: unittest.TestResult, **options: Any) -> int:
        if len(Timed.spent) > SLOWEST:
            by_class = Counter[str]()
            for id, seconds in Timed.spent.items():
                by_class[id.rpartition(".")[0]] += seconds  # type: ignore[assignment]
            print("\nslowest: " + ", ".join(f"{name} {seconds:.0f} s" for name, seconds in by_class.most_common(SLOWEST)))
        if self._left:
            print(f"\nFAILED: {len(self._left)} temporary folders are left by whoever made them: {', '.join(self._left[:20])}")
        failed = int(super().suite_result(suite, result, **options)) + len(self._left)
        if where := os.environ.get(RESULT):
            skipped = len(result.skipped) + len(result.expectedFailures)
            Path(where).write_text(json.dumps({"ran": result.testsRun, "failed": failed, "skipped": skipped}))
        return failed

    def teardown_test_environment(self, **options: Any) -> None:
        tempfile.tempdir, before = self._before
        os.environ.pop("TMPDIR")
        if before is not None:
            os.environ["TMPDIR"] = before
        shutil.rmtree(self._folder, ignore_errors=True)
        super().teardown_test_environment(**options)
