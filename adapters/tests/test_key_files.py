import os
import stat
import tempfile
import threading
from pathlib import Path
from unittest import TestCase

from adapters.keys.files import KeyFiles, SecretUnreadable


class KeyFilesOfTheServer(TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name) / "keys"
        self.keys = KeyFiles(self.folder, lambda: b"k" * 32)

    def test_a_key_is_made_once_and_only_its_owner_may_read_it(self):
        key = self.keys.read("django")
        self.assertEqual((len(key), self.keys.read("django")), (32, key))
        self.assertEqual(stat.S_IMODE(os.stat(self.folder / "django").st_mode), 0o600)
        self.assertEqual([path.name for path in self.folder.iterdir()], ["django"])
        deep = KeyFiles(self.folder / "deep" / "down")
        deep.read("metrics")
        self.assertEqual(stat.S_IMODE(os.stat(self.folder / "deep" / "down").st_mode), 0o700)
        with self.assertRaisesRegex(SecretUnreadable, "No key of the server"):
            deep.seal("agent key of p1", b"secret")

    def test_processes_that_start_together_agree_on_one_key(self):
        seen: list[bytes] = []
        threads = [threading.Thread(target=lambda: seen.append(KeyFiles(self.folder).read("django"))) for _ in range(12)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(len(set(seen)), 1)

    def test_a_secret_opens_only_for_its_purpose_and_with_this_key(self):
        sealed = self.keys.seal("agent key of p1", b"secret")
        self.assertNotIn(b"secret", sealed)
        self.assertEqual(self.keys.unseal("agent key of p1", sealed), b"secret")
        other = KeyFiles(self.folder, lambda: b"o" * 32)
        for attempt in (
            lambda: self.keys.unseal("agent key of p2", sealed),
            lambda: other.unseal("agent key of p1", sealed),
            lambda: self.keys.unseal("agent key of p1", sealed[:-1] + b"x"),
            lambda: self.keys.unseal("agent key of p1", b""),
        ):
            with self.assertRaises(SecretUnreadable):
                attempt()

    def test_the_same_secret_is_sealed_differently_each_time(self):
        self.assertNotEqual(self.keys.seal("x", b"secret"), self.keys.seal("x", b"secret"))
