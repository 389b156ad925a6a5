"""A store, a phone in a folder, and commands run as a script runs them."""

import contextlib
import io
import json
import os
import random
import subprocess
import tempfile
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

from commandline import stores
from commandline.__main__ import main
from core.vault.tests.bench_of_one import LENIENT

ROOT = Path(__file__).resolve().parents[2]


class Scene(TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.here = Path(holder.name)
        for patch in (mock.patch.object(stores, "POLICY", LENIENT),):
            patch.start()
            self.addCleanup(patch.stop)
        self.pass_file = self.secret("pass", "tide and chalk and rope")
        self.store = str(self.here / "store")
        self.phone = self.here / "phone"
        (self.phone / "photos").mkdir(parents=True)
        (self.phone / "notes").mkdir()
        (self.phone / "empty folder").mkdir()
        (self.phone / "photos" / "a.jpg").write_bytes(random.Random(1).randbytes(300_000))
        (self.phone / "photos" / "latest").symlink_to("a.jpg")
        (self.phone / "notes" / "one.txt").write_text("one")
        (self.phone / "notes" / "nothing.txt").write_text("")
        os.utime(self.phone / "notes" / "one.txt", ns=(1, 1_600_000_000_000_000_007))
        (self.phone / "notes" / "one.txt").chmod(0o640)
        self.code = self.run_json("init", self.store)[1]["recovery_code"]

    def secret(self, name: str, text: str) -> str:
        (self.here / name).write_text(text + "\n")
        return str(self.here / name)

    def run_command(self, *arguments: str, passphrase: str | None = "") -> tuple[int, str, str]:
        out, errors = io.StringIO(), io.StringIO()
        entries = [*arguments]
        if passphrase is not None:
            entries += ["--passphrase-file", passphrase or self.pass_file]
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(errors):
            try:
                code = main(entries)
            except SystemExit as end:  # argparse
                code = int(end.code or 0)
        return code, out.getvalue(), errors.getvalue()

    def run_json(self, *arguments: str, passphrase: str | None = "") -> tuple[int, Any]:
        code, out, errors = self.run_command(*arguments, "--json", passphrase=passphrase)
        self.assertEqual(out.count("\n"), 1, errors)
        return code, json.loads(out)

    def fails(self, code: int, *arguments: str, passphrase: str | None = "") -> str:
        exit_code, out, errors = self.run_command(*arguments, passphrase=passphrase)
        self.assertEqual((exit_code, out), (code, ""), errors)
        self.assertTrue(errors)
        self.assertNotIn("Traceback", errors)
        return errors

    def backup(self, *more: str) -> dict[str, Any]:
        code, answer = self.run_json("backup", self.store, str(self.phone), "--device", "Shore 3", *more)
        self.assertEqual(code, 0)
        return answer

    def same(self, folder: Path) -> None:
        done = subprocess.run(["diff", "-r", "--no-dereference", self.phone, folder], capture_output=True, text=True, check=False)
        self.assertEqual(done.stdout, "")
        for path in self.phone.rglob("*"):
            ours, theirs = path.lstat(), (folder / path.relative_to(self.phone)).lstat()
            self.assertEqual((ours.st_mode, ours.st_mtime_ns), (theirs.st_mode, theirs.st_mtime_ns), path)
