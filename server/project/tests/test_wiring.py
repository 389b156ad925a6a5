import os
import shutil
import tempfile
from dataclasses import replace
from datetime import UTC
from pathlib import Path

from django.conf import settings
from django.core.checks import run_checks
from django.test import SimpleTestCase, override_settings

from adapters.keys.server_key import KeyMissing, OtherKey
from core.errors import BadInput
from core.vault.address import FolderAddress, address_of
from core.vault.errors import NotAVault, StoreMissing, StoreReadOnly, VaultExists, WrongPassphrase
from launcher.keys import in_memory
from server.project.env import Env, read_env
from server.project.wiring import Wiring

PASSPHRASE = "low tide at the old sluice"


class TheRealOutside(SimpleTestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp(prefix="attic-wiring-"))
        self.addCleanup(shutil.rmtree, self.folder)
        override = override_settings(ATTIC_ENV=replace(settings.ATTIC_ENV, data=self.folder, announcements_url=""))
        override.enable()
        self.addCleanup(override.disable)
        self.known = ""
        self.outside = Wiring(lambda: self.known)
        self.outside.make_key()
        self.path = FolderAddress(path=str(self.folder / "stores" / "one"))

    def test_a_prepared_store_opens_without_anybody_typing_a_passphrase(self):
        made, _ = self.outside.create_vault(self.path, PASSPHRASE)
        self.assertEqual(self.outside.open_vault(self.path).keys, made.keys)

    def test_a_new_server_attaches_it_with_the_passphrase_and_then_opens_it_alone(self):
        made, _ = self.outside.create_vault(self.path, PASSPHRASE)
        shutil.rmtree(self.folder / "keys")
        moved = Wiring(lambda: "")
        moved.make_key()
        with self.assertRaises(WrongPassphrase):
            moved.open_vault(self.path)
        with self.assertRaises(WrongPassphrase):
            moved.attach_vault(self.path, "another passphrase")
        self.assertEqual(moved.attach_vault(self.path, PASSPHRASE).keys, made.keys)
        self.assertEqual(moved.open_vault(self.path).keys, made.keys)

    def test_keys_and_database_of_the_server_itself_are_no_device_and_no_old_backup(self):
        (self.folder / "keys").mkdir(exist_ok=True)
        (self.folder / "way in").symlink_to(self.folder / "keys")
        for path in (self.folder / "keys", self.folder, Path("/"), self.folder / "logs", self.folder / "way in"):
            with self.subTest(path=path):
                with self.assertRaises(BadInput):
                    self.outside.folder_link(str(path))
                with self.assertRaises(BadInput):
                    self.outside.old_link(path, UTC)
        boat = self.folder.parent / f"{self.folder.name} boat"
        boat.mkdir()
        self.addCleanup(boat.rmdir)
        self.assertTrue(self.outside.folder_link(str(boat)).state())

    def test_only_a_first_start_makes_a_key_and_another_one_or_none_is_a_state_of_its_own(self):
        self.known = self.outside.key_state().fingerprint
        made, _ = self.outside.create_vault(self.path, PASSPHRASE)
        sealed = self.outside.seal("x", b"secret")
        key = self.folder / "keys" / "server"
        mine = key.read_bytes()
        for content in (None, b"o" * 32, b"short", b"x" * 33):
            key.unlink(missing_ok=True)
            if content is not None:
                key.write_bytes(content)
            state = self.outside.key_state()
            self.assertTrue(state.trouble and state.remedy, content)
            for use in (
                lambda: self.outside.open_vault(self.path),
                lambda: self.outside.unseal("x", sealed),
                lambda: self.outside.seal("x", b"s"),
            ):
                with self.assertRaises((KeyMissing, OtherKey)):
                    use()
            self.assertEqual(key.read_bytes() if key.exists() else None, content, "a key was made")
        key.write_bytes(mine)
        self.assertEqual((self.outside.key_state().trouble, self.outside.open_vault(self.path).keys), ("", made.keys))

    def test_each_place_of_a_key_and_what_a_thief_gets_there(self):
        stick, credentials = self.folder.parent / f"{self.folder.name} stick", self.folder.parent / f"{self.folder.name} credentials"
        for place in (stick, credentials):
            place.mkdir()
            self.addCleanup(shutil.rmtree, place)
        (credentials / "attic").write_bytes(b"c" * 32)
        descriptor = in_memory(b"t" * 32)
        self.addCleanup(os.close, descriptor)
        for case, kind, thief in (
            ("", "beside", "Everything"), (f"file:{stick}/key", "medium", "Nothing"), (f"file:{self.folder}/keys/x", "beside", "Everything"),
            ("credential:attic", "credential", "Nothing"), (f"fd:{descriptor}", "typed", "Nothing to read"),
        ):  # fmt: skip
            with override_settings(ATTIC_ENV=replace(settings.ATTIC_ENV, key=case, credentials=str(credentials))):
                outside = Wiring(lambda: "")
                outside.make_key()
                state = outside.key_state()
                self.assertEqual(
                    (state.kind, state.thief.partition(":")[0].partition(",")[0].partition(" as")[0].partition(" when")[0], state.trouble),
                    (kind, thief, ""),
                )
                self.assertEqual(outside.unseal("x", outside.seal("x", b"secret")), b"secret")
                if kind == "medium":
                    with self.assertRaises(BadInput):
                        outside.folder_link(str(stick))
        for case in ("nonsense", "file:relative", "credential:../x", "fd:x"):
            with override_settings(ATTIC_ENV=replace(settings.ATTIC_ENV, key=case, credentials="/x")), self.assertRaises(BadInput):
                Wiring(lambda: "")

    def test_attaching_twice_adds_no_second_slot(self):
        self.outside.create_vault(self.path, PASSPHRASE)
        count = len(list((Path(self.path.path) / "keys").iterdir()))
        self.outside.attach_vault(self.path, PASSPHRASE)
        self.assertEqual(len(list((Path(self.path.path) / "keys").iterdir())), count)

    def test_paths_that_cannot_be_a_store(self):
        occupied = self.folder / "occupied"
        occupied.mkdir()
        (occupied / "holiday.jpg").write_bytes(b"x")
        cases = (
            (BadInput, lambda: self.outside.create_vault(address_of("folder", {"path": "stores/one"}), PASSPHRASE)),
            (BadInput, lambda: self.outside.create_vault(address_of("folder", {"path": "/srv/../etc"}), PASSPHRASE)),
            (VaultExists, lambda: self.outside.create_vault(FolderAddress(path=str(occupied)), PASSPHRASE)),
            (StoreReadOnly, lambda: self.outside.create_vault(FolderAddress(path="/proc/attic"), PASSPHRASE)),
            (StoreMissing, lambda: self.outside.open_vault(FolderAddress(path=str(self.folder / "gone")))),
            (NotAVault, lambda: self.outside.open_vault(FolderAddress(path=str(occupied)))),
        )
        for error, attempt in cases:
            with self.subTest(error=error), self.assertRaises(error) as caught:
                attempt()
            self.assertTrue(caught.exception.remedy)
        self.assertEqual([path.name for path in occupied.iterdir()], ["holiday.jpg"])

    def test_without_a_network_nobody_is_on_it(self):
        self.assertEqual(list(self.outside.offers()), [])


class SetUpsThatAreRefused(SimpleTestCase):
    def found(self, **changes: object) -> list[str]:
        with override_settings(ATTIC_ENV=replace(settings.ATTIC_ENV, **changes)):
            return [message.id for message in run_checks() if message.id and message.id.startswith("attic.")]

    def test_each_is_named_with_its_number(self):
        self.assertEqual(self.found(), [])
        self.assertEqual(self.found(production=True, announcements_url="http://127.0.0.1:1/announcements"), ["attic.E001"])
        self.assertEqual(self.found(data=Path("/proc/nowhere")), ["attic.E002"])
        self.assertEqual(self.found(tick_seconds=0), ["attic.E003"])

    def test_a_number_that_is_none_names_its_variable(self):
        import os
        from unittest import mock

        with mock.patch.dict(os.environ, {"ATTIC_DATABASE_PORT": "many"}), self.assertRaisesMessage(ValueError, "ATTIC_DATABASE_PORT"):
            read_env()
        self.assertIsInstance(read_env(), Env)
