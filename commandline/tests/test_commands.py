"""Every command as a script uses it: the document on standard output, the exit code, what stays on disk."""

import contextlib
import io
import json
import os
import random
import subprocess
import sys
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

from adapters.stores.folder import FolderBlobs
from commandline import stores
from commandline.__main__ import main
from commandline.arguments import parser
from core.vault.blobs import MANIFESTS, pack_name
from core.vault.capture import Capture, Request
from core.vault.errors import StoreFull
from core.vault.manifests import encode_manifest
from core.vault.opening import open_vault
from core.vault.tests.bench_of_one import LENIENT, MemoryDevice
from core.vault.vault import VaultLimits
from core.vault.writer import Writer

ROOT = Path(__file__).resolve().parents[2]


class Commands(TestCase):
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
        given = [*arguments]
        if passphrase is not None:
            given += ["--passphrase-file", passphrase or self.pass_file]
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(errors):
            try:
                code = main(given)
            except SystemExit as end:  # argparse
                code = int(end.code or 0)
        return code, out.getvalue(), errors.getvalue()

    def run_json(self, *arguments: str, passphrase: str | None = "") -> tuple[int, Any]:
        code, out, errors = self.run_command(*arguments, "--json", passphrase=passphrase)
        self.assertEqual(out.count("\n"), 1, errors)
        return code, json.loads(out)

    def fails(self, code: int, *arguments: str, passphrase: str | None = "") -> str:
        found, out, errors = self.run_command(*arguments, passphrase=passphrase)
        self.assertEqual((found, out), (code, ""), errors)
        self.assertTrue(errors)
        self.assertNotIn("Traceback", errors)
        return errors

    def backup(self, *more: str) -> dict[str, Any]:
        code, told = self.run_json("backup", self.store, str(self.phone), "--device", "Shore 3", *more)
        self.assertEqual(code, 0)
        return told

    def same(self, folder: Path) -> None:
        told = subprocess.run(["diff", "-r", "--no-dereference", self.phone, folder], capture_output=True, text=True, check=False)
        self.assertEqual(told.stdout, "")
        for path in self.phone.rglob("*"):
            ours, theirs = path.lstat(), (folder / path.relative_to(self.phone)).lstat()
            self.assertEqual((ours.st_mode, ours.st_mtime_ns), (theirs.st_mode, theirs.st_mtime_ns), path)

    # -- the ordinary way

    def test_from_an_empty_folder_to_a_restored_one(self):
        told = self.backup("--note", "before the repair")
        self.assertEqual(set(told), {"backup", "items", "bytes", "read_bytes", "stored_bytes", "skipped", "seconds"})
        self.assertEqual((told["items"], told["bytes"], told["read_bytes"], told["skipped"]), (4, 300_003, 300_003, []))
        again = self.backup()
        self.assertEqual((again["items"], again["read_bytes"]), (4, 0))
        self.assertLess(again["stored_bytes"], 3_000)
        _, listed = self.run_json("list", self.store)
        self.assertEqual([row["backup"] for row in listed], [again["backup"], told["backup"]])
        self.assertEqual(set(listed[0]), {"backup", "device", "finished_at", "items", "bytes"})
        self.assertEqual(listed[0]["device"], "Shore 3")
        code, restored = self.run_json("restore", self.store, told["backup"], str(self.here / "back"))
        self.assertEqual((code, restored), (0, {"items": 4, "bytes": 300_003, "damaged": []}))
        self.same(self.here / "back")

    def test_show_lists_kinds_and_items(self):
        told = self.backup("--note", "first")
        _, shown = self.run_json("show", self.store, told["backup"][:8])
        self.assertEqual(shown["note"], "first")
        self.assertEqual(
            {row["kind"]: (row["items"], row["bytes"]) for row in shown["kinds"]}, {"photos": (1, 300_000), "documents": (3, 3)}
        )
        self.assertEqual(len(shown["items"]), 4)
        _, part = self.run_json("show", self.store, "newest", "--path", "notes")
        self.assertEqual([row["path"] for row in part["items"]], ["notes/nothing.txt", "notes/one.txt"])
        self.assertTrue(part["items"][1]["modified"].startswith("2020-09-13T12:26:40"))

    def test_parts_are_restored_alone(self):
        self.backup()
        for arguments, wanted in (
            (["--path", "notes"], ["notes/nothing.txt", "notes/one.txt"]),
            (["--path", "notes/one.txt", "--path", "photos/a.jpg"], ["notes/one.txt", "photos/a.jpg"]),
            (["--kind", "photos"], ["photos/a.jpg"]),
        ):
            target = self.here / "-".join(arguments).replace("/", "_")
            self.run_json("restore", self.store, "newest", str(target), *arguments)
            self.assertEqual(sorted(path.relative_to(target).as_posix() for path in target.rglob("*") if path.is_file()), wanted)

    def test_list_by_device(self):
        self.backup()
        self.run_json("backup", self.store, str(self.phone), "--device", "Inland 1")
        self.assertEqual(len(self.run_json("list", self.store)[1]), 2)
        self.assertEqual([row["device"] for row in self.run_json("list", self.store, "--device", "Inland 1")[1]], ["Inland 1"])
        self.assertEqual(self.run_json("list", self.store, "--device", "nobody")[1], [])

    def test_removal_sweep_and_usage(self):
        first = self.backup()
        (self.phone / "photos" / "a.jpg").write_bytes(random.Random(2).randbytes(200_000))
        second = self.backup()
        _, usage = self.run_json("usage", self.store, first["backup"])
        self.assertGreater(usage["alone_bytes"], 300_000)
        self.assertEqual(usage["stored_bytes"], usage["alone_bytes"] + usage["shared_bytes"])
        _, whole = self.run_json("usage", self.store)
        self.assertEqual(whole["stored_bytes"], sum(path.stat().st_size for path in Path(self.store).rglob("*") if path.is_file()))
        self.assertEqual(self.run_json("remove", self.store, first["backup"][:10])[1], {"removed": [first["backup"]]})
        _, told = self.run_json("sweep", self.store, "--dry-run")
        _, done = self.run_json("sweep", self.store, "--grace", "0")
        self.assertEqual(set(done), {"freed_bytes", "kept_bytes"})
        self.assertGreater(done["freed_bytes"], 300_000)
        self.assertEqual(done["freed_bytes"], told["freed_bytes"])
        self.assertEqual(done["kept_bytes"], sum(path.stat().st_size for path in Path(self.store).rglob("*") if path.is_file()))
        self.run_json("restore", self.store, second["backup"], str(self.here / "back"))
        self.same(self.here / "back")
        self.fails(2, "restore", self.store, first["backup"], str(self.here / "other"))

    def test_with_a_grace_period_space_comes_back_later(self):
        first = self.backup()
        self.run_json("remove", self.store, first["backup"])
        code, _, errors = self.run_command("sweep", self.store)
        self.assertEqual(code, 0)
        self.assertIn("after the grace period", errors)
        self.assertEqual(self.run_json("sweep", self.store)[1]["freed_bytes"], 0)

    def test_copies_to_a_store_with_another_key_and_to_a_twin(self):
        told = self.backup()
        other_pass = self.secret("other-pass", "another passphrase")
        self.run_json("init", str(self.here / "other"), passphrase=other_pass)
        self.run_json("init", str(self.here / "twin"), "--same-key-as", self.store)
        _, copied = self.run_json("copy", self.store, str(self.here / "other"), "--to-passphrase-file", other_pass)
        self.assertEqual((set(copied), copied["copied"]), ({"copied", "bytes"}, 1))
        self.assertGreater(copied["bytes"], 300_000)
        _, moved = self.run_json("copy", self.store, str(self.here / "twin"), "--backup", told["backup"][:6])
        self.assertEqual(moved["copied"], 1)
        self.assertEqual(self.run_json("copy", self.store, str(self.here / "twin"))[1], {"copied": 0, "bytes": 0})
        for name, secret in (("other", other_pass), ("twin", "")):
            self.run_json("restore", str(self.here / name), told["backup"], str(self.here / f"back-{name}"), passphrase=secret)
            self.same(self.here / f"back-{name}")

    def test_damage_is_named_restored_around_and_repaired(self):
        told = self.backup()
        self.run_json("init", str(self.here / "twin"), "--same-key-as", self.store)
        self.run_json("copy", self.store, str(self.here / "twin"))
        self.assertEqual(self.run_json("check", self.store)[1]["damaged"], [])
        (pack,) = Path(self.store).glob("packs/*/*")
        content = bytearray(pack.read_bytes())
        content[1000] ^= 1
        pack.write_bytes(content)
        self.assertTrue(self.run_json("check", self.store)[1]["ok"], "the structure is whole")
        code, report = self.run_json("check", self.store, "--full")
        self.assertEqual(code, 1)
        self.assertEqual(set(report), {"ok", "objects", "damaged"})
        (damaged,) = report["damaged"]
        self.assertEqual((damaged["backups"], len(damaged["items"])), ([told["backup"]], 1))
        self.assertIn(pack.name, damaged["object"])
        code, restored = self.run_json("restore", self.store, "newest", str(self.here / "part"))
        self.assertEqual((code, restored["items"]), (1, 3))
        self.assertEqual([row["path"] for row in restored["damaged"]], damaged["items"])
        code, mended = self.run_json("repair", self.store, "--from", str(self.here / "twin"))
        self.assertEqual((code, mended["left"]), (0, []))
        self.run_json("restore", self.store, "newest", str(self.here / "back"))
        self.same(self.here / "back")

    def test_a_damaged_list_costs_only_what_it_names(self):
        for n in range(1500):
            (self.phone / "notes" / f"n{n:04}.txt").write_text(f"note {n}")
        told = self.backup()
        vault = open_vault(
            FolderBlobs(Path(self.store)), passphrase="tide and chalk and rope", random=os.urandom, limits=VaultLimits(), policy=LENIENT
        )
        vault.refresh()
        manifest = vault.manifest(bytes.fromhex(told["backup"]))
        branches = vault.branches(manifest.summary("documents"))
        self.assertGreater(len(branches), 3)
        count = len(vault.branch_items(branches[1], kind="documents", sealed=None))
        place = vault.index.place(branches[1])
        pack = Path(self.store) / pack_name(place.pack)
        content = bytearray(pack.read_bytes())
        content[place.offset + 30] ^= 1
        pack.write_bytes(content)
        code, restored = self.run_json("restore", self.store, "newest", str(self.here / "part"))
        self.assertEqual((code, restored["items"]), (1, told["items"] - count))
        self.assertEqual([(row["kind"], row["reason"].split()[0]) for row in restored["damaged"]], [("documents", str(count))])
        code, report = self.run_json("check", self.store, "--full")
        self.assertEqual((code, len(report["damaged"]), report["damaged"][0]["backups"]), (1, 1, [told["backup"]]))
        self.assertEqual(self.run_command("show", self.store, "newest")[0], 1)
        self.fails(1, "sweep", self.store)
        again = self.backup()
        self.assertEqual((again["items"], again["read_bytes"] > 0), (told["items"], True))
        self.run_json("restore", self.store, again["backup"], str(self.here / "back"))
        self.same(self.here / "back")
        (damaged,) = self.run_json("check", self.store)[1]["damaged"]
        self.assertEqual(damaged["backups"], [told["backup"]])
        self.run_json("remove", self.store, told["backup"])
        self.assertEqual(self.run_command("sweep", self.store, "--grace", "0")[0], 0)
        self.assertTrue(self.run_json("check", self.store, "--full")[1]["ok"])

    def test_a_hostile_manifest_writes_nothing_outside(self):
        vault = open_vault(
            FolderBlobs(Path(self.store)), passphrase="tide and chalk and rope", random=os.urandom, limits=VaultLimits(), policy=LENIENT
        )
        names = ["../out.txt", "/etc/attic.txt", "a/../../b", "nul\x00l", "x" * 300, "", "./dot", "fine.txt", "con"]
        device = MemoryDevice({("documents", name): b"payload" for name in names})
        device.told = replace(device.told, family="folder")
        request = Request(device="h", device_told={"name": "h"}, kinds=("documents",), note="", zone="UTC")
        Capture(device, Writer(vault), request, clock=stores.now).run(None)
        before = sorted(path.name for path in self.here.iterdir())
        code, told = self.run_json("restore", self.store, "newest", str(self.here / "dest"))
        self.assertEqual((code, told["items"], len(told["damaged"])), (1, 2, len(names) - 2))
        self.assertEqual(sorted(path.name for path in (self.here / "dest").rglob("*")), ["con", "fine.txt"])
        self.assertEqual(sorted(path.name for path in self.here.iterdir()), sorted([*before, "dest"]))
        self.assertFalse(Path("/etc/attic.txt").exists())

    def test_a_manifest_that_names_chunks_that_do_not_exist(self):
        told = self.backup()
        vault = open_vault(
            FolderBlobs(Path(self.store)), passphrase="tide and chalk and rope", random=os.urandom, limits=VaultLimits(), policy=LENIENT
        )
        manifest = vault.manifest(bytes.fromhex(told["backup"]))
        kinds = tuple(replace(found, tops=(b"?" * 16,), depth=depth) for depth, found in enumerate(manifest.kinds))
        vault.write_object(MANIFESTS, encode_manifest(replace(manifest, id=b"i" * 16, kinds=kinds)), id=b"i" * 16)
        code, report = self.run_json("check", self.store)
        self.assertEqual((code, report["damaged"][0]["backups"]), (1, [(b"i" * 16).hex()]))
        self.assertIn((b"?" * 16).hex(), report["damaged"][0]["object"])
        code, restored = self.run_json("restore", self.store, (b"i" * 16).hex(), str(self.here / "none"))
        self.assertEqual((code, restored["items"], len(restored["damaged"])), (1, 0, len(kinds)))
        self.run_json("restore", self.store, told["backup"], str(self.here / "back"))
        self.same(self.here / "back")

    def test_keys_come_and_go(self):
        self.backup()
        new = self.secret("new", "ropes and a quiet harbour")
        _, added = self.run_json("keys", "add", self.store, "--new-passphrase-file", new, "--label", "Piet")
        self.assertEqual(len(self.run_json("list", self.store, passphrase=new)[1]), 1)
        _, listed = self.run_json("keys", "list", self.store)
        self.assertEqual([row["label"] for row in listed if row["slot"] == added["slot"]], ["Piet"])
        self.run_json("keys", "remove", self.store, added["slot"][:8])
        self.fails(3, "list", self.store, passphrase=new)
        self.run_json("keys", "change", self.store, "--new-passphrase-file", new)
        self.fails(3, "list", self.store)
        self.assertEqual(len(self.run_json("list", self.store, passphrase=new)[1]), 1)
        code_file = self.secret("code", self.code)
        self.assertEqual(len(self.run_json("list", self.store, passphrase=code_file)[1]), 1)
        _, spare = self.run_json("keys", "add", self.store, "--recovery-code", passphrase=new)
        self.assertEqual(len(self.run_json("list", self.store, passphrase=self.secret("spare", spare["recovery_code"]))[1]), 1)
        last = self.secret("spare", spare["recovery_code"])
        slots = self.run_json("keys", "list", self.store, passphrase=last)[1]
        for row in slots[:-1]:
            self.run_json("keys", "remove", self.store, row["slot"], passphrase=last)
        self.fails(2, "keys", "remove", self.store, slots[-1]["slot"], passphrase=last)

    def test_a_sealed_device_needs_its_own_passphrase(self):
        own = self.secret("own", "the captain's own words")
        _, sealed = self.run_json("keys", "add", self.store, "--device", "Shore 3", "--new-passphrase-file", own)
        self.assertEqual(set(sealed), {"device", "recovery_code"})
        self.fails(2, "backup", self.store, str(self.phone), "--device", "Shore 3")
        told = self.backup("--device-passphrase-file", own)
        self.assertEqual(len(self.run_json("list", self.store)[1]), 1)
        self.assertTrue(self.run_json("check", self.store, "--full")[1]["ok"])
        self.fails(3, "restore", self.store, told["backup"], str(self.here / "x"), "--device-passphrase-file", self.pass_file)
        code_file = self.secret("code", sealed["recovery_code"])
        self.run_json("restore", self.store, told["backup"], str(self.here / "back"), "--device-passphrase-file", code_file)
        self.same(self.here / "back")

    # -- what goes wrong

    def test_a_wrong_passphrase_is_3_whatever_it_is(self):
        said = {
            self.fails(3, "list", self.store, passphrase=self.secret("wrong", text)) for text in ("wrong", "x" * 5000, "tide and chalk")
        }
        self.assertEqual(len(said), 1)

    def test_no_store_is_4(self):
        (self.here / "plain").mkdir()
        for store in (str(self.here / "gone"), str(self.here / "plain"), str(self.pass_file)):
            self.fails(4, "list", store)
        header = Path(self.store) / "header"
        whole = header.read_bytes()
        header.write_bytes(whole[:50])
        self.fails(4, "list", self.store)
        header.write_bytes(whole.replace(b'"version": 2', b'"version": 9'))
        self.assertIn("version 9", self.fails(4, "list", self.store))

    def test_usage_is_2(self):
        told = self.backup()
        (self.here / "full").mkdir()
        (self.here / "full" / "x").write_text("x")
        for arguments in (
            ["restore", self.store, "newest", str(self.here / "full")],
            ["restore", self.store, "zz", str(self.here / "out")],
            ["restore", self.store, "newest", str(self.here / "out"), "--path", "no/such"],
            ["restore", self.store, "newest", str(self.here / "out"), "--kind", "nonsense"],
            ["show", self.store, ""],
            ["remove", self.store, "ffff" + told["backup"]],
            ["check", self.store, "--sample", "101"],
            ["check", self.store, "--sample", "5", "--full"],
            ["sweep", self.store, "--grace", "-1"],
            ["backup", self.store, str(self.here / "nowhere"), "--device", "x"],
            ["backup", self.store, str(self.phone), "--device", " "],
            ["keys", "remove", self.store, "zz"],
            ["init", self.store],
            ["nonsense"],
            ["list", "ftp://x/y"],
            ["list", "s3://"],
        ):
            with self.subTest(arguments=arguments):
                self.fails(2, *arguments)
        self.assertFalse((self.here / "out").exists())

    def test_passphrases_that_cannot_be_read_are_2(self):
        (self.here / "binary").write_bytes(b"\xff\xfe")
        (self.here / "nothing").write_bytes(b"")
        for name in ("binary", "nothing", "missing"):
            self.fails(2, "list", self.store, passphrase=str(self.here / name))
        with mock.patch("sys.stdin", io.StringIO()):
            self.assertIn("--passphrase-file", self.fails(2, "list", self.store, passphrase=None))
        self.fails(2, "list", self.store, "--passphrase-fd", "987", passphrase=None)

    def test_a_full_store_is_5_and_nothing_is_lost(self):
        self.backup()
        (self.phone / "more.bin").write_bytes(random.Random(3).randbytes(100_000))
        with mock.patch.object(FolderBlobs, "create", side_effect=StoreFull("The medium is full.")):
            self.fails(5, "backup", self.store, str(self.phone), "--device", "Shore 3")
        self.assertTrue(self.run_json("check", self.store, "--full")[1]["ok"])
        self.assertEqual(self.backup()["items"], 5)

    def test_what_could_not_be_read_is_1_and_named(self):
        os.mkfifo(self.phone / "pipe")
        code, told = self.run_json("backup", self.store, str(self.phone), "--device", "Shore 3")
        self.assertEqual((code, told["items"]), (1, 4))
        self.assertEqual([row["path"] for row in told["skipped"]], ["pipe"])
        self.assertTrue(told["skipped"][0]["reason"])

    def test_a_store_inside_the_folder_is_not_backed_up_into_itself(self):
        inside = str(self.phone / "store")
        self.run_json("init", inside)
        code, told = self.run_json("backup", inside, str(self.phone), "--device", "x")
        self.assertEqual((code, told["items"], [row["path"] for row in told["skipped"]]), (1, 4, ["store"]))

    def test_a_passphrase_comes_through_a_descriptor_and_on_no_command_line(self):
        reading, writing = os.pipe()
        os.write(writing, b"tide and chalk and rope\n")
        os.close(writing)
        self.assertEqual(self.run_json("list", self.store, "--passphrase-fd", str(reading), passphrase=None), (0, []))
        os.close(reading)
        with contextlib.redirect_stderr(io.StringIO()):
            for option in ("--passphrase", "--recovery-code", "--key"):
                with self.assertRaises(SystemExit):
                    parser().parse_args(["list", self.store, option, "secret"])

    def test_people_read_lines(self):
        code, out, errors = self.run_command("backup", self.store, str(self.phone), "--device", "Shore 3")
        self.assertRegex(out, r"Backup [0-9a-f]{32} is complete: 4 items, 293 KiB\.")
        for command in (["list"], ["show", "newest"], ["check", "--full"], ["usage"], ["keys list"], ["sweep", "--dry-run"]):
            words = command[0].split()
            code, out, errors = self.run_command(*words, self.store, *command[1:])
            self.assertEqual((code, errors), (0, ""))
            self.assertNotIn("{", out)


class AsAProgram(TestCase):
    def test_it_runs_from_any_directory_and_its_help_has_examples(self):
        with tempfile.TemporaryDirectory() as elsewhere:
            (Path(elsewhere) / "core").mkdir()
            (Path(elsewhere) / "core" / "__init__.py").write_text("raise SystemExit('the wrong core')")
            env = {**os.environ, "PYTHONPATH": str(ROOT), "PYTHONSAFEPATH": "1"}
            for arguments in (["--help"], ["backup", "--help"], ["keys", "add", "--help"]):
                done = subprocess.run(
                    [sys.executable, "-m", "commandline", *arguments], cwd=elsewhere, env=env, capture_output=True, text=True, check=False
                )
                self.assertEqual((done.returncode, done.stderr), (0, ""))
                self.assertIn("./attic vault", done.stdout)
            for word in ("exit codes", "3 wrong passphrase", "5 full", "AWS_ACCESS_KEY_ID"):
                self.assertIn(
                    word,
                    subprocess.run(
                        [sys.executable, "-m", "commandline", "--help"], cwd=elsewhere, env=env, capture_output=True, text=True, check=True
                    ).stdout,
                )

    def test_neither_framework_nor_database_is_imported(self):
        told = subprocess.run(
            [sys.executable, "-c", "import sys, commandline.__main__; print(sorted({name.split('.')[0] for name in sys.modules}))"],
            cwd=ROOT, capture_output=True, text=True, check=True,
        ).stdout  # fmt: skip
        for name in ("django", "psycopg", "procrastinate", "rest_framework", "boto3", "httpx"):
            self.assertNotIn(f"'{name}'", told)
