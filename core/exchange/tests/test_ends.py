"""What leaves and what comes in, at its bounds: names, tables, mailboxes, days, passphrases, units."""

import io
import zipfile
from datetime import UTC, date, datetime, timedelta
from typing import Any
from unittest import TestCase

from core.content.items import Item
from core.content.paths import link_attribute
from core.errors import BadInput
from core.exchange import mbox
from core.exchange.bag import Bag
from core.exchange.filenames import MAX_NAME_BYTES, MAX_PATH_BYTES, UniqueNames, is_plain, plain_path, safe_part, safe_path
from core.exchange.locked import check_passphrase
from core.exchange.office_days import read_holidays
from core.exchange.ranges import NoSuchStretch, Stretch, stretch
from core.exchange.tables import csv_table, read_table
from core.exchange.tests.test_office_days import TODAY, calendar
from core.exchange.vcard import folded, vcard
from core.exchange.zipped import Zipped
from core.units import iec, listed, spoken

NOW = datetime(2026, 3, 2, 8, 5, 9, tzinfo=UTC)


def item(path: str, *, at: datetime = NOW, **attributes: int | str) -> Item:
    return Item(kind="documents", id=path, name=path, size_bytes=0, modified=at, tag="t", attributes=attributes or None)


class Names(TestCase):
    def test_reserved_ones_are_reserved_with_any_ending_and_no_others(self):
        for name in ("con", "PRN.txt", "aux", "nul.tar.gz", "com1", "com9.x", "lpt1", "lpt9"):
            self.assertEqual((safe_part(name), is_plain(name)), (f"_{name}", False))
        for name in ("com0", "com10", "lpt0", "lpt10", "console", "a.con"):
            self.assertEqual((safe_part(name), is_plain(name)), (name, True))

    def test_length_is_counted_in_bytes_and_the_ending_stays(self):
        self.assertEqual(safe_part("x" * 300 + ".jpeg"), "x" * (MAX_NAME_BYTES - 5) + ".jpeg")
        self.assertEqual(safe_part("x" * 300), "x" * MAX_NAME_BYTES)
        self.assertEqual(safe_part("ü" * 300 + ".é"), "ü" * 58 + ".é")
        self.assertEqual(len(safe_part("x." + "y" * 300).encode()), 21)
        self.assertTrue(is_plain("x" * 255) and not is_plain("x" * 256) and is_plain("é" * 127) and not is_plain("é" * 128))

    def test_what_no_system_holds_is_no_plain_path(self):
        for path in ("", "/a", "a/", "a//b", ".", "..", "a/../b", "a.", "a ", "a./b", "a:b", "a\x1fb", "a\x7fb", "b/con"):
            self.assertFalse(is_plain(path), path)
        self.assertEqual((plain_path(".a/b c.txt"), plain_path("a:b/../c")), (".a/b c.txt", "a_b/c"))

    def test_a_path_that_is_too_long_loses_its_outermost_folders(self):
        deep = "/".join(["d" * 100] * 700)
        self.assertEqual(safe_path(deep), "/".join(["d" * 100] * (MAX_PATH_BYTES // 101)))
        self.assertEqual(safe_path("d" * 100), "d" * 100)

    def test_each_path_is_given_once(self):
        names = UniqueNames()
        taken = [names.take(path) for path in ("a.jpg", "A.JPG", "a.jpg", "f/a", "F/a", ".x", ".X", "f/b.tar.gz", "f/B.tar.gz")]
        self.assertEqual(taken, ["a.jpg", "A (2).JPG", "a (3).jpg", "f/a", "F/a (2)", ".x", ".X (2)", "f/b.tar.gz", "f/B.tar (2).gz"])


class Tables(TestCase):
    def refused(self, text: str, most: int = 9) -> tuple[str, str]:
        with self.assertRaises(BadInput) as caught:
            read_table(text.encode(), rows_at_most=most)
        self.assertEqual(caught.exception.field, "file")
        return caught.exception.message, caught.exception.remedy

    def test_as_many_rows_as_are_allowed(self):
        self.assertEqual(
            read_table(b"a,b\r\n1,2\r\n\r\n,\r\n3,4\r\n", rows_at_most=2), (["a", "b"], [{"a": "1", "b": "2"}, {"a": "3", "b": "4"}])
        )
        self.assertEqual(self.refused("a\n1\n2\n3\n", 2), ("The file has more than 2 rows.", "Cut it into smaller ones."))

    def test_what_is_no_table_says_where(self):
        self.assertEqual(self.refused("a,b\n1\n")[0], "Line 2 has 1 cells where the first row names 2 columns.")
        self.assertEqual(self.refused("a,b\n1,2\n1,2,3\n")[0], "Line 3 has 3 cells where the first row names 2 columns.")
        for header in ("", "\n", ",\n", "a,a\n", "a, a\n"):
            self.assertEqual(self.refused(header)[0], "The first row does not name each column once.", header)
        self.assertIn("Line 2 is no CSV", self.refused('a,b\n"1"x,2\n')[0])
        self.assertEqual(self.refused("a\n1\n", 0)[0], "The file has more than 0 rows.")

    def test_the_separator_that_stands_more_often_in_the_first_row_is_it(self):
        for text, columns in (
            ("a;b\n1;2\n", ["a", "b"]),
            ("a,b;c\n1,2\n", ["a", "b;c"]),
            ("a;b;c,d\n1;2;3\n", ["a", "b", "c,d"]),
            ("\ufeff'=a\n1\n", ["=a"]),
        ):
            self.assertEqual(read_table(text.encode(), rows_at_most=9)[0], columns)

    def test_first_columns_come_first_and_the_others_by_name(self):
        self.assertEqual(csv_table([{"c": 1, "a": "x"}, {"b": [1]}], first=("b", "z")), "b,z,a,c\r\n,,x,1\r\n,,,\r\n")


class Mails(TestCase):
    def test_a_message_begins_with_a_field_and_has_one_that_every_mail_has(self):
        for content, right in (
            (b"From: a\n\nx", True), (b"X-A: 1\r\nsubject : b\r\n\r\nx", True), (b"X-A: 1\n\nFrom: a", False), (b"X-A: 1\nX-B: 2\n\n", False),
            (b"", False), (b" From: a\n", False), (b"hello\nFrom: a\n\n", False), (b"X-A: 1\n folded\nDate: x\n\n", True), (b"X A: 1\nFrom: a", False),
        ):  # fmt: skip
            self.assertEqual(mbox.is_message(content), right, content)

    def test_a_message_of_the_file_is_separated_quoted_and_unquoted(self):
        content = b"Subject: x\n\nFrom here\n>From there\nthe end"
        whole = mbox.entry(content, at=NOW)
        self.assertEqual(whole, b"From old-attic@localhost Mon Mar  2 08:05:09 2026\nSubject: x\n\n>From here\n>>From there\nthe end\n\n")
        self.assertEqual(list(mbox.messages([b"preface\n", whole[:30], whole[30:], mbox.entry(b"a\n", at=NOW)])), [content + b"\n", b"a\n"])
        self.assertIn(b"Fri Jan  1 00:00:00 0001\n", mbox.entry(b"a\n", at=datetime(1, 1, 1, tzinfo=UTC)).replace(b"Mon Jan", b"Fri Jan"))
        self.assertEqual(list(mbox.messages([])), [])


class Days(TestCase):
    def refused(self, *events: str) -> str:
        with self.assertRaises(BadInput) as caught:
            read_holidays(calendar(*events), today=TODAY)
        return caught.exception.message

    def test_a_holiday_lasts_a_hundred_and_twenty_days_at_the_most(self):
        begin = date(2027, 1, 1)
        event = f"DTSTART;VALUE=DATE:{begin:%Y%m%d}\r\nDTEND;VALUE=DATE:"
        self.assertEqual(len(read_holidays(calendar(f"{event}{begin + timedelta(days=120):%Y%m%d}"), today=TODAY)), 120)
        self.assertEqual(self.refused(f"{event}{begin + timedelta(days=121):%Y%m%d}"), "An event in it lasts 121 days.")

    def test_what_repeats_begins_in_1900_at_the_earliest(self):
        self.assertTrue(read_holidays(calendar("DTSTART;VALUE=DATE:19001225\r\nRRULE:FREQ=YEARLY"), today=TODAY))
        self.assertEqual(self.refused("DTSTART;VALUE=DATE:18991225\r\nRRULE:FREQ=YEARLY"), "An event in it repeats since the year 1899.")

    def test_an_end_at_midnight_is_the_day_before(self):
        for until, count in (("20270102T000000", 1), ("20270102T000001", 2), ("20270101T090000", 1), ("20270103T000000", 2)):
            self.assertEqual(len(read_holidays(calendar(f"DTSTART:20270101T080000\r\nDTEND:{until}"), today=TODAY)), count, until)

    def test_names_are_in_one_line_and_a_day_has_the_first_of_its_names(self):
        named = read_holidays(
            calendar("DTSTART;VALUE=DATE:20270101\r\nSUMMARY: a\\n  b ", "DTSTART;VALUE=DATE:20270102\r\nSUMMARY: "), today=TODAY
        )
        self.assertEqual([one.name for one in named], ["a b", "Closed"])
        long = read_holidays(calendar("DTSTART;VALUE=DATE:20270101\r\nSUMMARY:" + "x" * 300), today=TODAY)
        self.assertEqual(long[0].name, "x" * 120)

    def test_it_goes_from_a_year_before_to_three_years_after(self):
        first, last = TODAY - timedelta(days=366), TODAY + timedelta(days=3 * 366)
        for day, counts in ((first, True), (first - timedelta(days=1), False), (last, True), (last + timedelta(days=1), False)):
            events = (f"DTSTART;VALUE=DATE:{day:%Y%m%d}", "DTSTART;VALUE=DATE:20270101")
            self.assertEqual(len(read_holidays(calendar(*events), today=TODAY)), 1 + counts, day)

    def test_what_is_no_holiday_says_why(self):
        self.assertEqual(self.refused("DTSTART;VALUE=DATE:20270105\r\nDTEND;VALUE=DATE:20270104"), "An event in it ends before it begins.")
        self.assertEqual(self.refused("SUMMARY:x"), "An event in it has no date.")
        self.assertEqual(self.refused("DTSTART:20270101T000000\r\nRRULE:FREQ=HOURLY"), "An event in it repeats within a day.")
        self.assertIn("never takes place", self.refused("DTSTART;VALUE=DATE:20270101\r\nRRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30"))


class Cards(TestCase):
    def test_of_fields_alone(self):
        fields: dict[str, Any] = {
            "name": {"family": "Aub", "given": "Zoe", "prefix": "Dr"}, "organisation": "Salt, Pike", "birthday": "1980-02-29",
            "phones": [{"label": "CELL", "number": "1"}, {"label": "satellite", "number": "2"}, "x"], "emails": [{"label": "work", "address": "a@b.example"}],
            "address": {"street": "1 Quay", "country": "Land"}, "note": "x", "other": ["X-A:1", "BEGIN:VCARD", "no\r\nEND:VCARD"],
        }  # fmt: skip
        lines = vcard(fields, uid="u1").split("\r\n")
        self.assertEqual(lines[:4], ["BEGIN:VCARD", "VERSION:4.0", "UID:u1", "FN:Zoe Aub"])
        self.assertEqual(lines[4:12], ["N:Aub;Zoe;;Dr;", "ORG:Salt\\, Pike", "TEL;TYPE=cell:1", "TEL:2", "EMAIL;TYPE=work:a@b.example",
                                       "ADR:;;1 Quay;;;;Land", "BDAY:19800229", "NOTE:x"])  # fmt: skip
        self.assertEqual(lines[12:], ["X-A:1", "END:VCARD", ""])

    def test_a_name_is_taken_from_what_there_is(self):
        for fields, name in (
            ({"display": "D", "name": {"given": "G"}}, "D"), ({"name": {"given": "G"}}, "G"), ({"name": {"family": "F"}}, "F"),
            ({"name": "text", "organisation": "O"}, "O"), ({}, "(no name)"), ({"birthday": "1980-1-1"}, "(no name)"),
        ):  # fmt: skip
            made = vcard(fields, uid="u")
            self.assertEqual((f"\r\nFN:{name}\r\n" in made, "BDAY" in made), (True, False), fields)

    def test_rows_of_seventy_five_octets(self):
        self.assertEqual(folded("x" * 75), "x" * 75 + "\r\n")
        self.assertEqual(folded("x" * 76), "x" * 75 + "\r\n x\r\n")
        self.assertEqual(folded("x" * 150), "x" * 75 + "\r\n " + "x" * 74 + "\r\n x\r\n")
        self.assertEqual(folded("x" * 74 + "é"), "x" * 74 + "\r\n é\r\n")
        self.assertEqual(folded("é" * 38), "é" * 37 + "\r\n é\r\n")
        self.assertEqual(folded("é" + "x" * 73), "é" + "x" * 73 + "\r\n")


class Containers(TestCase):
    def test_entries_of_a_zip_have_the_mode_sort_and_time_of_what_they_were(self):
        out = io.BytesIO()
        archive = Zipped(out)
        archive.file("a", item("a"), [b"x"])
        archive.file("b", item("b", at=datetime(1970, 1, 1, tzinfo=UTC), mode=0o100755), [b"x"])
        archive.file("c", item("c", at=datetime(2150, 1, 1, tzinfo=UTC)), [b"x"])
        archive.link("d", item("d", **link_attribute("a")))
        archive.folder("e", item("e"))
        archive.folder("f", item("f", mode=0o40700))
        archive.close()
        entries = {one.filename: one for one in zipfile.ZipFile(out).infolist()}
        modes = {name: oct(one.external_attr >> 16) for name, one in entries.items()}
        self.assertEqual(modes, {"a": "0o100644", "b": "0o100755", "c": "0o100644", "d": "0o120644", "e/": "0o40755", "f/": "0o40700"})
        self.assertEqual(
            {name: one.external_attr & 0xFFFF for name, one in entries.items()}, {"a": 0, "b": 0, "c": 0, "d": 0, "e/": 16, "f/": 16}
        )
        self.assertEqual({one.create_system for one in entries.values()}, {3})
        times = {name: one.date_time for name, one in entries.items()}
        self.assertEqual((times["a"], times["b"], times["c"]), ((2026, 3, 2, 8, 5, 8), (1980, 1, 1, 0, 0, 0), (2107, 1, 1, 0, 0, 0)))
        self.assertEqual((bool(entries["a"].extra), bool(entries["b"].extra), bool(entries["c"].extra)), (True, True, False))

    def test_a_bag_counts_what_it_holds_and_packs_what_is_text(self):
        class Kept:
            def __init__(self) -> None:
                self.held: dict[str, tuple[bytes, bool]] = {}

            def file(self, path: str, item: Item, pieces: Any, *, packs: bool = False) -> None:
                self.held[path] = (b"".join(pieces), packs)

            def close(self) -> None:
                self.held["closed"] = (b"", False)

        kept = Kept()
        bag = Bag(kept, within="b", now=NOW, about=[("Contact-Name", "Zoe")])  # type: ignore[arg-type]
        bag.file("x.txt", item("x.txt"), [b"12", b"3"])
        bag.link("l", item("l", **link_attribute("x.txt")))
        bag.close()
        self.assertEqual(kept.held["b/data/l"], (b"x.txt", False))
        self.assertEqual(kept.held["b/bag-info.txt"], (b"Contact-Name: Zoe\nBagging-Date: 2026-03-02\nPayload-Oxum: 8.2\n", True))
        self.assertEqual({packs for path, (_, packs) in kept.held.items() if path.endswith(".txt") and "data" not in path}, {True})
        self.assertIn("closed", kept.held)

    def test_a_passphrase_has_sixteen_letters_of_six_sorts_and_is_typed_twice(self):
        good = "abcdefabcdefabcd"
        check_passphrase(good, good)
        check_passphrase("abcdef" + "a" * 194, "abcdef" + "a" * 194)
        for one, again, field in ((good[:15], good[:15], "passphrase"), (f" {good[:15]}", f" {good[:15]}", "passphrase"), ("abcde" * 4, "abcde" * 4, "passphrase"),
                                  ("abcdef" + "a" * 195, "abcdef" + "a" * 195, "passphrase"), (good, good + "x", "passphrase_again")):  # fmt: skip
            with self.assertRaises(BadInput) as caught:
                check_passphrase(one, again)
            self.assertEqual(caught.exception.field, field, one)

    def test_a_stretch_of_a_file(self):
        """RFC 9110 §14.1.2 and §14.2, with a file of ten bytes."""
        for asked, start, stop in (
            ("bytes=0-0", 0, 1),
            ("bytes=2-5", 2, 6),
            ("bytes=9-", 9, 10),
            ("bytes=3-99", 3, 10),
            ("bytes=-3", 7, 10),
            ("bytes=-99", 0, 10),
        ):
            self.assertEqual(stretch(asked, size_bytes=10), Stretch(start=start, stop=stop), asked)
        for asked in ("", "bytes=5-2", "bytes=0-1,4-5", "lines=0-1", "bytes=x-"):
            self.assertIsNone(stretch(asked, size_bytes=10), asked)
        self.assertIsNone(stretch("bytes=0-1", size_bytes=10, if_range='"b"', tag='"a"'))
        self.assertEqual(stretch("bytes=0-1", size_bytes=10, if_range='"a"', tag='"a"'), Stretch(start=0, stop=2))
        for asked, says in (("bytes=10-", "The file ends after 10 bytes."), ("bytes=-0", "Of the end nothing was asked for.")):
            with self.assertRaises(NoSuchStretch) as caught:
                stretch(asked, size_bytes=10)
            self.assertEqual(caught.exception.message, says)


class Units(TestCase):
    def test_bytes(self):
        for count, says in ((0, "0 bytes"), (1, "1 byte"), (1023, "1023 bytes"), (1024, "1 KiB"), (1536, "1.5 KiB"), (99 * 1024 + 460, "99.4 KiB"),
                            (99 * 1024 + 520, "100 KiB"), (999 * 1024, "999 KiB"), (1023 * 1024, "1 MiB"), (1 << 60, "1024 PiB"), (-1536, "-1.5 KiB")):  # fmt: skip
            self.assertEqual(iec(count), says)

    def test_durations_and_lists(self):
        for seconds, says in ((0, "0 seconds"), (1, "1 second"), (59.4, "59 seconds"), (60, "1 minute"), (89, "1 minute"), (90, "2 minutes"), (7199, "120 minutes"),
                              (7200, "2 hours"), (172_799, "48 hours"), (172_800, "2 days"), (4 * 86_400, "4 days")):  # fmt: skip
            self.assertEqual(spoken(timedelta(seconds=seconds)), says)
        self.assertEqual([listed(words) for words in ([], ["a"], ["a", "b"], ["a", "b", "c"])], ["", "a", "a and b", "a, b and c"])
