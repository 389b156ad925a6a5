"""A folder of another computer as a store of the office and of the command line, over OpenSSH's own server."""

import json
import os
import shutil
import tempfile
from pathlib import Path
from unittest import TestCase, mock

from adapters.links.sftp_session import fingerprint
from adapters.stores.places import blobs_at
from bench.ssh import SshServer
from core.vault.address import address_in_words
from core.vault.check import check
from core.vault.errors import StoreReadOnly
from core.vault.trial import NEEDED
from server.fleet.actions.ssh_key import own_ssh_key
from server.plans.actions.save_plan import DraftTarget, save_plan
from server.retention.actions.owe_copies import owe_copies
from server.runs.actions.carry_copies import carry_copies
from server.runs.models import Copy, CopyState
from server.storage.models import Store
from server.storage.queries import opened
from server.tests.pretend import PASSPHRASE, OfficeTestCase


class Elsewhere:
    """Mixed into a TestCase: `self.place` is a folder of the other computer."""

    def start(self: TestCase) -> None:
        keys, self.root = (Path(tempfile.mkdtemp(prefix="attic-ssh-")) for _ in range(2))
        for folder in (keys, self.root):
            self.addCleanup(shutil.rmtree, folder)
        self.root.chmod(0o777)
        self.keys = keys
        self.ssh = self.enterContext(SshServer(keys, as_nobody=True))
        self.place = self.ssh.place(self.root)


class OfTheOffice(Elsewhere, OfficeTestCase):
    def setUp(self):
        super().setUp()
        self.start()
        self.room = self.store()  # the office's key
        self.address = {
            "host": self.place.host, "port": str(self.place.port), "username": self.place.username, "folder": str(self.root),
            "host_key": self.place.host_key,
        }  # fmt: skip

    def body(self, **changes: object) -> dict[str, object]:
        return {
            "name": "Boathouse", "medium": "sftp", "address": self.address, "passphrase": PASSPHRASE, "passphrase_again": PASSPHRASE,
            "allowance_bytes": None,
        } | changes  # fmt: skip

    def lets_us_in(self):
        """What a person does there with the line that the interface shows."""
        with (self.keys / "user.pub").open("a") as file:
            file.write(own_ssh_key().public + "\n")

    def test_it_is_tried_with_the_server_s_own_key_and_each_thing_is_told(self):
        ask = {"medium": "sftp", "address": self.address}

        def tried():
            return {
                line["step"]: line for line in map(json.loads, b"".join(self.api.post("/api/stores/try", ask, format="json")).splitlines())
            }

        refused = tried()
        self.assertEqual(list(refused), ["reach"])
        self.assertIn("refuses the name", refused["reach"]["says"])
        self.assertIn("key", refused["reach"]["remedy"])
        self.lets_us_in()
        results = tried()
        self.assertTrue(all(results[step]["well"] for step in NEEDED), results)
        self.assertIn("free", results["room"]["says"])
        self.assertEqual([path for path in self.root.rglob("*") if path.is_file()], [])

    def test_copies_go_there_and_are_whole(self):
        self.lets_us_in()
        there = Store.objects.get(id=self.api.post("/api/stores", self.body(), format="json").json()["id"])
        device = self.device()
        targets = (DraftTarget(store=self.room.id), DraftTarget(store=there.id))
        save_plan(self.draft(self.room, targets=targets), devices=[device.id], by=self.ines)
        backup = self.run_now(device).backup
        owe_copies(now=self.outside.at)
        self.assertEqual(carry_copies(there.id), 1)
        self.assertEqual(Copy.objects.get(store=there).state, CopyState.PRESENT)
        self.assertTrue(check(opened(there), percent=100).ok)
        del self.outside.stores[self.room.where]  # the server room burned
        self.assertGreater(self.api.get(f"/api/backups/{backup.id}/inside?kind=contacts").json()["count"], 0)

    def test_two_stores_in_one_another_are_refused(self):
        self.lets_us_in()
        self.api.post("/api/stores", self.body(), format="json")
        (self.root / "two").mkdir()
        answer = self.api.post("/api/stores", self.body(name="Two", address=self.address | {"folder": f"{self.root}/two"}), format="json")
        self.assertEqual((answer.status_code, answer.json()["field"]), (400, "folder"), answer.json())


class OfTheCommandLine(Elsewhere, TestCase):
    """Hosts and key are those of whoever runs it."""

    def setUp(self):
        self.start()
        self.home = Path(tempfile.mkdtemp(prefix="attic-home-"))
        self.addCleanup(shutil.rmtree, self.home)
        self.enterContext(mock.patch.dict(os.environ, {"HOME": str(self.home)}))
        (self.home / ".ssh").mkdir()
        self.words = f"sftp://{self.place.username}@{self.place.host}:{self.place.port}{self.root}"

    def test_a_host_that_nobody_has_met_is_named_with_its_key(self):
        shutil.copy(self.keys / "user", self.home / ".ssh" / "id_ed25519")
        with self.assertRaises(StoreReadOnly) as caught:
            blobs_at(address_in_words(self.words))
        self.assertIn(fingerprint(self.place.host_key), caught.exception.message)
        line = caught.exception.remedy.rpartition(": ")[2]
        (self.home / ".ssh" / "known_hosts").write_text(line + "\n")
        blobs = blobs_at(address_in_words(self.words))
        blobs.create("seen/1", b"x")
        self.assertEqual((self.root / "seen/1").read_bytes(), b"x")

    def test_without_a_key_it_says_so(self):
        (self.home / ".ssh" / "known_hosts").write_text(f"[{self.place.host}]:{self.place.port} {self.place.host_key}\n")
        with self.assertRaises(StoreReadOnly) as caught:
            blobs_at(address_in_words(self.words))
        self.assertIn("id_ed25519", caught.exception.remedy)
