"""Where the server's key may lie, and what is read there."""

import errno
import os
import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase, mock

from adapters.keys.files import KeyFiles
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

    def test_beside_the_data_its_folder_is_made_for_its_owner_alone(self):
        place = self.at("")
        place = replace(place, path=self.data / "below" / "keys" / "server")
        self.assertEqual(make_key(place), read_key(place))
        self.assertEqual(place.path.parent.stat().st_mode & 0o777, 0o700)
        place.path.unlink()
        self.assertEqual(len(make_key(place)), KEY_BYTES, "a folder that is there stays")

    def test_what_is_typed_or_a_credential_is_read_again_and_again_and_never_made(self):
        descriptor = os.memfd_create("key")
        self.addCleanup(os.close, descriptor)
        os.write(descriptor, b"k" * KEY_BYTES)
        (self.root / "attic").write_bytes(b"k" * KEY_BYTES)
        for place in (self.at(f"fd:{descriptor}"), self.at("credential:attic", str(self.root))):
            self.assertEqual([read_key(place), read_key(place), make_key(place)], [b"k" * KEY_BYTES] * 3)
        os.write(descriptor, b"k")
        with self.assertRaises(OtherKey):
            read_key(self.at(f"fd:{descriptor}"))
        for place in (self.at("fd:987654"), self.at("credential:none", str(self.root))):
            with self.assertRaises(KeyMissing):
                make_key(place)

    def test_a_medium_that_is_not_plugged_in_is_missing_and_gets_no_new_key(self):
        place = self.at(f"file:{self.root}/gone/key")
        with self.assertRaises(KeyMissing):
            read_key(place)
        with self.assertRaisesRegex(KeyMissing, "cannot be made"):
            make_key(place)
        self.assertFalse((self.root / "gone").exists())
        refuses = mock.patch("os.open", side_effect=PermissionError(errno.EACCES, "Permission denied"))
        with refuses, self.assertRaisesRegex(KeyMissing, "Permission denied"):
            make_key(self.at(f"file:{self.medium}/key"))

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

    def test_it_is_whole_when_the_medium_is_told_to_keep_it(self):
        sizes: list[int] = []
        with mock.patch("os.fsync", lambda descriptor: sizes.append(os.fstat(descriptor).st_size)):
            make_key(self.at(f"file:{self.medium}/key"))
            KeyFiles(self.root / "keys").read("django")
        self.assertEqual(sizes, [KEY_BYTES, 32])

    def test_fingerprints_tell_keys_apart_and_are_no_piece_of_them(self):
        one, other = bytes(KEY_BYTES), b"\x01" + bytes(KEY_BYTES - 1)
        self.assertNotEqual(fingerprint(one), fingerprint(other))
        self.assertEqual(len(fingerprint(one)), 16)
