"""Trees so deep as only great stores have them: what is done with them is judged by the same tests, once more."""

import random
from unittest import TestCase, mock

from core.vault.tests import test_bundles, test_erasing, test_upkeep
from core.vault.tests.bench_of_one import Bench, MemoryDevice
from core.vault.tree import _forks


class Deep(TestCase):
    """Branches of a few items, and forks above more than two of them."""

    def setUp(self) -> None:
        for name, value in (("_LEAST", 2), ("_MOST", 8), ("_MASK", 1), ("_MOST_TOPS", 2)):
            self.enterContext(mock.patch(f"core.vault.tree.{name}", value))
        super().setUp()


class AreDeep(Deep):
    def test_trees_of_a_few_hundred_items(self):
        content = {("contacts", f"c{n:03}"): b"person %d" % n for n in range(300)}
        self.assertGreaterEqual(Bench().capture(MemoryDevice(content)).manifest.summary("contacts").depth, 1)


class Copies(Deep, test_upkeep.Copies):
    """See there."""


class Repairs(Deep, test_upkeep.Repairs):
    """See there."""


class NothingIsLeft(Deep, test_erasing.NothingIsLeft):
    """See there."""


class WhatStays(Deep, test_erasing.WhatStays):
    """See there."""


class TwoStores(Deep, test_erasing.TwoStores):
    """See there."""


class SpaceComesBack(Deep, test_bundles.SpaceComesBack):
    """See there; without the two that take weeks."""

    test_a_store_of_which_little_stays_each_day_does_not_grow = None  # type: ignore[assignment]
    test_half_of_it_changes_each_day_and_seven_backups_are_kept = None  # type: ignore[assignment]


class Forks(TestCase):
    def test_a_group_ends_where_its_last_id_says_so_from_eight_on_and_at_256(self):
        draw = random.Random(4)
        plain = [draw.randbytes(15) + bytes([draw.randrange(1, 32)]) for _ in range(600)]
        ends = draw.randbytes(15) + b"\x40"
        for ids, lengths in (
            (plain, [256, 256, 88]), ([*plain[:6], ends, *plain[:10]], [17]), ([*plain[:7], ends, *plain[:10]], [8, 10]), ([*plain[:255], ends], [256]),
            ([ends] * 20, [8, 8, 4]), ([], []),
        ):  # fmt: skip
            groups = list(_forks(ids))
            self.assertEqual(([len(group) for group in groups], [id for group in groups for id in group]), (lengths, ids))
