"""Blocks of cards and events: where one begins and ends, whatever lies inside of it (RFC 5545 §3.6, RFC 6350 §3.3)."""

from unittest import TestCase

from core.exchange.contentlines import Block, blocks

NAMES = frozenset({"VEVENT", "VCARD"})


def read(*lines: str, step: int = 1000) -> list[Block]:
    content = "\r\n".join((*lines, "")).encode()
    return list(blocks((content[at : at + step] for at in range(0, len(content), step)), names=NAMES))


class WhereABlockEnds(TestCase):
    def test_what_lies_inside_belongs_to_it_and_its_end_is_not_the_end(self):
        (one,) = read("BEGIN:VEVENT", "UID:1", "BEGIN:VALARM", "UID:2", "END:VALARM", "SUMMARY:x", "END:VEVENT", "UID:3")
        self.assertEqual((one.trouble, one.lines), ("", ["UID:1", "BEGIN:VALARM", "UID:2", "END:VALARM", "SUMMARY:x"]))

    def test_an_inner_one_that_does_not_end_takes_the_outer_one_with_it(self):
        (one,) = read("BEGIN:VEVENT", "BEGIN:VALARM", "END:VEVENT")
        self.assertEqual(one.trouble, "it does not end")

    def test_an_end_of_something_else_ends_nothing(self):
        (one,) = read("BEGIN:VEVENT", "END:VALARM", "UID:1", "END:VEVENT")
        self.assertEqual((one.trouble, "UID:1" in one.lines), ("", True))

    def test_the_next_one_ends_one_that_was_never_ended(self):
        first, second = read("BEGIN:VCARD", "FN:A", "BEGIN:VCARD", "FN:B", "END:VCARD")
        self.assertEqual((first.trouble, second.trouble, first.number, second.number), ("it does not end", "", 1, 2))
        self.assertEqual((first.lines, second.lines), (["FN:A"], ["FN:B"]))

    def test_one_of_the_same_name_inside_of_another_is_no_second_one(self):
        """An event inside of an alarm inside of an event: only the outer one counts."""
        lines = ("BEGIN:VEVENT", "BEGIN:VALARM", "BEGIN:VEVENT", "END:VEVENT", "END:VALARM", "UID:1", "END:VEVENT")
        (one,) = read(*lines)
        self.assertEqual((one.trouble, one.lines[-1]), ("", "UID:1"))

    def test_case_spaces_folds_and_pieces_of_any_size_change_nothing(self):
        lines = ("begin : vevent".replace(" ", ""), "Uid:1", "  2", "End:VEVENT ", "BEGIN:VEVENT", "UID:3", "END:VEVENT")
        whole = read(*lines)
        for step in (1, 2, 7):
            self.assertEqual([(one.lines, one.raw) for one in read(*lines, step=step)], [(one.lines, one.raw) for one in whole])
        self.assertEqual([one.lines for one in whole], [["Uid:1 2"], ["UID:3"]])

    def test_its_bytes_are_those_that_came(self):
        lines = ("BEGIN:VEVENT", "UID:1", " x", "END:VEVENT")
        (one,) = read("BEGIN:VCALENDAR", *lines, "END:VCALENDAR")
        self.assertEqual(bytes(one.raw), "\r\n".join((*lines, "")).encode())
