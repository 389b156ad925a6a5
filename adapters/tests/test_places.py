"""Which folders may be chosen: every kind of place, with links, with roots and without."""

import shutil
import tempfile
from pathlib import Path
from unittest import TestCase

from adapters.places import StorePlaces
from core.errors import BadInput


class WhatMayBeChosen(TestCase):
    def setUp(self):
        self.here = Path(tempfile.mkdtemp(prefix="attic-places-")).resolve()
        self.addCleanup(shutil.rmtree, self.here)
        for name in ("program/web", "data/keys", "data/stores/one", "data/logs", "usb", "phone/DCIM", "safe/keys", "shelf/store"):
            (self.here / name).mkdir(parents=True)
        self.stores = [str(self.here / "shelf" / "store"), str(self.here / "data" / "stores" / "one")]
        self.places = StorePlaces(
            data=self.here / "data", program=self.here / "program", keys=(self.here / "data" / "keys", self.here / "usb")
        )

    def refused(self, path: object, places: StorePlaces | None = None) -> str:
        with self.assertRaises(BadInput, msg=str(path)) as caught:
            (places or self.places).checked(str(path), stores=self.stores)
        self.assertEqual(caught.exception.field, "path")
        self.assertTrue(caught.exception.remedy)
        return caught.exception.message

    def test_a_folder_of_ones_own_may_be_and_comes_back_without_links(self):
        (self.here / "way").symlink_to(self.here / "phone")
        self.assertEqual(self.places.checked(str(self.here / "way" / "DCIM")), self.here / "phone" / "DCIM")
        self.assertEqual(self.places.checked(str(self.here / "new store")), self.here / "new store")
        self.assertEqual(self.places.checked("/run/media/piet/RED"), Path("/run/media/piet/RED"))
        self.assertEqual(self.places.checked(str(self.here / "data" / "stores" / "two")), self.here / "data" / "stores" / "two")

    def test_program_data_keys_and_what_holds_them_may_not(self):
        for name in ("program", "program/web", "data", "data/keys", "data/logs", "data/postgres/pg", "usb", "usb/x", "."):
            self.refused(self.here / name)
        (self.here / "way in").symlink_to(self.here / "data" / "keys")
        self.assertIn("keeps its own", self.refused(self.here / "way in"))

    def test_folders_of_the_system_may_not(self):
        for path in ("/", "/etc", "/etc/shadow", "/root", "/dev", "/proc/self", "/var/lib", "/usr/share", "/run/media", "/boot"):
            self.refused(path)
        (self.here / "sneak").symlink_to("/etc")
        self.assertIn("of the system", self.refused(self.here / "sneak" / "ssh"))

    def test_nothing_inside_or_around_another_store(self):
        for name in ("shelf", "shelf/store", "shelf/store/packs", "data/stores/one", "data/stores"):
            self.assertIn("store lies there", self.refused(self.here / name))

    def test_paths_that_are_none(self):
        for path in ("relative", "", "/srv/../etc", "/srv/\0x"):
            self.refused(path)

    def test_with_roots_only_what_lies_in_one_of_them(self):
        (self.here / "phone" / "out").symlink_to(self.here / "shelf")
        places = StorePlaces(data=self.here / "data", program=self.here / "program", roots=(self.here / "phone", Path("/etc/attic")))
        self.assertEqual(places.checked(str(self.here / "phone" / "DCIM")), self.here / "phone" / "DCIM")
        self.assertEqual(places.checked("/etc/attic/x"), Path("/etc/attic/x"))
        for path in (self.here / "elsewhere", self.here / "phone" / "out", "/etc/passwd", self.here):
            self.refused(path, places)
        self.refused(self.here / "data" / "keys", StorePlaces(data=self.here / "data", program=self.here / "program", roots=(self.here,)))
