"""Two writers and a sweeper as real processes on one store, for so many backups: nothing is lost.

Then once more with a writer that is killed again and again.
"""

import json
import subprocess
import tempfile
import time
from pathlib import Path

from adapters.stores.folder import FolderBlobs
from adapters.stores.s3 import S3Blobs
from checks.contracts.s3_servers import SeaweedFS, a_bucket
from checks.processes.actor import digest, opened
from checks.processes.scene import FOR_EVER, Scene
from core.vault.check import check
from core.vault.tests.bench_of_one import contents

BACKUPS = 6
"""What each writer makes: rounds are counted, not seconds, so that a busy machine only takes longer."""


class SeveralProcesses(Scene):
    def told(self, process: "subprocess.Popen[str]") -> list[dict]:  # type: ignore[type-arg]
        out, errors = process.communicate(timeout=400)
        self.assertEqual(process.returncode, 0, errors[-3000:])
        return [json.loads(line) for line in out.splitlines()]

    def told_until_killed(self, process: "subprocess.Popen[str]", *, after: int, wait: float) -> list[dict]:  # type: ignore[type-arg]
        """What a writer told that is killed so long after it has made so many backups: in the middle of the next."""
        assert process.stdout is not None and process.stderr is not None
        lines: list[str] = []
        made = 0
        for line in process.stdout:
            lines.append(line)
            made += '"made"' in line
            if made == after:
                time.sleep(wait)
                process.kill()
        self.assertEqual(process.wait(), -9, process.stderr.read()[-3000:])
        process.stdout.close()
        process.stderr.close()
        return [json.loads(line) for line in lines if line.endswith("}\n")]

    def nothing_is_lost(self, where: str, events: list[dict], *, least: int) -> None:  # type: ignore[type-arg]
        made = {entry["made"]: entry["digest"] for entry in events if "made" in entry}
        removed = {entry["removed"] for entry in events if "removed" in entry}
        self.assertGreaterEqual(len(made), least)
        report = check(opened(where), percent=100)
        self.assertEqual([(entry.object, entry.reason) for entry in report.damaged], [])
        vault = opened(where)
        there = {id.hex() for id in vault.backup_ids()}
        self.assertLessEqual(set(made) - removed, there)
        for id in set(made) - removed:
            self.assertEqual(digest(contents(vault, vault.manifest(bytes.fromhex(id)))), made[id])

    def together(self, where: str) -> None:
        writers, sweeper = [self.write(where, 1, BACKUPS), self.write(where, 2, BACKUPS)], self.sweep(where)
        entries = [entry for process in writers for entry in self.told(process)]
        self.done.touch()
        entries += self.told(sweeper)
        self.nothing_is_lost(where, entries, least=2 * BACKUPS)
        self.assertGreater(sum(entry.get("freed", 0) for entry in entries), 0, "the sweeper never freed anything")

    def test_on_a_folder(self):
        with tempfile.TemporaryDirectory() as folder:
            self.prepare(FolderBlobs(Path(folder)))
            self.together(folder)

    def test_on_a_folder_while_a_writer_is_killed_again_and_again(self):
        with tempfile.TemporaryDirectory() as folder:
            self.prepare(FolderBlobs(Path(folder)))
            steady, sweeper = self.write(folder, 1, BACKUPS), self.sweep(folder)
            written: list[dict] = []  # type: ignore[type-arg]
            for seed in range(3, 6):
                written += self.told_until_killed(self.write(folder, seed, FOR_EVER), after=2, wait=seed / 50)
            written += self.told(steady)
            self.done.touch()
            written += self.told(sweeper)
            self.nothing_is_lost(folder, written, least=BACKUPS)

    def test_on_a_real_object_store(self):
        server = SeaweedFS()
        self.addCleanup(server.stop)
        where = a_bucket(server)
        self.prepare(S3Blobs(where))
        self.together(f"s3 {server.url} {where.bucket} {where.access_key} {where.secret_key}")
