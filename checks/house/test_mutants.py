"""The faults that `./attic test --mutate` makes: what is broken is broken in that place only, and can still be read."""

import ast
import json
import os
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import TestCase

from checks.mutants.faults import faults_of

ROOT = Path(__file__).resolve().parents[2]
TEXT = b'''"""A docstring is no line that decides."""

MOST: int = 3


@decorated(7)
def f(a: int, b=True):
    """Nor is this one."""
    if a < MOST and not b:
        raise ValueError(f"{a + 1} \xc3\xa4")
    note(a)
    a += 2
    return a - 1
'''


class PythonFaults(TestCase):
    def broken(self) -> dict[str, list[str]]:
        """What it says afterwards in the line, by what was done."""
        seen: dict[str, list[str]] = {}
        for fault in faults_of("f.py", TEXT):
            lines = fault.applied(TEXT).decode().splitlines()
            ast.parse(fault.applied(TEXT))
            seen.setdefault(fault.what, []).append(lines[fault.line - 1].strip())
            others = [n for n, (was, now) in enumerate(zip(TEXT.decode().splitlines(), lines, strict=True), 1) if was != now]
            self.assertEqual(others, [fault.line])
        return seen

    def test_each_place_is_broken_by_itself(self):
        self.assertEqual(
            self.broken(),
            {
                "another number": ["MOST: int = 4", "a += 3", "return a - 2"],
                "yes, no": ["def f(a: int, b=False):"],
                "compared otherwise": ["if (a <= MOST) and not b:"],
                "and, or": ["if (a < MOST or not b):"],
                "not negated": ["if a < MOST and bool(b):"],
                "always true": ["if True:"],
                "always false": ["if False:"],
                "not raised": ["pass"],
                "left out": ["pass"],
                "reckoned otherwise": ["a -= 2", "return (a + 1)"],
                "returns nothing": ["return None"],
            },
        )

    def test_every_fault_of_the_core_can_be_read(self):
        files = list((ROOT / "core" / "quota").glob("*.py"))
        faults = [(file.read_bytes(), fault) for file in files for fault in faults_of(file.name, file.read_bytes())]
        self.assertGreater(len(faults), 500)
        for text, fault in faults:
            compile(fault.applied(text), fault.path, "exec")


class ScriptFaults(TestCase):
    def test_lie_where_they_say_and_leave_texts_and_types_alone(self):
        command = ["node", "mutants.mjs", "src/ui/forms"]
        content = json.loads(subprocess.run(command, cwd=ROOT / "web", capture_output=True, text=True, check=True).stdout)
        self.assertGreater(len(content), 100)
        for one in content:
            text = (ROOT / "web" / one["path"]).read_bytes()
            self.assertEqual(text[: one["start"]].count(b"\n") + 1, one["line"])
            was = text[one["start"] : one["end"]].decode()
            self.assertFalse(was[0] in "'`" and was[-1] in "'`", was)
            self.assertNotEqual(was, one["new"])


class InForks(TestCase):
    """The project of these is a folder with one rule and one test."""

    def test_each_trial_sees_the_folder_as_it_is_then(self):
        with tempfile.TemporaryDirectory() as folder:
            tests = Path(folder) / "core" / "tests"
            tests.mkdir(parents=True)
            for package in (tests.parent, tests):
                (package / "__init__.py").touch()
            text = "from unittest import TestCase\nfrom core.rule import two\n\n\nclass A(TestCase):\n"
            (tests / "test_rule.py").write_text(text + "    def test_it(self):\n        self.assertEqual(two(), 2)\n")
            rule = Path(folder) / "core" / "rule.py"
            whole, loops = "def two():\n    return 2\n", "def two():\n    while True:\n        pass\n"
            rule.write_text(whole)
            os.utime(rule, (1, 1))  # older than any fault, as what was copied is
            tried = subprocess.Popen(
                [sys.executable, "-m", "checks.mutants.trial", "core"],
                cwd=folder, env={**os.environ, "PYTHONPATH": f"{folder}:{ROOT}"}, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
            )  # fmt: skip
            with tried:
                assert tried.stdin is not None and tried.stdout is not None
                self.assertEqual(tried.stdout.readline(), "ready\n")
                for content, outcome in (
                    (whole, "survived"),
                    (whole.replace("2", "3"), "noticed"),
                    ("odd(", "noticed"),
                    (loops, "noticed"),
                    (whole, "survived"),
                ):
                    rule.write_text(content)
                    asked = {"tests": ["core.tests.test_rule.A.test_it"], "seconds": 2.0 if content == loops else 300.0}
                    print(json.dumps(asked), file=tried.stdin, flush=True)
                    self.assertEqual(tried.stdout.readline(), f"{outcome}\n", content)
                tried.stdin.close()
