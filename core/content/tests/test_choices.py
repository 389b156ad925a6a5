"""What is taken, left out, and accepted as left out: each choice on both sides of its bound."""

from dataclasses import replace
from datetime import UTC, datetime
from pathlib import PurePosixPath
from unittest import TestCase

from core.content.classify import MAX_PATTERN_CHARACTERS, NOTHING, FileRule, Sorted, kind_of_file, sorted_files
from core.content.items import Item
from core.content.left_out import Accepted, counts, matters, reason_of
from core.content.readiness import readiness
from core.content.scope import Exclusion, LeaveOut
from core.content.tests.test_findings_in_words import READY
from core.errors import BadInput

NOW = datetime(2026, 3, 2, 7, tzinfo=UTC)


class Rules(TestCase):
    def test_runs_between_double_stars_stand_side_by_side_and_one_after_the_other(self):
        for pattern, path, fits in (
            ("a/**/b/c/**/d", "a/b/c/d", True), ("a/**/b/c/**/d", "a/x/b/c/y/d", True), ("a/**/b/c/**/d", "a/b/x/c/d", False),
            ("a/**/b/**/b/c", "a/b/c", False), ("a/**/b/**/b/c", "a/b/b/c", True), ("**/b/**/b/**/b", "b/b", False), ("**/b/**/b/**/b", "b/b/b", True),
            ("a/**", "a", False), ("a/**", "a/b", True), ("**", "a", True), ("**/c", "c", True), ("a/**/c", "a/c", True), ("a/**/a", "a", False),
            ("a/b", "a/b/c", False), ("a/b/c", "a/b", False), ("*.gpx", "x/y/z.GPX", True), ("x/*.gpx", "x/y/z.gpx", False), ("/a/*/", "a/b", True),
            ("a?c", "abc", True), ("a?c", "ac", False), ("*a*b*", "xaxbx", True), ("*a*b*", "xbxax", False), ("a*", "a", True),
        ):  # fmt: skip
            self.assertEqual(FileRule(pattern=pattern, kind="documents").fits(PurePosixPath(path)), fits, (pattern, path))

    def test_a_pattern_has_a_length_and_a_number_of_stars(self):
        for pattern, right in (
            ("x" * MAX_PATTERN_CHARACTERS, True),
            ("x" * (MAX_PATTERN_CHARACTERS + 1), False),
            ("*a" * 20, True),
            ("*a" * 21, False),
            (" / ", False),
        ):
            if right:
                FileRule(pattern=pattern, kind=NOTHING)
            else:
                with self.assertRaises(BadInput) as caught:
                    FileRule(pattern=pattern, kind=NOTHING)
                self.assertEqual(caught.exception.field, "rules")

    def test_files_are_counted_by_the_rule_that_takes_them_and_then_by_kind(self):
        rules = [FileRule(pattern="*.gpx", kind="documents"), FileRule(pattern="odd/**", kind=NOTHING)]
        files = [("a.gpx", 1), ("b.gpx", 2), ("c.gpx", 4), ("d.gpx", 8), ("p.jpg", 16), ("q.txt", 32), ("odd/p.jpg", 64)]
        photos, documents = kind_of_file(PurePosixPath("p.jpg")), kind_of_file(PurePosixPath("q.txt"))
        self.assertEqual(sorted_files(files, rules), [
            Sorted(pattern="*.gpx", kind="documents", files=4, size_bytes=15, examples=["a.gpx", "b.gpx", "c.gpx"]),
            Sorted(pattern="odd/**", kind=NOTHING, files=1, size_bytes=64, examples=["odd/p.jpg"]),
            Sorted(pattern="", kind=photos, files=1, size_bytes=16, examples=["p.jpg"]),
            Sorted(pattern="", kind=documents, files=1, size_bytes=32, examples=["q.txt"]),
        ])  # fmt: skip

    def test_a_folder_of_mail_holds_programs_too(self):
        kinds = {
            name: kind_of_file(PurePosixPath(name))
            for name in ("Mail/a.eml", "Mail/a.jpg", "Mail/a", "Mail/.eml", "x/a.eml", "x/a", "x/a.unknown", "x/.jpg")
        }
        self.assertEqual(kinds, {"Mail/a.eml": "mail", "Mail/a.jpg": "photos", "Mail/a": "mail", "Mail/.eml": "mail", "x/a.eml": "mail", "x/a": "documents",
                                 "x/a.unknown": "documents", "x/.jpg": "documents"})  # fmt: skip


class LeavingOut(TestCase):
    def test_a_kind_is_concerned_by_a_size_an_erasure_or_an_exclusion_of_its_own(self):
        of_documents = LeaveOut(exclusions=(Exclusion(kind="documents", under="a"),))
        self.assertEqual((of_documents.concerns("documents"), of_documents.concerns("photos")), (True, False))
        self.assertEqual((LeaveOut().concerns("photos"), LeaveOut(larger_than_bytes=1).concerns("photos")), (False, True))

    def test_a_size_is_the_largest_that_is_taken(self):
        leave = LeaveOut(larger_than_bytes=10)
        item = Item(kind="photos", id="p", name="p", size_bytes=10, modified=NOW, tag="t")
        self.assertIsNone(leave.why(item))
        self.assertIsNotNone(leave.why(replace(item, size_bytes=11)))
        for size in (0, -1):
            with self.assertRaises(BadInput):
                LeaveOut(larger_than_bytes=size)

    def test_what_was_accepted_covers_what_lies_below_it_and_nothing_beside(self):
        for accepted, code, name, covered in (
            (Accepted(code="damaged"), "damaged", "x", True), (Accepted(code="damaged"), "in_use", "x", False), (Accepted(), "damaged", "x", False),
            (Accepted(path="a"), "damaged", "a", True), (Accepted(path="a"), "damaged", "a/b", True), (Accepted(path="a/"), "damaged", "a/b", True),
            (Accepted(path="a"), "damaged", "ab", False), (Accepted(path="a", code="damaged"), "no_room", "a", False),
        ):  # fmt: skip
            self.assertEqual(accepted.covers(code, name), covered, (accepted, code, name))
            self.assertEqual(counts(code, name, [accepted]), not covered)
        self.assertEqual((counts("special", "x", []), counts("damaged", "x", []), matters("never heard of")), (False, True, True))
        self.assertEqual(counts("damaged", "x", [Accepted(path="y"), Accepted(code="damaged")]), False)

    def test_a_reason_is_said_with_what_the_system_said_where_that_helps(self):
        self.assertEqual(reason_of("damaged", "Input/output error."), "it is damaged where it lies: Input/output error")
        self.assertEqual(
            (reason_of("damaged"), reason_of("special", "x")),
            ("it is damaged where it lies", "it is a pipe, a socket or a device, which no link can carry"),
        )
        self.assertEqual((reason_of("odd", "so it is"), reason_of("odd")), ("so it is", "it was left out"))


class Around(TestCase):
    def test_only_a_folder_is_not_paired(self):
        for link, paired in (("agent", True), ("folder", False)):
            codes = [one.code for one in readiness(READY, link=link, family="orlo", now=NOW)]
            self.assertEqual(("paired" in codes, codes[0]), (paired, "reachable"), link)
        (room,) = (one for one in readiness(replace(READY, free_bytes=0), link="agent", family="orlo", now=NOW) if one.code == "space")
        self.assertEqual(room.level, "warns", "nothing is needed where nobody says how much")
