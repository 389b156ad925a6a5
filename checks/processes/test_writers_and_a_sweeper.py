"""Two writers and a sweeper as real processes on one store, for a few seconds: nothing is lost.

Then once more with a writer that is killed again and again.
"""

import json
import os
import secrets
import subprocess
import sys
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase

from adapters.stores.folder import FolderBlobs
from adapters.stores.s3 import S3Blobs
from checks.contracts.s3_servers import Moto, SeaweedFS, Server, a_bucket
from checks.processes.actor import LIMITS, digest, opened
from core.vault.blobs import BlobStore
from core.vault.check import check
from core.vault.opening import create_vault
from core.vault.tests.bench_of_one import LENIENT, PASSPHRASE, contents

ROOT = Path(__file__).resolve().parents[2]
SECONDS = 6


class SeveralProcesses(TestCase):
    def prepare(self, blobs: BlobStore) -> None:
        create_vault(blobs, passphrase=PASSPHRASE, now=datetime.now(UTC), random=secrets.token_bytes, limits=LIMITS, policy=LENIENT)

    def start(self, what: str, where: str, seed: int, seconds: float) -> "subprocess.Popen[str]":
        env = {**os.environ, "PYTHONPATH": str(ROOT)}
        command = [sys.executable, "-m", "checks.processes.actor", what, where, str(seed), str(seconds)]
        return subprocess.Popen(command, cwd=ROOT, env=env, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)

    def told(self, process: "subprocess.Popen[str]", *, killed: bool = False) -> list[dict]:  # type: ignore[type-arg]
        out, errors = process.communicate(timeout=120)
        if not killed:
            self.assertEqual(process.returncode, 0, errors[-3000:])
        return [json.loads(line) for line in out.splitlines() if line.endswith("}")]

    def nothing_is_lost(self, where: str, told: list[dict], *, least: int) -> None:  # type: ignore[type-arg]
        made = {entry["made"]: entry["digest"] for entry in told if "made" in entry}
        removed = {entry["removed"] for entry in told if "removed" in entry}
        self.assertGreater(len(made), least)
        report = check(opened(where), percent=100)
        self.assertEqual([(entry.object, entry.reason) for entry in report.damaged], [])
        vault = opened(where)
        there = {id.hex() for id in vault.backup_ids()}
        self.assertLessEqual(set(made) - removed, there)
        for id in set(made) - removed:
            self.assertEqual(digest(contents(vault, vault.manifest(bytes.fromhex(id)))), made[id])

    def together(self, where: str) -> None:
        processes = [self.start("write", where, 1, SECONDS), self.start("write", where, 2, SECONDS), self.start("sweep", where, 0, SECONDS)]
        told = [entry for process in processes for entry in self.told(process)]
        self.nothing_is_lost(where, told, least=6)
        self.assertGreater(sum(entry.get("freed", 0) for entry in told), 0, "the sweeper never freed anything")

    def test_on_a_folder(self):
        with tempfile.TemporaryDirectory() as folder:
            self.prepare(FolderBlobs(Path(folder)))
            self.together(folder)

    def test_on_a_folder_while_a_writer_is_killed_again_and_again(self):
        with tempfile.TemporaryDirectory() as folder:
            self.prepare(FolderBlobs(Path(folder)))
            steady, sweeper = self.start("write", folder, 1, SECONDS), self.start("sweep", folder, 0, SECONDS)
            told: list[dict] = []  # type: ignore[type-arg]
            for seed in range(3, 6):
                process = self.start("write", folder, seed, SECONDS)
                time.sleep(1.6)
                process.kill()
                told += self.told(process, killed=True)
            told += self.told(steady) + self.told(sweeper)
            # a removal may have been carried out and not been told
            there = {id.hex() for id in opened(folder).backup_ids()}
            steady_made = [entry for entry in told if "made" not in entry or entry["made"] in there]
            self.nothing_is_lost(folder, steady_made, least=3)

    def on_s3(self, server: Server) -> None:
        self.addCleanup(server.stop)
        where = a_bucket(server)
        self.prepare(S3Blobs(where))
        self.together(f"s3 {server.url} {where.bucket}")

    def test_on_s3_in_memory(self):
        self.on_s3(Moto())

    def test_on_a_real_object_store(self):
        self.on_s3(SeaweedFS())
