"""What goes wrong, and what a script and a person are told of it."""

import contextlib
import errno
import io
import os
import random
import shutil
from dataclasses import replace
from pathlib import Path
from unittest import mock

from adapters.stores.folder import FolderBlobs
from commandline import stores
from commandline.arguments import parser
from commandline.tests.scene import Scene
from core.vault.blobs import MANIFESTS, pack_name
from core.vault.capture import Capture, Request
from core.vault.chunks import VaultLimits
from core.vault.errors import StoreFull
from core.vault.manifests import encode_manifest
from core.vault.opening import open_vault
from core.vault.tests.bench_of_one import LENIENT, MemoryDevice
from core.vault.writer import Writer

ROOT = Path(__file__).resolve().parents[2]


class Trouble(Scene):
    def test_damage_is_named_restored_around_and_repaired(self):
        backup = self.backup()
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
        self.assertEqual((damaged["backups"], len(damaged["items"])), ([backup["backup"]], 1))
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
        backup = self.backup()
        vault = open_vault(
            FolderBlobs(Path(self.store)), passphrase="tide and chalk and rope", random=os.urandom, limits=VaultLimits(), policy=LENIENT
        )
        vault.refresh()
        manifest = vault.manifest(bytes.fromhex(backup["backup"]))
        branches = vault.branches(manifest.summary("documents"))
        self.assertGreater(len(branches), 3)
        count = len(vault.branch_items(branches[1], kind="documents", sealed=None))
        place = vault.index.place(branches[1])
        pack = Path(self.store) / pack_name(place.pack)
        content = bytearray(pack.read_bytes())
        content[place.offset + 30] ^= 1
        pack.write_bytes(content)
        code, restored = self.run_json("restore", self.store, "newest", str(self.here / "part"))
        self.assertEqual((code, restored["items"]), (1, backup["items"] - count))
        self.assertEqual([(row["kind"], row["reason"].split()[0]) for row in restored["damaged"]], [("documents", str(count))])
        code, report = self.run_json("check", self.store, "--full")
        self.assertEqual((code, len(report["damaged"]), report["damaged"][0]["backups"]), (1, 1, [backup["backup"]]))
        self.assertEqual(self.run_command("show", self.store, "newest")[0], 1)
        self.fails(1, "sweep", self.store)
        again = self.backup()
        self.assertEqual((again["items"], again["read_bytes"] > 0), (backup["items"], True))
        self.run_json("restore", self.store, again["backup"], str(self.here / "back"))
        self.same(self.here / "back")
        (damaged,) = self.run_json("check", self.store)[1]["damaged"]
        self.assertEqual(damaged["backups"], [backup["backup"]])
        self.run_json("remove", self.store, backup["backup"])
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
        code, answer = self.run_json("restore", self.store, "newest", str(self.here / "dest"))
        self.assertEqual((code, answer["items"], len(answer["damaged"])), (1, 2, len(names) - 2))
        self.assertEqual(sorted(path.name for path in (self.here / "dest").rglob("*")), ["con", "fine.txt"])
        self.assertEqual(sorted(path.name for path in self.here.iterdir()), sorted([*before, "dest"]))
        self.assertFalse(Path("/etc/attic.txt").exists())

    def test_a_manifest_that_names_chunks_that_do_not_exist(self):
        backup = self.backup()
        vault = open_vault(
            FolderBlobs(Path(self.store)), passphrase="tide and chalk and rope", random=os.urandom, limits=VaultLimits(), policy=LENIENT
        )
        manifest = vault.manifest(bytes.fromhex(backup["backup"]))
        kinds = tuple(replace(one, tops=(b"?" * 16,), depth=depth) for depth, one in enumerate(manifest.kinds))
        vault.write_object(MANIFESTS, encode_manifest(replace(manifest, id=b"i" * 16, kinds=kinds)), id=b"i" * 16)
        code, report = self.run_json("check", self.store)
        self.assertEqual((code, report["damaged"][0]["backups"]), (1, [(b"i" * 16).hex()]))
        self.assertIn((b"?" * 16).hex(), report["damaged"][0]["object"])
        code, restored = self.run_json("restore", self.store, (b"i" * 16).hex(), str(self.here / "none"))
        self.assertEqual((code, restored["items"], len(restored["damaged"])), (1, 0, len(kinds)))
        self.run_json("restore", self.store, backup["backup"], str(self.here / "back"))
        self.same(self.here / "back")

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
        backup = self.backup()
        (self.here / "full").mkdir()
        (self.here / "full" / "x").write_text("x")
        for arguments in (
            ["restore", self.store, "newest", str(self.here / "full")],
            ["restore", self.store, "zz", str(self.here / "out")],
            ["restore", self.store, "newest", str(self.here / "out"), "--path", "no/such"],
            ["restore", self.store, "newest", str(self.here / "out"), "--kind", "nonsense"],
            ["show", self.store, ""],
            ["remove", self.store, "ffff" + backup["backup"]],
            ["check", self.store, "--sample", "101"],
            ["check", self.store, "--sample", "5", "--full"],
            ["sweep", self.store, "--grace", "-1"],
            ["sweep", self.store, "--waste", "101"],
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

    def test_what_could_not_be_read_is_1_and_named_and_what_nothing_carries_is_named_only(self):
        os.mkfifo(self.phone / "pipe")
        code, answer = self.run_json("backup", self.store, str(self.phone), "--device", "Shore 3")
        self.assertEqual((code, answer["items"]), (0, 4))
        self.assertEqual([(row["path"], row["code"]) for row in answer["skipped"]], [("pipe", "special")])
        (self.phone / "shut").mkdir()
        real = os.open
        with mock.patch("os.open", lambda path, *more, **names: _refused(path) if path == "shut" else real(path, *more, **names)):
            code, answer = self.run_json("backup", self.store, str(self.phone), "--device", "Shore 3")
        self.assertEqual(code, 1)
        self.assertEqual(
            [(row["path"], row["reason"]) for row in answer["skipped"] if row["code"] != "special"], [("shut", "it may not be read")]
        )

    def test_a_store_that_was_put_back_is_found_by_a_check_that_remembers(self):
        self.backup()
        kept, here = self.here / "kept.json", Path(self.store)
        older = self.here / "older"
        shutil.copytree(here, older)
        self.backup()
        self.assertEqual(self.run_json("check", self.store, "--remember", str(kept))[0], 0)
        text = kept.read_text()
        shutil.rmtree(here)
        shutil.copytree(older, here)
        self.assertEqual(self.run_json("check", self.store)[0], 0)
        for _ in range(2):
            code, answer = self.run_json("check", self.store, "--remember", str(kept))
            self.assertEqual((code, len(answer["damaged"]), kept.read_text()), (1, 1, text))
        kept.unlink()
        self.assertEqual(self.run_json("check", self.store, "--remember", str(kept))[0], 0)
        kept.write_text("no json")
        self.fails(2, "check", self.store, "--remember", str(kept))
        self.fails(2, "check", self.store, "--remember", str(self.here / "nowhere" / "kept"))

    def test_a_damaged_note_is_mended_without_another_store_and_what_it_told_is_said(self):
        backup = self.backup()
        self.backup()
        self.run_json("remove", self.store, backup["backup"])
        self.run_json("sweep", self.store, "--grace", "0")
        (ledger,) = (Path(self.store) / "rolls").iterdir()
        ledger.write_bytes(ledger.read_bytes()[:-1] + b"x")
        for command in (["list"], ["check"]):
            self.assertEqual(self.run_json(command[0], self.store)[0], 1)
        code, mended = self.run_json("repair", self.store)
        self.assertEqual((code, mended["notes_anew"], mended["left"]), (0, [f"rolls/{ledger.name}"], []))
        for command in (["list"], ["check"]):
            self.assertEqual(self.run_json(command[0], self.store)[0], 0)

    def test_a_store_inside_the_folder_is_not_backed_up_into_itself(self):
        inside = str(self.phone / "store")
        self.run_json("init", inside)
        code, answer = self.run_json("backup", inside, str(self.phone), "--device", "x")
        self.assertEqual((code, answer["items"], [row["path"] for row in answer["skipped"]]), (0, 4, ["store"]))

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


def _refused(path):
    raise PermissionError(errno.EACCES, "Permission denied")
