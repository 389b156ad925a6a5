"""Where the server's key may lie, and what is read there."""

import os
import tempfile
from pathlib import Path
from unittest import TestCase, mock

from adapters.keys.server_key import KEY_BYTES, KeyKind, KeyMissing, OtherKey, fingerprint, make_key, place_in, read_key
from core.errors import BadInput


class AKey(TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(prefix="attic-key-")
        self.addCleanup(folder.cleanup)
        self.root = Path(folder.name)
        self.data, self.medium = self.root / "data", self.root / "medium"
        self.data.mkdir()
        self.medium.mkdir()

    def at(self, where: str, credentials: str = ""):
        return place_in(where, data=self.data, credentials=credentials)

    def test_its_place_says_what_a_thief_of_the_disk_gets(self):
        inside = self.at(f"file:{self.data}/elsewhere")
        kinds = [
            self.at("").kind,
            self.at(f"file:{self.medium}/key").kind,
            self.at("credential:attic", "/run/c").kind,
            self.at("fd:7").kind,
        ]
        self.assertEqual(kinds, [KeyKind.BESIDE, KeyKind.MEDIUM, KeyKind.CREDENTIAL, KeyKind.TYPED])
        self.assertEqual(inside.kind, KeyKind.BESIDE, "a file below the data folder goes with it")
        self.assertTrue(self.at("").thief.startswith("Everything"))
        os.symlink(self.data, self.medium / "key")
        self.assertEqual(self.at(f"file:{self.medium}/key/server").kind, KeyKind.BESIDE, "through a link as well")

    def test_what_is_no_place_is_refused(self):
        for case in ("file:relative", "credential:", "credential:../x", "credential:attic", "fd:x", "/media/key", "vault:x"):
            with self.subTest(case), self.assertRaises(BadInput) as caught:
                self.at(case, "" if case == "credential:attic" else "/run/c")
            self.assertEqual(caught.exception.field, "ATTIC_KEY")

    def test_one_is_made_once_and_by_one_only(self):
        place = self.at(f"file:{self.medium}/key")
        first = make_key(place)
        self.assertEqual((len(first), make_key(place), read_key(place)), (KEY_BYTES, first, first))
        self.assertEqual(place.path.stat().st_mode & 0o777, 0o600)
        self.assertEqual([path.name for path in self.medium.iterdir()], ["key"], "nothing unfinished stays")

    def test_a_medium_that_is_not_plugged_in_is_missing_and_gets_no_new_key(self):
        place = self.at(f"file:{self.root}/gone/key")
        with self.assertRaises(KeyMissing):
            read_key(place)
        with self.assertRaisesRegex(KeyMissing, "cannot be made"):
            make_key(place)
        self.assertFalse((self.root / "gone").exists())

    def test_what_is_shorter_or_longer_is_no_key(self):
        place = self.at(f"file:{self.medium}/key")
        for length in (0, KEY_BYTES - 1, KEY_BYTES + 1):
            place.path.write_bytes(b"k" * length)
            with self.subTest(length), self.assertRaises(OtherKey):
                read_key(place)

    def test_a_half_written_one_is_never_seen(self):
        place = self.at(f"file:{self.medium}/key")
        with mock.patch("os.fsync", side_effect=OSError(5, "Input/output error")), self.assertRaises(KeyMissing):
            make_key(place)
        self.assertEqual(list(self.medium.iterdir()), [])

    def test_fingerprints_tell_keys_apart_and_are_no_piece_of_them(self):
        one, other = bytes(KEY_BYTES), b"\x01" + bytes(KEY_BYTES - 1)
        self.assertNotEqual(fingerprint(one), fingerprint(other))
        self.assertEqual(len(fingerprint(one)), 16)
