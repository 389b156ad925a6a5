import unicodedata
from datetime import UTC, datetime
from unittest import TestCase

from core.content.items import Item
from core.content.kinds import KIND_CODES
from core.content.scope import Exclusion, LeaveOut, Reach, checked_first, in_order, kinds_of
from core.errors import BadInput


def item(kind: str, name: str, size_bytes: int = 10) -> Item:
    return Item(kind=kind, id=name, name=name, size_bytes=size_bytes, modified=datetime(2026, 3, 2, tzinfo=UTC), tag="1")


class Kinds(TestCase):
    def test_the_whole_device_takes_every_kind_whatever_is_named(self):
        self.assertEqual(kinds_of(Reach.EVERYTHING, ["photos"]), tuple(KIND_CODES))

    def test_all_but_and_only_are_each_others_rest(self):
        named = ["photos", "apps"]
        self.assertEqual(set(kinds_of(Reach.ALL_BUT, named)) | set(kinds_of(Reach.ONLY, named)), set(KIND_CODES))
        self.assertEqual(kinds_of(Reach.ONLY, ["photos", "contacts"]), ("contacts", "photos"))

    def test_nothing_chosen_and_unknown_kinds_are_refused(self):
        for reach, named in ((Reach.ONLY, []), (Reach.ALL_BUT, KIND_CODES), (Reach.ONLY, ["dreams"])):
            with self.assertRaises(BadInput) as caught:
                kinds_of(reach, named)
            self.assertEqual(caught.exception.field, "kinds")


class LeftOut(TestCase):
    def test_a_folder_takes_everything_below_it_and_nothing_beside_it(self):
        rule = Exclusion(kind="photos", under="Camera/2026-01")
        self.assertTrue(rule.fits(item("photos", "Camera/2026-01/a.jpg")))
        self.assertTrue(rule.fits(item("photos", "camera/2026-01")))
        for name in ("Camera/2026-010/a.jpg", "Camera/2026-02/a.jpg", "Other/Camera/2026-01/a.jpg", "Camera"):
            self.assertFalse(rule.fits(item("photos", name)), name)
        self.assertFalse(rule.fits(item("videos", "Camera/2026-01/a.jpg")))

    def test_composed_and_decomposed_names_are_the_same_folder(self):
        rule = Exclusion(kind="photos", under=unicodedata.normalize("NFC", "Grüße"))
        self.assertTrue(rule.fits(item("photos", unicodedata.normalize("NFD", "Grüße") + "/a.jpg")))

    def test_an_app_is_left_out_in_every_version(self):
        rule = Exclusion(kind="apps", under="Levelbook")
        for name in ("Levelbook 2.app", "levelbook 10.4.app", "Levelbook.app", "Levelbook v3"):
            self.assertTrue(rule.fits(item("apps", name)), name)
        self.assertFalse(rule.fits(item("apps", "Levelbook Pro 2.app")))

    def test_the_limit_is_for_larger_ones_only_and_each_reason_is_told(self):
        leave_out = LeaveOut(larger_than_bytes=100, exclusions=(Exclusion(kind="photos", under="Screens"),))
        self.assertIsNone(leave_out.why(item("videos", "a", 100)))
        self.assertEqual(leave_out.why(item("videos", "a", 101)), "larger than the plan takes")
        self.assertIn("Screens", leave_out.why(item("photos", "Screens/a.png", 101)))

    def test_one_covers_what_lies_below_it_and_every_version_of_its_app(self):
        wide = Exclusion(kind="photos", under="Cafe\u0301/")
        self.assertTrue(wide.covers(Exclusion(kind="photos", under="café\\2026/a.jpg")))
        self.assertFalse(Exclusion(kind="photos", under="café/2026").covers(wide))
        self.assertFalse(wide.covers(Exclusion(kind="videos", under="café")))
        self.assertTrue(Exclusion(kind="apps", under="Levelbook").covers(Exclusion(kind="apps", under="levelbook 2.app")))

    def test_what_is_saved_first_stands_in_front_and_the_others_as_they_were(self):
        kinds = ("contacts", "messages", "photos", "apps")
        self.assertEqual(in_order(kinds, ()), kinds)
        self.assertEqual(in_order(kinds, ("photos", "videos", "contacts")), ("photos", "contacts", "messages", "apps"))

    def test_what_is_saved_first_is_a_kind_and_stands_there_once(self):
        self.assertEqual(checked_first(["photos", "apps"]), ["photos", "apps"])
        for wrong in (["photos", "photos"], ["smoke"]):
            with self.assertRaises(BadInput) as refused:
                checked_first(wrong)
            self.assertEqual(refused.exception.field, "first_kinds")

    def test_impossible_ones_are_refused(self):
        for make in (
            lambda: Exclusion(kind="photos", under=" / "),
            lambda: Exclusion(kind="dreams", under="x"),
            lambda: LeaveOut(larger_than_bytes=0),
            lambda: LeaveOut(exclusions=tuple(Exclusion(kind="photos", under=str(n)) for n in range(201))),
        ):
            self.assertRaises(BadInput, make)
