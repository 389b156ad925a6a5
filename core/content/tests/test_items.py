from datetime import UTC, datetime
from pathlib import PurePosixPath
from unittest import TestCase

from core.content.classify import kind_of_file
from core.content.errors import DeviceLied
from core.content.families import travels
from core.content.items import announced, checked_inventory
from core.content.kinds import KINDS, counted, kind
from core.content.records import UnreadableRecord, record, texts
from core.errors import BadInput

GOOD = {"kind": "photos", "id": "a1", "name": "site.jpg", "size_bytes": 12, "modified": "2026-03-01T08:00:00+00:00", "tag": "1"}


def item(**changes: object):
    return announced(**{**GOOD, **changes})  # type: ignore[arg-type]


class AnAnnouncementIsChecked(TestCase):
    def test_a_good_one_is_taken_as_it_is(self):
        one = item()
        self.assertEqual((one.name, one.size_bytes), ("site.jpg", 12))
        self.assertEqual(one.modified, datetime(2026, 3, 1, 8, tzinfo=UTC))

    def test_sizes_that_no_device_can_hold_are_refused(self):
        for size in (-1, True, "12", None, 1 << 60, 1.5):
            with self.subTest(size=size), self.assertRaises(DeviceLied):
                item(size_bytes=size)

    def test_missing_or_monstrous_ids_and_tags_are_refused(self):
        for change in (
            {"id": ""},
            {"id": 5},
            {"id": "x" * 600},
            {"tag": ""},
            {"name": None},
            {"modified": "soon"},
            {"modified": "2026-03-01T08:00:00"},
        ):
            with self.subTest(change=change), self.assertRaises(DeviceLied):
                item(**change)

    def test_control_and_direction_characters_leave_a_name(self):
        self.assertEqual(item(name="in\nvoice\u202egpj.exe\x00").name, "invoicegpj.exe")

    def test_a_name_that_looks_like_a_path_is_only_a_name(self):
        self.assertEqual(item(name="../../etc/passwd").name, "../../etc/passwd")

    def test_a_lone_surrogate_cannot_break_what_reads_it_later(self):
        item(name="a\ud800b").name.encode("utf-8")

    def test_the_same_id_twice_is_a_contradiction(self):
        with self.assertRaises(DeviceLied):
            checked_inventory([item(), item(name="other")], kind="photos")

    def test_another_kind_in_the_inventory_is_a_contradiction(self):
        with self.assertRaises(DeviceLied):
            checked_inventory([item()], kind="contacts")


class KindsAreATable(TestCase):
    def test_what_needs_encryption(self):
        # common practice, no published source: saved logins, wireless passwords and health records
        self.assertEqual({code for code, one in KINDS.items() if one.secret}, {"logins", "wireless", "health"})

    def test_between_families_only_contacts_and_calendar_travel(self):
        # common practice, no published source
        crossing = {code for code in KINDS if travels(code, source="orlo", target="brenta")}
        self.assertEqual(crossing, {"contacts", "calendar"})
        self.assertTrue(all(travels(code, source="orlo", target="orlo") for code in KINDS))

    def test_an_unknown_kind_is_named_with_the_known_ones(self):
        with self.assertRaises(BadInput) as caught:
            kind("smoke")
        self.assertIn("contacts", caught.exception.remedy)

    def test_counts_take_the_fitting_word(self):
        self.assertEqual(counted("contacts", 1), "1 contact")
        self.assertEqual(counted("photos", 312), "312 photos")


class FilesAreSortedIntoKinds(TestCase):
    def test_by_ending_whatever_its_case(self):
        for path, expected in (("DCIM/a.JPG", "photos"), ("x/clip.mp4", "videos"), ("plan.pdf", "documents"), ("a/b", "documents")):
            self.assertEqual(kind_of_file(PurePosixPath(path)), expected)

    def test_a_folder_named_after_a_kind_outweighs_the_ending(self):
        self.assertEqual(kind_of_file(PurePosixPath("Voice/2026/cover.jpg")), "recordings")

    def test_the_files_own_name_is_not_a_folder(self):
        self.assertEqual(kind_of_file(PurePosixPath("music")), "documents")


class RecordsAreReadWithSuspicion(TestCase):
    def test_what_is_no_object_is_refused(self):
        for content in (b"", b"[1]", b"{", b"\xff", b"[" * 100_000):
            with self.subTest(content=content[:5]), self.assertRaises(UnreadableRecord):
                record(content)

    def test_odd_values_become_text_or_nothing(self):
        self.assertEqual(texts(["a", None, {"b": 1}, 7]), ["a", "7"])
        self.assertEqual(texts({"b": 1}), [])
