"""The front end's own tests: each of its files is a test case here, with its output in the failure.

vitest runs them all once, in a zone far from the office's; what it reports is read from its JSON, never from printed lines.
"""

import json
import subprocess
import tempfile
import unittest
from pathlib import Path
from typing import Any

from launcher.setup import WEB, node_environment

FILES = sorted(WEB.glob("src/**/*.test.ts*"))


class FrontEnd(unittest.TestCase):
    """One method a file, made below."""

    reported: dict[str, dict[str, Any]]
    said: str

    @classmethod
    def setUpClass(cls) -> None:
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "report.json"
            command = ["npx", "vitest", "run", "--reporter=json", "--reporter=default", f"--outputFile.json={out}"]
            done = subprocess.run(command, cwd=WEB, env=node_environment(), capture_output=True, text=True, check=False)
            cls.said = done.stdout + done.stderr
            report = json.loads(out.read_text()) if out.exists() else {"testResults": []}
        cls.reported = {entry["name"]: entry for entry in report["testResults"]}

    def holds(self, file: Path) -> None:
        entry = self.reported.get(str(file))
        if entry is None:
            self.fail(f"{file.name} was not run.\n{self.said[-4000:]}")
        bad = [one for one in entry["assertionResults"] if one["status"] == "failed"]
        failures = "\n\n".join(f"{one['fullName']}\n" + "\n".join(one["failureMessages"]) for one in bad)
        self.assertEqual(entry["status"], "passed", f"{failures or entry.get('message', '')}")
        self.assertTrue(entry["assertionResults"], f"{file.name} tests nothing")
        skipped = [one["fullName"] for one in entry["assertionResults"] if one["status"] not in ("passed", "failed")]
        self.assertEqual(skipped, [], "a test that is left out proves nothing")


def _named(file: Path) -> str:
    return "test_" + "_".join(file.relative_to(WEB / "src").with_suffix("").with_suffix("").parts).lower().replace("-", "_")


for _file in FILES:
    setattr(FrontEnd, _named(_file), lambda self, file=_file: self.holds(file))
