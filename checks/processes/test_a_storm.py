"""Four writers, a sweeper, a checker and a copier on one store, all of them killed again and again: nothing that was reported is lost.

What is left is not read by the program that wrote it: the rescue reader restores every backup, and plain Python compares.
"""

import json
import os
import random
import subprocess
import sys
import tempfile
import threading
from pathlib import Path
from typing import Any

from adapters.stores.folder import FolderBlobs
from adapters.stores.s3 import S3Blobs
from checks.contracts.s3_servers import SeaweedFS, a_bucket
from checks.processes.actor import LIMITS, blobs_of, digest, opened
from checks.processes.scene import FOR_EVER, ROOT, Scene
from core.vault.check import check
from core.vault.opening import create_vault
from core.vault.tests.bench_of_one import LENIENT, PASSPHRASE, START

ROUNDS, ROUNDS_AWAY = 2, 1
"""On a folder, and on an object store, where each takes several times as long."""


class Told:
    """What a process tells, read while it runs."""

    def __init__(self, process: "subprocess.Popen[str]", *, most: int) -> None:
        self.process, self.lines, self._most = process, list[dict[str, Any]](), most
        self.enough = threading.Event()
        self._thread = threading.Thread(target=self._read)
        self._thread.start()

    def _read(self) -> None:
        assert self.process.stdout is not None
        for line in self.process.stdout:
            if line.endswith("}\n"):
                self.lines.append(json.loads(line))
            if len(self.lines) >= self._most:
                self.enough.set()
        self.enough.set()

    def kill(self) -> tuple[int, str]:
        """Its exit code, and what it complained of."""
        assert self.process.stdout is not None and self.process.stderr is not None
        self.process.kill()
        self._thread.join()
        code, errors = self.process.wait(), self.process.stderr.read()
        self.process.stdout.close()
        self.process.stderr.close()
        return code, errors


class AStorm(Scene):
    def storm(self, where: str, to: str, rounds: int = ROUNDS) -> list[dict[str, Any]]:
        seen: list[dict[str, Any]] = []
        order = random.Random(1)
        for number in range(rounds):
            writers = [Told(self.write(where, 10 * number + seed, FOR_EVER), most=2) for seed in range(4)]
            others = [
                Told(self.sweep(where), most=3),
                Told(self.start("check", where), most=2),
                Told(self.start("copy", where, to), most=1),
            ]
            for one in (*writers, *others):
                self.assertTrue(one.enough.wait(300), "it does nothing")
            everyone = [*writers, *others]
            order.shuffle(everyone)
            codes: list[tuple[int, str]] = []
            for one in everyone:
                threading.Event().wait(order.random() / 4)  # so that each is killed somewhere else in its work
                codes.append(one.kill())
                seen += one.lines
            self.assertEqual([errors for code, errors in codes if code != -9], [])
        return seen

    def held_by_rescue(self, folder: Path) -> dict[str, str]:
        """Backup → digest of what the rescue reader restores of it."""
        (folder.parent / "pass").write_text(PASSPHRASE)
        rescue = [sys.executable, "-P", str(ROOT / "docs" / "rescue.py")]
        env = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}

        def run(*arguments: object) -> str:
            command = [*rescue, *map(str, arguments), "--passphrase-file", str(folder.parent / "pass")]
            done = subprocess.run(command, env=env, capture_output=True, text=True, check=False)
            self.assertEqual(done.returncode, 0, done.stderr)
            return done.stdout

        seen = {}
        for line in run("list", folder).splitlines():
            id = line.split()[0]
            out = folder.parent / f"out-{id}"
            run("restore", folder, id, out)
            seen[id] = digest({(path.parent.name, path.name): path.read_bytes() for path in out.rglob("*") if path.is_file()})
        return seen

    def weathered(self, where: str, folder: Path, events: list[dict[str, Any]], rounds: int = ROUNDS) -> None:
        made = {entry["made"]: entry["digest"] for entry in events if "made" in entry}
        removed = {entry["removed"] for entry in events if "removed" in entry}
        self.assertGreaterEqual(len(made), 4 * rounds)
        self.assertEqual([entry["damaged"] for entry in events if entry.get("damaged")], [])
        self.assertEqual([entry.object for entry in check(opened(where), percent=100).damaged], [])
        by_rescue = self.held_by_rescue(folder)
        self.assertEqual({id: by_rescue.get(id) for id in made.keys() - removed}, {id: made[id] for id in made.keys() - removed})

    def prepared(self, where: str, twin: Path) -> None:
        self.prepare(blobs_of(where))
        vault = opened(where)
        create_vault(
            FolderBlobs(twin), passphrase=PASSPHRASE, now=START, random=vault.random, limits=LIMITS, policy=LENIENT, same_key_as=vault,
        )  # fmt: skip

    def test_on_a_folder(self):
        with tempfile.TemporaryDirectory() as holder:
            here, twin = Path(holder) / "store", Path(holder) / "twin"
            for folder in (here, twin):
                folder.mkdir()
            self.prepared(str(here), twin)
            a_storm = self.storm(str(here), str(twin))
            self.weathered(str(here), here, a_storm)
            self.assertEqual([entry.object for entry in check(opened(str(twin)), percent=100).damaged], [])

    def test_on_a_real_object_store(self):
        server = SeaweedFS()
        self.addCleanup(server.stop)
        bucket = a_bucket(server)
        where = f"s3 {server.url} {bucket.bucket} {bucket.access_key} {bucket.secret_key}"
        with tempfile.TemporaryDirectory() as holder:
            here, twin = Path(holder) / "store", Path(holder) / "twin"
            for folder in (here, twin):
                folder.mkdir()
            self.prepared(where, twin)
            a_storm = self.storm(where, str(twin), ROUNDS_AWAY)
            store = S3Blobs(bucket)
            for name, _ in store.list(""):
                (here / name).parent.mkdir(parents=True, exist_ok=True)
                (here / name).write_bytes(store.read(name))
            self.weathered(where, here, a_storm, ROUNDS_AWAY)
            self.assertEqual([entry.object for entry in check(opened(str(twin)), percent=100).damaged], [])
