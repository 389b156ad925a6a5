"""Which tests reach which line, and how long each takes: by `coverage`, which is told what test is on."""

import json
import os
import time
import unittest
from pathlib import Path
from typing import Any

import coverage

from checks.runner import Runner

SPENT = "ATTIC_MUTANTS_SPENT"
"""Names the file into which it is written how long each test took."""


class _Telling(unittest.TextTestResult):
    spent: dict[str, float] = {}

    def startTest(self, test: unittest.TestCase) -> None:
        self._began = time.monotonic()
        if (running := coverage.Coverage.current()) is not None:
            running.switch_context(test.id())
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        self.spent[test.id()] = time.monotonic() - self._began


class Recording(Runner):
    """Started under `coverage run`."""

    def get_resultclass(self) -> Any:
        return _Telling

    def suite_result(self, suite: unittest.TestSuite, result: unittest.TestResult, **options: Any) -> int:
        Path(os.environ[SPENT]).write_text(json.dumps(_Telling.spent))
        return super().suite_result(suite, result, **options)


class Reached:
    """What was recorded."""

    def __init__(self, data_file: Path, spent_file: Path, root: Path) -> None:
        self._data = coverage.CoverageData(str(data_file))
        self._data.read()
        self._root = root
        self.spent: dict[str, float] = json.loads(spent_file.read_text())
        self._lines: dict[str, dict[int, list[str]]] = {}

    def tests(self, path: str, line: int) -> list[str]:
        """Ids, the quickest first."""
        if path not in self._lines:
            self._lines[path] = self._data.contexts_by_lineno(str(self._root / path))
        names = {name for name in self._lines[path].get(line, ()) if name in self.spent}
        return sorted(names, key=lambda name: (self.spent[name], name))
