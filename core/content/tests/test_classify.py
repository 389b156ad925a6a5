import time
import unicodedata
from pathlib import PurePosixPath
from unittest import TestCase

from core.content.classify import NOTHING, FileRule, kind_of_file, sorted_files
from core.errors import BadInput


def fits(pattern: str, path: str) -> bool:
    return FileRule(pattern=pattern, kind="documents").fits(PurePosixPath(path))


class Patterns(TestCase):
    def test_stars_stay_inside_a_part_and_double_stars_do_not(self):
        for pattern, path, expected in (
            ("DCIM/**", "DCIM/a.jpg", True), ("DCIM/**", "DCIM/x/y/a.jpg", True), ("DCIM/**", "other/DCIM/a.jpg", False),
            ("DCIM/*", "DCIM/x/a.jpg", False), ("*.gpx", "a.gpx", True), ("*.gpx", "deep/er/a.GPX", True), ("*.gpx", "a.gpx.txt", False),
            ("**/raw/*.csv", "raw/a.csv", True), ("**/raw/*.csv", "x/y/raw/a.csv", True), ("**/raw/*.csv", "x/raw/y/a.csv", False),
            ("Logs/*/raw?.csv", "Logs/3/raw1.csv", True), ("Logs/*/raw?.csv", "Logs/3/raw12.csv", False), ("a+b.txt", "a+b.txt", True),
            ("a+b.txt", "aab.txt", False), ("/DCIM/**", "DCIM/a", True), ("**", "any/thing", True),
        ):  # fmt: skip
            with self.subTest(pattern=pattern, path=path):
                self.assertEqual(fits(pattern, path), expected)

    def test_composition_does_not_matter(self):
        self.assertTrue(fits(unicodedata.normalize("NFC", "Übersicht/**"), unicodedata.normalize("NFD", "Übersicht/a")))

    def test_a_wicked_pattern_costs_no_time(self):
        began = time.process_time()
        self.assertFalse(fits("*a" * 10 + "b", "a" * 250))
        self.assertLess(time.process_time() - began, 2)
        with self.assertRaises(BadInput):
            FileRule(pattern="*a" * 21, kind="documents")
        FileRule(pattern="*a" * 20, kind="documents")

    def test_useless_rules_are_refused(self):
        for pattern, kind in ((" ", "documents"), ("/", "documents"), ("x" * 301, "documents"), ("*", "dreams")):
            self.assertRaises(BadInput, FileRule, pattern=pattern, kind=kind)


class Sorting(TestCase):
    RULES = (
        FileRule(pattern="Voice/**", kind="notes"),
        FileRule(pattern="*.tmp", kind=NOTHING),
        FileRule(pattern="Voice/x.tmp", kind="mail"),
    )

    def test_the_first_rule_wins_and_the_rest_goes_by_folder_and_ending(self):
        for path, kind in (
            ("Voice/x.tmp", "notes"),
            ("a.tmp", NOTHING),
            ("Music/a.jpg", "music"),
            ("a.jpg", "photos"),
            ("README", "documents"),
        ):
            self.assertEqual(kind_of_file(PurePosixPath(path), self.RULES), kind)

    def test_a_preview_counts_every_file_once_and_shows_rules_that_fit_nothing(self):
        files = [("Voice/a.wav", 5), ("b.tmp", 7), ("c.jpg", 1), ("d.jpg", 2), ("e.jpg", 3), ("f.jpg", 4)]
        by_key = {(entry.pattern, entry.kind): entry for entry in sorted_files(files, self.RULES)}
        self.assertEqual(sum(entry.files for entry in by_key.values()), len(files))
        self.assertEqual((by_key["", "photos"].size_bytes, len(by_key["", "photos"].examples)), (10, 3))
        self.assertEqual(by_key["Voice/x.tmp", "mail"].files, 0)
