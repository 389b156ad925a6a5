from unittest import TestCase

from core.quota.admission import RESERVE_BYTES, DoesNotFit, Room, admit, expected_bytes
from core.units import MIB


class WillItFit(TestCase):
    def room(self, stored: int = 0, allowance: int | None = 100 * MIB, free: int | None = None) -> Room:
        return Room(stored_bytes=stored, allowance_bytes=allowance, free_bytes=free)

    def test_without_history_nothing_is_assumed_to_shrink(self):
        self.assertGreaterEqual(expected_bytes(50 * MIB, []), 50 * MIB)

    def test_the_median_of_the_history_counts_and_one_odd_run_does_not(self):
        history = [(10 * MIB, 5 * MIB), (10 * MIB, 5 * MIB), (10 * MIB, 10 * MIB)]
        self.assertAlmostEqual(expected_bytes(10 * MIB, history) / MIB, 5.1, places=1)

    def test_the_message_names_what_is_left_and_what_is_needed(self):
        with self.assertRaises(DoesNotFit) as caught:
            admit(30 * MIB, self.room(stored=80 * MIB), history=[], store="Server room")
        self.assertIn("Server room has 20 MiB left", str(caught.exception))
        self.assertIn("30.6 MiB", str(caught.exception))

    def test_the_smaller_of_allowance_and_medium_counts(self):
        with self.assertRaises(DoesNotFit):
            admit(30 * MIB, self.room(free=10 * MIB), history=[], store="S")
        admit(30 * MIB, self.room(allowance=None, free=None), history=[], store="S")

    def test_exactly_enough_is_enough(self):
        need = expected_bytes(MIB, []) + RESERVE_BYTES
        admit(MIB, self.room(allowance=need), history=[], store="S")
        with self.assertRaises(DoesNotFit):
            admit(MIB, self.room(allowance=need - 1), history=[], store="S")

    def test_an_unchanged_device_always_fits(self):
        self.assertEqual(admit(0, self.room(stored=100 * MIB), history=[], store="S"), 0)
