"""The rescue reader against stores that the product wrote: two programs that share nothing but the format page."""

import ast
import json
import os
import random
import secrets
import subprocess
import sys
import tempfile
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import TestCase

from adapters.links.tree import TreeLink
from adapters.stores.folder import FolderBlobs
from commandline.tests.scene import Scene
from core.content.kinds import KIND_CODES
from core.vault import blobs as names
from core.vault.capture import Capture, Request
from core.vault.chunks import VaultLimits
from core.vault.copying import copy
from core.vault.manifests import Manifest
from core.vault.opening import create_vault, open_vault
from core.vault.sealed_devices import seal_device
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import LENIENT, PASSPHRASE
from core.vault.writer import Writer

RESCUE = Path(__file__).resolve().parents[2] / "docs" / "rescue.py"
ALLOWED = {"argon2", "blake3", "cryptography", "zstandard"}


class TheRescueReader(TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.here = Path(holder.name)
        (self.here / "store").mkdir()
        limits = VaultLimits(pack_bytes=256 * 1024)
        self.vault, self.code = create_vault(
            FolderBlobs(self.here / "store"),
            passphrase=PASSPHRASE,
            now=datetime.now(UTC),
            random=secrets.token_bytes,
            limits=limits,
            policy=LENIENT,
        )
        self.phone = self.here / "phone"
        source = random.Random(1)
        for path, content in {
            "photos/a.jpg": source.randbytes(700_000), "app data/m.sqlite": b"SQLite format 3\x00" + b"text and rows " * 20_000,
            "notes/empty.txt": b"", "notes/ü — odd.txt": b"odd",
        }.items():  # fmt: skip
            (self.phone / path).parent.mkdir(parents=True, exist_ok=True)
            (self.phone / path).write_bytes(content)
        for n in range(400):
            (self.phone / "notes" / f"{n:03}.txt").write_text(f"note {n}")
        (self.phone / "notes" / "000.txt").chmod(0o640)
        os.utime(self.phone / "notes" / "001.txt", ns=(1, 1_650_000_000_123_456_789))
        (self.phone / "photos" / "newest").symlink_to("a.jpg")
        for name in (b"bad-\xff.txt", b"bad-\xfe.txt", b"\xef\xbf\xbdfirst.txt"):
            Path(os.fsdecode(os.fsencode(self.phone) + b"/notes/" + name)).write_bytes(name)
        os.symlink(b"\xff", os.fsencode(self.phone) + b"/notes/odd link")
        (self.phone / "empty").mkdir(mode=0o750)
        os.utime(self.phone / "empty", ns=(1, 1_650_000_000_123_456_789))
        (self.here / "pass").write_text(PASSPHRASE + "\n")
        (self.here / "code").write_text(self.code.lower().replace("-", " "))

    def backup(self, previous: Manifest | None = None, device: str = "p", inner=None) -> Manifest:
        request = Request(device=device, device_told={"name": device}, kinds=tuple(KIND_CODES), note="", zone="UTC")
        return (
            Capture(TreeLink(self.phone), Writer(self.vault, inner=inner), request, clock=lambda: datetime.now(UTC)).run(previous).manifest
        )

    def rescue(self, *arguments: str, secret: str = "pass", code: int = 0) -> str:
        command = [sys.executable, "-P", str(RESCUE), *arguments, "--passphrase-file", str(self.here / secret)]
        env = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}
        done = subprocess.run(command, cwd=self.here, env=env, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, code, done.stderr)
        return done.stdout + done.stderr

    def same(self, folder: str) -> None:
        done = subprocess.run(
            ["diff", "-r", "--no-dereference", self.phone, self.here / folder], capture_output=True, text=True, check=False
        )
        self.assertEqual(done.stdout + done.stderr, "")
        for name in ("notes/000.txt", "notes/001.txt", "empty"):
            ours, theirs = (self.phone / name).stat(), (self.here / folder / name).stat()
            self.assertEqual((ours.st_mode, ours.st_mtime_ns), (theirs.st_mode, theirs.st_mtime_ns))

    def test_imports_only_what_it_names(self):
        tree = ast.parse(RESCUE.read_text())
        seen = set()
        for node in ast.walk(tree):
            if isinstance(node, ast.Import):
                seen |= {alias.name.partition(".")[0] for alias in node.names}
            elif isinstance(node, ast.ImportFrom):
                seen.add((node.module or "").partition(".")[0])
        self.assertLessEqual(seen - set(sys.stdlib_module_names), ALLOWED)

    def test_lists_and_restores_with_passphrase_and_with_code(self):
        manifest = self.backup()
        self.assertIn(manifest.id.hex(), self.rescue("list", "store"))
        self.rescue("restore", "store", manifest.id.hex()[:8], "out")
        self.same("out")
        self.rescue("restore", "store", manifest.id.hex(), "out-2", secret="code")
        self.same("out-2")

    def test_reads_a_backup_that_left_and_came_back_and_not_one_that_left_again(self):
        first = self.backup()
        (self.here / "twin").mkdir()
        twin, _ = create_vault(
            FolderBlobs(self.here / "twin"), passphrase=PASSPHRASE, now=datetime.now(UTC), random=secrets.token_bytes,
            limits=self.vault.limits, policy=LENIENT, same_key_as=self.vault,
        )  # fmt: skip
        copy(self.vault, twin)
        for swept in (False, True):
            self.vault.remove(first.id)
            self.assertNotIn(first.id.hex(), self.rescue("list", "store"))
            copy(twin, self.vault)
            if swept:
                sweep(self.vault, now=datetime.now(UTC))
            self.assertIn(first.id.hex(), self.rescue("list", "store"))
            self.rescue("restore", "store", first.id.hex(), f"back{swept}")
            self.same(f"back{swept}")

    def test_reads_what_is_left_after_removals_and_sweeps(self):
        first = self.backup()
        (self.phone / "photos" / "a.jpg").write_bytes(random.Random(5).randbytes(400_000))
        second = self.backup(first)
        self.vault.remove(first.id)
        for hours in (0, 30, 60):
            sweep(self.vault, now=datetime.now(UTC) + timedelta(hours=hours))
        rescued = self.rescue("list", "store")
        self.assertNotIn(first.id.hex(), rescued)
        self.rescue("restore", "store", second.id.hex(), "out")
        self.same("out")

    def test_reads_backups_whose_small_items_were_bundled_anew(self):
        first = self.backup()
        for n in range(400):
            if n % 9:
                (self.phone / "notes" / f"{n:03}.txt").unlink()
        (self.phone / "notes" / "001.txt").write_text("one")
        os.utime(self.phone / "notes" / "001.txt", ns=(1, 1_650_000_000_123_456_789))
        second = self.backup(first)
        (self.here / "twin").mkdir()
        twin, _ = create_vault(
            FolderBlobs(self.here / "twin"), passphrase=PASSPHRASE, now=datetime.now(UTC), random=secrets.token_bytes,
            limits=self.vault.limits, policy=LENIENT, same_key_as=self.vault,
        )  # fmt: skip
        copy(self.vault, twin)
        self.vault.remove(first.id)
        self.vault.limits = replace(self.vault.limits, waste_percent=0)
        sweep(self.vault, now=datetime.now(UTC), grace_seconds=0)
        (revision,) = (self.here / "store" / "revisions").iterdir()
        self.rescue("restore", "store", second.id.hex(), "out")
        self.same("out")
        content = revision.read_bytes()
        self.vault.remove(second.id)
        sweep(self.vault, now=datetime.now(UTC), grace_seconds=0)
        copy(twin, self.vault, backups=[second.id])
        revision.write_bytes(content)  # put back: it speaks of the stay before
        self.rescue("restore", "store", second.id.hex(), "back")
        self.same("back")

    def test_opens_a_sealed_device_with_its_passphrase(self):
        keys, _ = seal_device(self.vault, "captain", "the captain's own words", now=datetime.now(UTC), policy=LENIENT)
        manifest = self.backup(device="captain", inner=keys)
        (self.here / "own").write_text("the captain's own words\n")
        self.rescue("restore", "store", manifest.id.hex(), "out", "--device-passphrase-file", str(self.here / "own"))
        self.same("out")
        self.rescue("restore", "store", manifest.id.hex(), "no", "--device-passphrase-file", str(self.here / "pass"), code=1)

    def test_a_wrong_passphrase_opens_nothing(self):
        (self.here / "wrong").write_text("wrong and wrong again")
        self.assertIn("does not open", self.rescue("list", "store", secret="wrong", code=1))

    def test_damage_costs_only_what_it_touches(self):
        manifest = self.backup()
        pack = max((self.here / "store" / "packs").glob("*/*"), key=lambda path: path.stat().st_size)
        content = bytearray(pack.read_bytes())
        content[5000] ^= 1
        pack.write_bytes(content)
        rescued = self.rescue("restore", "store", manifest.id.hex(), "out", code=1)
        self.assertEqual(rescued.count("lost:"), 1)
        self.assertEqual(len(list((self.here / "out" / "notes").iterdir())), 406)


class OneBrokenObject(Scene):
    """A damaged byte in an object of every kind, and strangers everywhere: the two programs list and give back the same."""

    def setUp(self):
        super().setUp()
        source = random.Random(2)
        for n in range(60):
            (self.phone / "notes" / f"{n:02}.txt").write_text(f"note {n} " + "and more " * source.randrange(40))
        self.deep = ["d" * 100] * 50
        at = os.open(self.phone, os.O_RDONLY)
        for name in self.deep:
            os.mkdir(name, dir_fd=at)
            at, above = os.open(name, os.O_RDONLY, dir_fd=at), at
            os.close(above)
        os.close(at)
        self.addCleanup(subprocess.run, ["rm", "-rf", self.phone, self.here / "ours", self.here / "theirs"], check=True)
        passing = [self.phone / "notes" / f"x{n}.txt" for n in range(150)]
        for path in passing:
            path.write_text("gone tomorrow, and as long as others")
        first = self.backup()["backup"]
        for path in passing:
            path.unlink()
        (self.phone / "photos" / "b.jpg").write_bytes(source.randbytes(200_000))
        self.backup()
        self.run_json("remove", self.store, first)
        self.run_json("sweep", self.store, "--grace", "0", "--waste", "0")  # bundles the notes anew
        (self.phone / "photos" / "b.jpg").write_bytes(source.randbytes(200_000))
        (self.phone / "notes" / "07.txt").write_text("another note")
        self.newest = self.backup()["backup"]
        (self.phone / "photos" / "c.jpg").write_bytes(source.randbytes(50_000))
        last = self.backup()["backup"]
        self.run_json("remove", self.store, last)
        self.run_json("sweep", self.store)  # leaves a mark
        vault = open_vault(FolderBlobs(Path(self.store)), passphrase="tide and chalk and rope", random=secrets.token_bytes,
                           limits=VaultLimits(), policy=LENIENT)  # fmt: skip
        vault.write_object(names.DAMAGE, json.dumps({"packs": {"00" * 16: ""}}).encode())
        self.backup()
        self.run_json("remove", self.store, self.run_json("list", self.store)[1][0]["backup"])
        for at, kind in enumerate(("keys", "packs", "packs/00", "manifests", "rolls", "removed", "seen", "marks", "indexes", ".")):
            folder = Path(self.store) / kind
            folder.mkdir(exist_ok=True)
            (folder / "Thumbs.db").write_bytes(b"x" * at)
            (folder / ".tmp-copy").write_bytes(b"")
            (folder / ("f" * 31)).mkdir()

    def rescue(self, *arguments: str) -> tuple[int, str, str]:
        command = [sys.executable, "-P", str(RESCUE), *arguments, "--passphrase-file", self.pass_file]
        env = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}
        done = subprocess.run(command, cwd=self.here, env=env, capture_output=True, text=True, check=False)
        self.assertNotIn("Traceback", done.stderr)
        return done.returncode, done.stdout, done.stderr

    def tree(self, folder: Path) -> dict[str, tuple]:
        link = TreeLink(folder)
        items = [item for kind in link.kinds() for item in link.inventory(kind)]
        by_key = {item.id: (item.kind, item.modified, item.attributes, b"".join(link.read(item))) for item in items}
        link.close()
        return by_key

    def answers(self, broken: str) -> tuple[int, int]:
        """Both programs list and restore; their answers are the same. Exit codes of the rescue reader."""
        _, ours = self.run_json("list", self.store)
        code, theirs, _ = self.rescue("list", "store")
        self.assertEqual({row["backup"] for row in ours}, {line.split()[0] for line in theirs.splitlines()}, broken)
        for folder in ("ours", "theirs"):
            subprocess.run(["rm", "-rf", self.here / folder], check=True)
        if not any(row["backup"] == self.newest for row in ours):
            return code, 2
        done, report, _ = self.run_command("restore", self.store, self.newest, str(self.here / "ours"))
        status, _, said = self.rescue("restore", "store", self.newest, "theirs")
        self.assertEqual((status, self.tree(self.here / "ours")), (done, self.tree(self.here / "theirs")), f"{broken}: {report} {said}")
        return code, status

    def test_of_every_kind(self):
        store = Path(self.store)
        self.assertEqual(self.answers("nothing"), (0, 0))
        self.assertIn("/".join(self.deep), self.tree(self.here / "theirs"))
        objects = {path.relative_to(store).as_posix() for path in store.rglob("*") if path.is_file()}
        kinds: dict[str, list[str]] = {}
        for name in sorted(objects):
            if names.is_ours(name):
                kinds.setdefault(name.partition("/")[0], []).append(name)
        expected = {"header", "keys", "packs", "indexes", "manifests", "marks", "seen", "removed", "rolls", "damage", "revisions"}
        self.assertEqual(set(kinds), expected)
        outcomes: dict[str, set[tuple[int, int]]] = {}
        for kind in expected - {"header", "keys"}:
            for name in kinds[kind]:
                path = store / name
                content = path.read_bytes()
                for at in (len(content) // 2, len(content) - 30) if kind == "packs" else (len(content) // 2,):
                    with self.subTest(name=name, at=at):
                        path.write_bytes(content[:at] + bytes([content[at] ^ 1]) + content[at + 1 :])
                        outcomes.setdefault(kind, set()).add(self.answers(name))
                path.write_bytes(content)
        lost = {code for codes in outcomes["packs"] for code in codes[1:]}
        self.assertEqual(lost, {0, 1})  # of some packs nothing is needed
        self.assertIn((1, 2), outcomes["manifests"])
        self.assertEqual(outcomes["rolls"], {(1, 0)})
        self.assertEqual({code for code, _ in outcomes["revisions"]}, {1})
        for kind in ("indexes", "marks", "seen"):
            self.assertEqual(outcomes[kind], {(0, 0)}, kind)

    def test_of_the_slots_the_others_open_and_a_broken_header_is_told(self):
        store = Path(self.store)
        for path in [path for path in (store / "keys").iterdir() if names.is_ours(f"keys/{path.name}")]:
            content = path.read_bytes()
            for broken in (b"", b"[]", b"garbage", content.replace(b'"salt": "', b'"salt": "zz'), content.replace(b'"kind"', b'"find"')):
                path.write_bytes(broken)
                code, _, _ = self.run_command("list", self.store)
                exit_code, _, said = self.rescue("list", "store")
                self.assertEqual((exit_code == 0) or b"passphrase" in content, (code == 0) or b"passphrase" in content, said)
            path.write_bytes(content)
        (store / "header").write_bytes(b"garbage")
        self.assertEqual(self.rescue("list", "store")[0], 1)
