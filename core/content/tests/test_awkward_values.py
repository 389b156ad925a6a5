"""Values as hostile devices and odd folders give them: patterns against a slow obvious reading, paths and times that are none."""

import hashlib
from datetime import UTC, datetime
from pathlib import PurePosixPath
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from core.content.classify import FileRule, kind_of_file
from core.content.digests import canonical, digest, digest_of, file_digest_of
from core.content.items import DeviceLied, Item, announced
from core.content.left_out import REASONS, Accepted, matters, reason_of
from core.content.paths import LINK, LINK_BYTES, NAME_BYTES, link_of, path_of
from core.content.records import MAX_RECORD_BYTES

PARTS = st.sampled_from(["a", "b", "ab", "?", "*", "a*", "**"])


def fits_slowly(pattern: list[str], parts: list[str]) -> bool:
    """Letter by letter, without a thought for how long it takes. What ends in `**` wants something there."""
    if not pattern or pattern == ["**"]:
        return bool(parts) if pattern else not parts
    if pattern[0] == "**":
        return any(fits_slowly(pattern[1:], parts[skipped:]) for skipped in range(len(parts) + 1))
    one, part = pattern[0], parts[0] if parts else ""
    same = {"?": len(part) == 1, "*": True, "a*": part[:1] == "a"}.get(one, part == one)
    return bool(parts) and same and fits_slowly(pattern[1:], parts[1:])


class Patterns(TestCase):
    @given(st.lists(PARTS, min_size=2, max_size=6), st.lists(st.sampled_from(["a", "b", "ab", "ba"]), min_size=1, max_size=6))
    def test_any_number_of_double_stars_against_a_slow_obvious_reading(self, pattern, parts):
        rule = FileRule(pattern="/".join(pattern), kind="photos")
        self.assertEqual(rule.fits(PurePosixPath("/".join(parts))), fits_slowly(pattern, parts), (pattern, parts))

    def test_two_in_the_middle(self):
        fits = FileRule(pattern="a/**/b/c/**/d", kind="photos").fits
        self.assertEqual(
            [fits(PurePosixPath(path)) for path in ("a/b/c/d", "a/x/b/c/y/z/d", "a/b/x/c/d", "a/d")], [True, True, False, False]
        )

    def test_a_folder_called_mail_holds_programs_as_often_as_mails(self):
        kinds = [
            kind_of_file(PurePosixPath(path))
            for path in ("mail/in.eml", "mail/setup.py", "mail/photo.jpg", "mail/letter", "apps/photo.jpg")
        ]
        self.assertEqual(kinds, ["mail", "documents", "photos", "mail", "apps"])


class Digests(TestCase):
    def test_a_record_that_is_too_long_is_compared_as_it_is_in_whatever_pieces_it_comes(self):
        content = b'{"b":1,"a":2}'.ljust(MAX_RECORD_BYTES + 5)
        for size in (MAX_RECORD_BYTES - 1, MAX_RECORD_BYTES + 2, len(content)):
            pieces = [content[at : at + size] for at in range(0, len(content), size)]
            self.assertEqual(digest_of("contacts", pieces), hashlib.sha256(content).digest())
        fits = content[:MAX_RECORD_BYTES]
        self.assertEqual(digest_of("contacts", [fits]), hashlib.sha256(b'{"a":2,"b":1}').digest())
        self.assertEqual(digest("contacts", content), hashlib.sha256(content).digest())

    def test_what_is_no_record_is_what_it_is(self):
        for content in (b"[1,2]", b"{", b"\xff", b'{"a":NaN}', b"[" * 100_000):
            self.assertEqual(canonical("contacts", content), content)
        self.assertEqual(canonical("photos", b'{"b":1,"a":2}'), b'{"b":1,"a":2}')
        self.assertEqual(file_digest_of([b"ab", b"", b"c"]), file_digest_of([b"abc"]))


class Values(TestCase):
    def item(self, **attributes: str) -> Item:
        return Item(
            kind="documents", id="shown", name="n", size_bytes=0, modified=datetime(2026, 1, 1, tzinfo=UTC), tag="t", attributes=attributes
        )

    def test_a_name_that_is_no_bytes_is_the_one_that_is_shown(self):
        self.assertEqual([path_of(self.item(**{NAME_BYTES: coded})) for coded in ("zz", "ff")], ["shown", "\udcff"])
        self.assertEqual(path_of(self.item()), "shown")

    def test_where_a_link_leads(self):
        for attributes, leads in (
            ({LINK: "there"}, "there"),
            ({LINK: "\ud800"}, ""),
            ({LINK: "shown", LINK_BYTES: "ff"}, "\udcff"),
            ({LINK: "shown", LINK_BYTES: "zz"}, None),
            ({}, None),
        ):
            self.assertEqual(link_of(self.item(**attributes)), leads, attributes)

    def test_a_time_before_all_times_is_the_first_one(self):
        for at, seen in (
            ("0001-01-01T00:00:00+14:00", datetime(1970, 1, 1, tzinfo=UTC)),
            ("0001-01-01T00:00:00+00:00", datetime(1, 1, 1, tzinfo=UTC)),
            ("2026-01-01T01:00:00+01:00", datetime(2026, 1, 1, tzinfo=UTC)),
        ):
            self.assertEqual(announced(kind="photos", id="a", name="a", size_bytes=1, modified=at, tag="t").modified, seen)
        for at in ("never", "2026-01-01T01:00:00", None, 7):
            with self.assertRaisesRegex(DeviceLied, "'a'"):
                announced(kind="photos", id="a", name="a", size_bytes=1, modified=at, tag="t")

    def test_reasons_that_nobody_knows(self):
        self.assertEqual([reason_of("new", "the device says so"), reason_of("new")], ["the device says so", "it was left out"])
        self.assertEqual([matters("new"), matters("own")], [True, False])
        for code, reason in REASONS.items():
            said = reason_of(code, "No room.")
            self.assertEqual(said, f"{reason.says}: No room" if reason.detailed else reason.says)

    def test_what_was_accepted_covers_its_path_what_lies_below_and_no_neighbour(self):
        here = Accepted(path="a/b/", code="own")
        self.assertEqual([here.covers("own", name) for name in ("a/b/", "a/b/c", "a/bc", "a")], [True, True, False, False])
        self.assertFalse(here.covers("other", "a/b/c"))
        self.assertEqual([Accepted(code="own").covers("own", "x"), Accepted(path="x").covers("any", "x"), Accepted().covers("own", "x")],
                         [True, True, False])  # fmt: skip
