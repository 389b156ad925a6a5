"""Shares against their definitions, on cases small enough to ask every order in which owners could come."""

from collections.abc import Iterable, Mapping, Set
from fractions import Fraction
from itertools import pairwise, permutations
from math import factorial
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from core.quota.shares import SharePart, divide, whole

LENGTHS = st.lists(st.integers(1, 10_000), min_size=10, max_size=10).map(lambda sizes: np.array(sizes, dtype=np.int64))
NEEDS = st.dictionaries(st.sampled_from("abcde"), st.sets(st.integers(0, 9), min_size=1), min_size=1)


def numbers(chunks: Iterable[int]) -> np.ndarray:
    return np.array(sorted(chunks), dtype=np.int64)


def divided(needs: Mapping[str, Set[int]], lengths: np.ndarray) -> dict[str, SharePart]:
    return divide(
        whole(numbers(set().union(*needs.values())), lengths), {owner: numbers(chunks) for owner, chunks in needs.items()}, lengths
    )


def mean_of_orders(needs: Mapping[str, Set[int]], lengths: np.ndarray, orders: Iterable[tuple[str, ...]]) -> dict[str, Fraction]:
    """What each owner brings along that is not there yet, on average."""
    orders = list(orders)
    by_key = {owner: Fraction(0) for owner in needs}
    for order in orders:
        there: set[int] = set()
        for owner in order:
            by_key[owner] += Fraction(sum(int(lengths[chunk]) for chunk in needs[owner] - there), len(orders))
            there |= needs[owner]
    return by_key


class Shares(TestCase):
    def test_a_shared_chunk_is_divided_and_an_own_one_is_not(self):
        shares = divided({"a": {0, 1}, "b": {1}}, np.array([100, 50]))
        self.assertEqual(
            [(one.share.alone_bytes, one.share.shared_bytes, one.share.fair_bytes) for one in shares.values()],
            [(100, 50, 125), (0, 50, 25)],
        )

    @given(NEEDS, LENGTHS)
    def test_are_the_shapley_value_and_add_up_exactly(self, needs, lengths):
        """The value by its definition (Shapley 1953): the mean over all orders of what each brings along."""
        shares = divided(needs, lengths)
        self.assertEqual(sum(one.share.fair_bytes for one in shares.values()), int(lengths[numbers(set().union(*needs.values()))].sum()))
        exact = mean_of_orders(needs, lengths, permutations(needs))
        for owner, one in shares.items():
            self.assertLess(abs(one.share.fair_bytes - exact[owner]), 1)
            others = set().union(*(chunks for other, chunks in needs.items() if other != owner))
            self.assertEqual(one.share.alone_bytes, sum(int(lengths[chunk]) for chunk in needs[owner] - others))
            self.assertEqual(one.share.needed_bytes, sum(int(lengths[chunk]) for chunk in needs[owner]))

    @settings(deadline=None)
    @given(NEEDS, LENGTHS, st.dictionaries(st.sampled_from("abcde"), st.sampled_from("xy"), min_size=5))
    def test_divided_downwards_they_are_the_owen_value_and_each_level_adds_up(self, needs, lengths, teams):
        """By its definition (Owen 1977): only orders in which those of one team come one after another."""
        members = {team: [owner for owner in needs if teams[owner] == team] for team in {teams[owner] for owner in needs}}
        above = divided({team: set().union(*(needs[owner] for owner in mine)) for team, mine in members.items()}, lengths)
        orders = [order for order in permutations(needs) if changes(teams[owner] for owner in order) == len(members) - 1]
        self.assertEqual(len(orders), factorial(len(members)) * np.prod([factorial(len(mine)) for mine in members.values()]))
        exact = mean_of_orders(needs, lengths, orders)
        for team, mine in members.items():
            below = divide(above[team], {owner: numbers(needs[owner]) for owner in mine}, lengths)
            self.assertEqual(sum(one.share.fair_bytes for one in below.values()), above[team].share.fair_bytes)
            for owner, one in below.items():
                self.assertLess(abs(one.share.fair_bytes - exact[owner]), 2)
                others = set().union(*(chunks for other, chunks in needs.items() if other != owner))
                self.assertEqual(
                    one.share.alone_bytes, sum(int(lengths[chunk]) for chunk in needs[owner] - others), "alone in the whole store"
                )

    def test_bytes_that_do_not_divide_go_to_the_first_by_name(self):
        shares = divided({"b": {0}, "a": {0}, "c": {0}}, np.array([11]))
        self.assertEqual({owner: one.share.fair_bytes for owner, one in shares.items()}, {"a": 4, "b": 4, "c": 3})

    def test_nobody_has_nothing(self):
        self.assertEqual(divide(whole(numbers(()), np.array([5])), {}, np.array([5])), {})


def changes(teams: Iterable[str]) -> int:
    listed = list(teams)
    return sum(one != other for one, other in pairwise(listed))
