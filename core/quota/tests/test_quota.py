from fractions import Fraction
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from core.quota.admission import RESERVE_BYTES, DoesNotFit, Room, admit, expected_bytes
from core.quota.shares import freed_bytes, shares
from core.units import MIB

CHUNKS = st.sampled_from([bytes([n]) for n in range(12)])
NEEDS = st.dictionaries(st.sampled_from("abcde"), st.sets(CHUNKS), min_size=1)
SIZES = st.lists(st.integers(1, 10_000), min_size=12, max_size=12).map(lambda sizes: {bytes([n]): size for n, size in enumerate(sizes)})


class SharesOfADeduplicatedStore(TestCase):
    def test_a_shared_chunk_is_divided_and_an_own_one_is_not(self):
        found = shares({"a": {b"1", b"2"}, "b": {b"2"}}, {b"1": 100, b"2": 50})
        self.assertEqual((found["a"].alone_bytes, found["a"].shared_bytes, found["a"].fair_bytes), (100, 50, 125))
        self.assertEqual((found["b"].alone_bytes, found["b"].fair_bytes), (0, 25))

    @given(NEEDS, SIZES)
    def test_fair_shares_add_up_to_what_is_stored_and_stay_within_a_byte(self, needs, sizes):
        found = shares(needs, sizes)
        stored = set().union(*needs.values())
        self.assertEqual(sum(share.fair_bytes for share in found.values()), sum(sizes[chunk] for chunk in stored))
        for owner, chunks in needs.items():
            exact = sum((Fraction(sizes[c], sum(c in other for other in needs.values())) for c in chunks), Fraction(0))
            self.assertLess(abs(found[owner].fair_bytes - exact), 1)

    @given(NEEDS, SIZES, st.sets(st.sampled_from("abcde")))
    def test_a_removal_frees_what_is_gone_when_it_is_done(self, needs, sizes, removed):
        before = set().union(*needs.values())
        after = set().union(*(chunks for owner, chunks in needs.items() if owner not in removed))
        self.assertEqual(freed_bytes(removed, needs, sizes), sum(sizes[c] for c in before) - sum(sizes[c] for c in after))

    @given(NEEDS, SIZES)
    def test_removing_one_frees_what_it_needs_alone(self, needs, sizes):
        for owner, share in shares(needs, sizes).items():
            self.assertEqual(freed_bytes([owner], needs, sizes), share.alone_bytes)


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
