"""What an earlier program wrote is read by this one: a store, the key of a pairing, and a hook's message by whoever was told before.

Words in the code may change; names in stores, in sealed secrets, in hooks' messages and of metrics do not.
"""

import hashlib
import json
import random
import zipfile
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase

from adapters.keys.files import KeyFiles
from checks.kept.make import store
from core.vault.check import check
from core.vault.errors import NoSuchBackup
from core.vault.memory import MemoryBlobs
from core.vault.opening import open_vault
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import LENIENT, SMALL, contents
from core.vault.vault import Vault
from server.telling.actions.hooks import add_hook
from server.telling.actions.send import send_waiting
from server.telling.actions.watch_office import watch_office
from server.telling.metrics import metrics_text
from server.tests.pretend import OfficeTestCase

HERE = Path(__file__).parent
KEPT = json.loads((HERE / "kept.json").read_text())
HOOKED = json.loads((HERE / "hook.json").read_text())


class AStore(TestCase):
    def setUp(self) -> None:
        self.blobs = MemoryBlobs()
        with zipfile.ZipFile(HERE / "store.zip") as archive:
            for name in archive.namelist():
                self.blobs.held[name] = archive.read(name)

    def opened(self, passphrase: str) -> Vault:
        return open_vault(self.blobs, passphrase=passphrase, random=random.Random(1).randbytes, limits=SMALL, policy=LENIENT)

    def test_opens_with_its_passphrase_and_its_code_and_gives_back_every_byte(self) -> None:
        for words in (KEPT["passphrase"], KEPT["recovery_code"]):
            vault = self.opened(words)
            self.assertEqual({id.hex() for id in vault.backup_ids()}, set(KEPT["backups"]))
            for id, held in KEPT["backups"].items():
                read = contents(vault, vault.manifest(bytes.fromhex(id)))
                self.assertEqual({f"{kind}/{one}": hashlib.sha256(content).hexdigest() for (kind, one), content in read.items()}, held)

    def test_is_whole_and_what_was_removed_stays_known(self) -> None:
        vault = self.opened(KEPT["passphrase"])
        report = check(vault, percent=100)
        self.assertTrue(report.ok, report)
        with self.assertRaises(NoSuchBackup):
            vault.manifest(bytes.fromhex(KEPT["removed"]))
        self.assertIn("rolls", {name.split("/")[0] for name in self.blobs.held})

    def test_is_swept_by_this_program_and_still_the_same(self) -> None:
        sweep(self.opened(KEPT["passphrase"]), now=datetime(2026, 11, 28, tzinfo=UTC))
        self.test_opens_with_its_passphrase_and_its_code_and_gives_back_every_byte()

    def test_one_that_is_made_today_has_objects_of_the_same_names(self) -> None:
        today, _ = store()
        kinds = [{name.split("/")[0] for name in held} for held in (self.blobs.held, today.held)]
        self.assertEqual(kinds[0], kinds[1])


class APairing(TestCase):
    def test_its_key_is_unsealed_for_the_purpose_that_it_was_sealed_for(self) -> None:
        kept = KEPT["pairing"]
        keys = KeyFiles(Path(), lambda: bytes.fromhex(kept["server_key"]))
        self.assertEqual(keys.unseal(kept["purpose"], bytes.fromhex(kept["sealed"])).hex(), kept["agent_key"])


class AHook(OfficeTestCase):
    def test_is_told_in_the_words_that_it_was_told_in_before(self) -> None:
        one = self.device("p1")
        self.plan(one)
        add_hook(name="desk", address="https://desk.example/attic", inside=False, signs_of_life=False, by=self.ines)
        for minutes in (0, 10):
            self.outside.at = datetime(2026, 3, 2, 7, 10 + minutes, tzinfo=UTC)
            watch_office(now=self.outside.at)
            send_waiting(now=self.outside.at)
            if not minutes:
                self.run_now(one)
        entries = [json.loads(body) for _, body, _ in self.outside.hooked]
        self.assertEqual([one["event"] for one in entries], [one["event"] for one in HOOKED])
        for now, then in zip(entries, HOOKED, strict=True):
            self.assertEqual([(name, type(value)) for name, value in now.items()], [(name, type(value)) for name, value in then.items()])
            self.assertEqual((now["code"], now["says"]), (then["code"], then["says"]))

    def test_metrics_have_the_names_that_dashboards_ask_for(self) -> None:
        text = metrics_text(now=self.outside.at).decode()
        for name in ("attic_matters_open", "attic_oddities_open"):
            self.assertRegex(text, rf"(?m)^{name} ")
