"""Which tests reach which line, and how long each takes: by `coverage`, which is told what test is on."""

import json
import os
import time
import unittest
from pathlib import Path
from typing import Any, ClassVar

import coverage

from checks.runner import Runner, Timed

SPENT = "ATTIC_MUTANTS_SPENT"
"""Names the file into which it is written how long each test took."""


class _Telling(Timed):
    def startTest(self, test: unittest.TestCase) -> None:
        if (running := coverage.Coverage.current()) is not None:
            running.switch_context(test.id())
        super().startTest(test)


class _Suite(unittest.TestSuite):
    """What is done once for a class is done for the class: its name stands for all its tests."""

    furnished: ClassVar[dict[str, float]] = {}

    def _handleClassSetUp(self, test: unittest.TestCase, result: unittest.TestResult) -> None:
        whole, began = f"{type(test).__module__}.{type(test).__qualname__}", time.monotonic()
        first = type(test) is not getattr(result, "_previousTestClass", None)
        if first and (running := coverage.Coverage.current()) is not None:
            running.switch_context(whole)
        super()._handleClassSetUp(test, result)  # type: ignore[misc]
        if first:
            self.furnished[whole] = time.monotonic() - began


class Recording(Runner):
    """Started under `coverage run`."""

    test_suite = _Suite

    def get_resultclass(self) -> Any:
        return _Telling

    def suite_result(self, suite: unittest.TestSuite, result: unittest.TestResult, **options: Any) -> int:
        of_class = dict(_Suite.furnished)
        for id, seconds in Timed.spent.items():
            if (whole := id.rpartition(".")[0]) in of_class:
                of_class[whole] += seconds
        Path(os.environ[SPENT]).write_text(json.dumps(Timed.spent | of_class))
        return super().suite_result(suite, result, **options)


class Reached:
    """What was recorded: pairs of `coverageN` and `spentN` in a folder, made below `root`."""

    def __init__(self, folder: Path, root: Path) -> None:
        self._data = coverage.CoverageData(no_disk=True)
        self.spent: dict[str, float] = {}
        for side in sorted(folder.glob("coverage*")):
            one = coverage.CoverageData(str(side))
            one.read()
            self._data.update(one)
            self.spent |= json.loads((folder / side.name.replace("coverage", "spent")).read_text())
        self._root = root
        self._lines: dict[str, dict[int, list[str]]] = {}

    def tests(self, path: str, lines: range) -> list[str]:
        """Ids of those that run one of the lines, the quickest first. What runs while the file is loaded, as a constant does, is
        noticed by any that runs something of the file."""
        if path not in self._lines:
            self._lines[path] = self._data.contexts_by_lineno(str(self._root / path))
        known = self._lines[path]
        run = {name for line in lines for name in known.get(line, ())}
        names = {name for name in run if name in self.spent}
        if not names and run:
            names = {name for contexts in known.values() for name in contexts if name in self.spent}
        return sorted(names, key=lambda name: (self.spent[name], name))
