from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.recovery.matching import Found, Ground, KnownItems, proposals

DAY = datetime(2026, 3, 2, tzinfo=UTC)
FOUND = Found(key="d1", name="Orlo P5", holder="K. Dufour", serial="OR-1", first=DAY, last=DAY + timedelta(days=30))


def known(id: str, **fields: object) -> KnownItems:
    return KnownItems(**({"id": id, "name": "Orlo P4", "holder": "somebody"} | fields))  # type: ignore[arg-type]


class Matching(TestCase):
    def grounds(self, *devices: KnownItems) -> list[tuple[str, tuple[Ground, ...]]]:
        return [(one.id, one.grounds) for one in proposals(FOUND, devices)]

    def test_nothing_is_proposed_where_nothing_speaks_for_it(self):
        self.assertEqual(self.grounds(known("x"), known("y", name="Orlo P5")), [])

    def test_the_strongest_ground_comes_first_whatever_the_order(self):
        devices = [
            known("holder", holder="k. dufour"), known("serial", serial="or-1"), known("d1"),
            known("both", holder="K.  Dufour", name="orlo p5"),
        ]  # fmt: skip
        expected = [("d1", (Ground.ID,)), ("serial", (Ground.SERIAL,)), ("both", (Ground.HOLDER_AND_NAME,)), ("holder", (Ground.HOLDER,))]
        self.assertEqual(self.grounds(*devices), expected)
        self.assertEqual(self.grounds(*reversed(devices)), expected)

    def test_another_serial_number_speaks_against_it_louder_than_its_id_for_it(self):
        first, second = proposals(FOUND, [known("d1", serial="OR-2"), known("holder", holder="K. Dufour")])
        self.assertEqual((first.id, second.id, second.other_serial), ("holder", "d1", True))

    def test_backups_of_both_in_one_span_of_time_are_told(self):
        own = {"holder": "K. Dufour", "first": DAY + timedelta(days=30), "last": DAY + timedelta(days=60)}
        self.assertTrue(proposals(FOUND, [known("x", **own)])[0].overlaps)
        self.assertFalse(proposals(FOUND, [known("x", **own | {"first": DAY + timedelta(days=31)})])[0].overlaps)
        self.assertFalse(proposals(FOUND, [known("d1", **own)])[0].overlaps, "its own backups")

    def test_an_empty_word_is_no_likeness(self):
        nobody = Found(key="d9", first=DAY, last=DAY)
        self.assertEqual(proposals(nobody, [known("x", holder="", name="", serial="")]), [])
