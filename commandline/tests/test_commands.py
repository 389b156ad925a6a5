"""Every command as a script uses it: the document on standard output, the exit code, what stays on disk."""

import contextlib
import io
import os
import random
import subprocess
import sys
import tempfile
from pathlib import Path
from unittest import TestCase

from commandline.arguments import parser
from commandline.tests.scene import Scene

ROOT = Path(__file__).resolve().parents[2]


class Commands(Scene):
    def test_from_an_empty_folder_to_a_restored_one(self):
        backup = self.backup("--note", "before the repair")
        self.assertEqual(set(backup), {"backup", "items", "bytes", "read_bytes", "stored_bytes", "skipped", "seconds"})
        self.assertEqual((backup["items"], backup["bytes"], backup["read_bytes"], backup["skipped"]), (4, 300_003, 300_003, []))
        again = self.backup()
        self.assertEqual((again["items"], again["read_bytes"]), (4, 0))
        self.assertLess(again["stored_bytes"], 3_000)
        _, listed = self.run_json("list", self.store)
        self.assertEqual([row["backup"] for row in listed], [again["backup"], backup["backup"]])
        self.assertEqual(set(listed[0]), {"backup", "device", "finished_at", "items", "bytes"})
        self.assertEqual(listed[0]["device"], "Shore 3")
        code, restored = self.run_json("restore", self.store, backup["backup"], str(self.here / "back"))
        self.assertEqual((code, restored), (0, {"items": 4, "bytes": 300_003, "damaged": []}))
        self.same(self.here / "back")

    def test_show_lists_kinds_and_items(self):
        backup = self.backup("--note", "first")
        _, shown = self.run_json("show", self.store, backup["backup"][:8])
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
        _, answer = self.run_json("sweep", self.store, "--dry-run")
        _, done = self.run_json("sweep", self.store, "--grace", "0")
        self.assertEqual(set(done), {"freed_bytes", "kept_bytes"})
        self.assertGreater(done["freed_bytes"], 300_000)
        self.assertEqual(done["freed_bytes"], answer["freed_bytes"])
        self.assertEqual(done["kept_bytes"], sum(path.stat().st_size for path in Path(self.store).rglob("*") if path.is_file()))
        self.run_json("restore", self.store, second["backup"], str(self.here / "back"))
        self.same(self.here / "back")
        self.fails(2, "restore", self.store, first["backup"], str(self.here / "other"))

    def test_how_much_waste_is_borne_is_a_setting(self):
        first = self.backup()
        (self.phone / "photos" / "a.jpg").unlink()
        (self.phone / "photos" / "latest").unlink()
        (self.phone / "notes" / "more.bin").write_bytes(random.Random(4).randbytes(300_000))
        self.backup()
        self.run_json("remove", self.store, first["backup"])
        self.assertEqual(self.run_json("sweep", self.store, "--dry-run", "--waste", "100")[1]["freed_bytes"], 0)
        self.assertGreater(self.run_json("sweep", self.store, "--dry-run", "--waste", "5")[1]["freed_bytes"], 290_000)

    def test_with_a_grace_period_space_comes_back_later(self):
        first = self.backup()
        self.run_json("remove", self.store, first["backup"])
        code, _, errors = self.run_command("sweep", self.store)
        self.assertEqual(code, 0)
        self.assertIn("after the grace period", errors)
        self.assertEqual(self.run_json("sweep", self.store)[1]["freed_bytes"], 0)

    def test_copies_to_a_store_with_another_key_and_to_a_twin(self):
        backup = self.backup()
        other_pass = self.secret("other-pass", "another passphrase")
        self.run_json("init", str(self.here / "other"), passphrase=other_pass)
        self.run_json("init", str(self.here / "twin"), "--same-key-as", self.store)
        _, copied = self.run_json("copy", self.store, str(self.here / "other"), "--to-passphrase-file", other_pass)
        self.assertEqual((set(copied), copied["copied"]), ({"copied", "bytes"}, 1))
        self.assertGreater(copied["bytes"], 300_000)
        _, moved = self.run_json("copy", self.store, str(self.here / "twin"), "--backup", backup["backup"][:6])
        self.assertEqual(moved["copied"], 1)
        self.assertEqual(self.run_json("copy", self.store, str(self.here / "twin"))[1], {"copied": 0, "bytes": 0})
        for name, secret in (("other", other_pass), ("twin", "")):
            self.run_json("restore", str(self.here / name), backup["backup"], str(self.here / f"back-{name}"), passphrase=secret)
            self.same(self.here / f"back-{name}")

    def test_a_store_moves_whole_without_a_passphrase_and_is_the_same_one(self):
        self.run_command("backup", self.store, str(self.phone), "--device", "Shore 3")
        there = str(self.here / "elsewhere")
        code, out, _ = self.run_command("move", self.store, there, passphrase=None)
        self.assertEqual((code, "the whole store" in out), (0, True), out)
        self.assertEqual(self.run_json("list", there)[1], self.run_json("list", self.store)[1])
        self.assertEqual(self.run_command("check", there)[0], 0)
        other = str(self.here / "other")
        self.run_command("init", other)
        self.assertNotEqual(self.run_command("move", self.store, other, passphrase=None)[0], 0)

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

    def test_a_change_is_of_the_store_or_of_the_device_as_was_said_and_says_what_it_did(self):
        new, newer = self.secret("new", "ropes and a quiet harbour"), self.secret("newer", "a buoy beyond the bar")
        _, other = self.run_json("keys", "add", self.store, "--new-passphrase-file", self.pass_file, "--label", "Piet")
        self.run_json("keys", "add", self.store, "--device", "Shore 3", "--new-passphrase-file", self.pass_file)
        _, changed = self.run_json("keys", "change", self.store, "--new-passphrase-file", new, "--slot", other["slot"][:8])
        self.assertTrue(changed["old_still_opens"])
        _, changed = self.run_json("keys", "change", self.store, "--new-passphrase-file", new)
        self.assertFalse(changed["old_still_opens"])
        self.fails(3, "list", self.store)
        own = ["--device-passphrase-file", self.pass_file]
        backup = ["backup", self.store, str(self.phone), "--device", "Shore 3"]
        self.run_json(*backup, *own, passphrase=new)
        self.run_json("keys", "change", self.store, "--device", "Shore 3", *own, "--new-passphrase-file", newer, passphrase=new)
        self.fails(3, *backup, *own, passphrase=new)
        self.run_json(*backup, "--device-passphrase-file", newer, passphrase=new)
        self.fails(2, "keys", "change", self.store, "--slot", "zz", "--new-passphrase-file", newer, passphrase=new)
        self.fails(2, "keys", "add", self.store, "--device", "Shore 3", passphrase=new)

    def test_the_example_of_a_changed_passphrase_names_each_file_once(self):
        with contextlib.redirect_stdout(io.StringIO()) as said, self.assertRaises(SystemExit):
            parser().parse_args(["keys", "change", "--help"])
        example = said.getvalue().partition("example: ./attic vault ")[2].split()
        self.assertEqual(example.count("--passphrase-file"), 1)
        options = parser().parse_args(example)
        self.assertEqual((str(options.passphrase_file), str(options.new_passphrase_file)), ("old", "new"))

    def test_a_sealed_device_needs_its_own_passphrase(self):
        own = self.secret("own", "the captain's own words")
        _, sealed = self.run_json("keys", "add", self.store, "--device", "Shore 3", "--new-passphrase-file", own)
        self.assertEqual(set(sealed), {"device", "recovery_code"})
        self.fails(2, "backup", self.store, str(self.phone), "--device", "Shore 3")
        backup = self.backup("--device-passphrase-file", own)
        self.assertEqual(len(self.run_json("list", self.store)[1]), 1)
        self.assertTrue(self.run_json("check", self.store, "--full")[1]["ok"])
        self.fails(3, "restore", self.store, backup["backup"], str(self.here / "x"), "--device-passphrase-file", self.pass_file)
        code_file = self.secret("code", sealed["recovery_code"])
        self.run_json("restore", self.store, backup["backup"], str(self.here / "back"), "--device-passphrase-file", code_file)
        self.same(self.here / "back")


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
        done = subprocess.run(
            [sys.executable, "-c", "import sys, commandline.__main__; print(sorted({name.split('.')[0] for name in sys.modules}))"],
            cwd=ROOT, capture_output=True, text=True, check=True,
        ).stdout  # fmt: skip
        for name in ("django", "psycopg", "procrastinate", "rest_framework", "boto3", "httpx"):
            self.assertNotIn(f"'{name}'", done)
