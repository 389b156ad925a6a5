"""Processes on one store: how they are started."""

import os
import secrets
import subprocess
import sys
import tempfile
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase

from checks.processes.actor import LIMITS
from core.vault.blobs import BlobStore
from core.vault.opening import create_vault
from core.vault.tests.bench_of_one import LENIENT, PASSPHRASE

ROOT = Path(__file__).resolve().parents[2]
FOR_EVER = 100_000


class Scene(TestCase):
    def prepare(self, blobs: BlobStore) -> None:
        create_vault(blobs, passphrase=PASSPHRASE, now=datetime.now(UTC), random=secrets.token_bytes, limits=LIMITS, policy=LENIENT)

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.done = Path(holder.name) / "done"

    def start(self, *arguments: object) -> "subprocess.Popen[str]":
        env = {**os.environ, "PYTHONPATH": str(ROOT)}
        command = [sys.executable, "-m", "checks.processes.actor", *map(str, arguments)]
        return subprocess.Popen(command, cwd=ROOT, env=env, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)

    def write(self, where: str, seed: int, backups: int) -> "subprocess.Popen[str]":
        return self.start("write", where, seed, backups)

    def sweep(self, where: str) -> "subprocess.Popen[str]":
        return self.start("sweep", where, self.done)
