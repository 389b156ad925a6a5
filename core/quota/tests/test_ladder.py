"""Making room against every possible choice on small cases."""

from collections.abc import Iterable
from itertools import combinations
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from core.content.kinds import KINDS
from core.quota.ladder import Move, Rung, propose, rung_of, together

CHUNKS = 14
STANDS = {
    "photos": Rung.PICTURES, "videos": Rung.PICTURES, "music": Rung.HAD_AGAIN, "apps": Rung.HAD_AGAIN, "attachments": Rung.ATTACHMENTS,
}  # fmt: skip
SIZES = st.lists(st.integers(1, 1000), min_size=CHUNKS, max_size=CHUNKS)
BACKUPS = st.lists(st.sets(st.integers(0, CHUNKS - 1)), min_size=12, max_size=12)


def backup(number: int) -> bytes:
    return bytes([number])


class Store:
    """Some of the backups stay whatever is chosen."""

    def __init__(self, needs: list[set[int]], sizes: list[int]) -> None:
        self.needs, self.sizes = {backup(number): chunks for number, chunks in enumerate(needs)}, sizes

    def frees(self, going: Iterable[bytes], parts: Iterable[tuple[bytes, str]] = ()) -> int:
        gone = set(going) | {id for id, _ in parts}  # each of one kind
        before = set().union(*self.needs.values())
        return sum(self.sizes[chunk] for chunk in before - set().union(*(chunks for id, chunks in self.needs.items() if id not in gone)))


def moves_of(losses: list[int], *, rungs: list[int]) -> list[Move]:
    return [
        Move(key=f"m{number:02}", rung=Rung(rung), going=frozenset({backup(number)}), loss=loss)
        for number, (loss, rung) in enumerate(zip(losses, rungs, strict=False))
    ]


class Rungs(TestCase):
    def test_each_kind_stands_where_its_loss_is_felt_and_what_nobody_can_have_again_stands_nowhere(self):
        self.assertEqual({rung_of(kind, in_step=True) for kind in KINDS}, {Rung.IN_STEP})
        stands = {kind: rung for kind in KINDS if (rung := rung_of(kind, in_step=False)) is not None}
        self.assertEqual(stands, STANDS)


class Proposals(TestCase):
    @settings(deadline=None, max_examples=60)
    @given(
        BACKUPS,
        SIZES,
        st.lists(st.integers(1, 20), min_size=12, max_size=12),
        st.lists(st.sampled_from([2, 4, 9]), min_size=12, max_size=12),
        st.floats(0, 1.2),
    )
    def test_is_the_shortest_beginning_and_within_its_last_step_never_worse_than_the_least_by_a_fifth(
        self, needs, sizes, losses, rungs, part
    ):
        store, moves = Store(needs, sizes), moves_of(losses, rungs=rungs)
        wanted = round(store.frees(store.needs) * part)
        proposed = propose(moves, wanted, store.frees)
        self.assertEqual(proposed.bytes, together(proposed.moves, store.frees))
        self.assertEqual(proposed.suffices, proposed.bytes >= wanted)
        if not proposed.suffices:
            self.assertEqual(set(proposed.moves), set(moves), "everything was offered")
            return
        last = max((move.rung for move in proposed.moves), default=Rung.WASTE)
        before = [move for move in moves if move.rung < last]
        self.assertTrue(set(before) <= set(proposed.moves))
        if proposed.moves:
            self.assertLess(together(before, store.frees), wanted, "the steps before did not suffice")
        mine = [move for move in moves if move.rung == last]
        least = min(
            sum(move.loss for move in subset)
            for size in range(len(mine) + 1)
            for subset in combinations(mine, size)
            if together([*before, *subset], store.frees) >= wanted
        )
        self.assertLessEqual(sum(move.loss for move in proposed.moves if move.rung == last), least * 1.2)

    @settings(deadline=None, max_examples=40)
    @given(st.lists(st.tuples(st.integers(1, 400), st.integers(1, 30)), min_size=11, max_size=12), st.floats(0.05, 1))
    def test_of_many_moves_that_share_nothing_it_is_the_least_loss(self, pairs, part):
        """More than are looked at one by one; against all of them here."""
        sizes, losses = [size for size, _ in pairs], [loss for _, loss in pairs]
        store = Store([{number} for number in range(len(pairs))], sizes)
        moves = moves_of(losses, rungs=[4] * len(pairs))
        wanted = max(1, round(sum(sizes) * part))
        proposed = propose(moves, wanted, store.frees)
        least = min(
            sum(losses[number] for number in subset)
            for size in range(len(pairs) + 1)
            for subset in combinations(range(len(pairs)), size)
            if sum(sizes[number] for number in subset) >= wanted
        )
        self.assertTrue(proposed.suffices)
        self.assertEqual(sum(move.loss for move in proposed.moves), least)

    def test_small_losses_are_counted_as_they_are(self):
        """Three moves that lose 1 each instead of one that loses 4: counted in twos it would be the other way round."""
        sizes, losses = [10, 4, 4, 4, *[1] * 8], [4, 1, 1, 1, *[100] * 8]
        store = Store([{number} for number in range(12)], sizes)
        proposed = propose(moves_of(losses, rungs=[4] * 12), 10, store.frees)
        self.assertEqual(sorted(move.key for move in proposed.moves), ["m01", "m02", "m03"])

    def test_what_is_shared_by_all_is_free_only_when_all_go(self):
        store = Store([{0, number + 1} for number in range(12)], [1000] + [1] * 13)
        moves = moves_of([1] * 12, rungs=[4] * 12)
        self.assertEqual(len(propose(moves, 1005, store.frees).moves), 12)
        self.assertEqual(len(propose(moves, 5, store.frees).moves), 5)

    def test_what_others_make_superfluous_is_left_out_again_the_dearest_first(self):
        """Two share a great chunk; each of the others gives a byte: all are chosen at first, and five are enough."""
        store = Store([{0, 1}, {0, 2}, *({number} for number in range(3, 13))], [1000] + [1] * 13)
        proposed = propose(moves_of(list(range(1, 13)), rungs=[4] * 12), 1005, store.frees)
        self.assertEqual(sorted(move.key for move in proposed.moves), ["m00", "m01", "m02", "m03", "m04"])
        self.assertEqual(proposed.bytes, 1005)

    def test_waste_comes_first_and_loses_nothing(self):
        store = Store([{0}], [100])
        moves = [
            Move(key="a", rung=Rung.GONE_DEVICES, going=frozenset({backup(0)}), loss=1),
            Move(key="waste", rung=Rung.WASTE, gives_bytes=50),
        ]
        self.assertEqual([move.key for move in propose(moves, 50, store.frees).moves], ["waste"])
        self.assertEqual([move.key for move in propose(moves, 51, store.frees).moves], ["waste", "a"])

    def test_nothing_wanted_proposes_nothing(self):
        self.assertEqual(propose(moves_of([1], rungs=[2]), 0, Store([{0}], [100]).frees).moves, ())

    def test_what_is_left_out_and_what_leaves_share_bytes_that_count_once(self):
        store = Store([{0, 1}, {1, 2}], [10, 100, 1000])
        out = Move(key="out", rung=Rung.PICTURES, parts=frozenset({(backup(0), "photos")}), loss=10)
        goes = Move(key="goes", rung=Rung.THINNING, going=frozenset({backup(1)}), loss=10)
        self.assertEqual([together(moves, store.frees) for moves in ([out], [goes], [out, goes])], [10, 1000, 1110])

    def test_a_great_many_moves_are_counted_coarsely_and_suffice(self):
        sizes = [100 + number % 37 for number in range(400)]

        def frees(going: Iterable[bytes], parts: Iterable[tuple[bytes, str]]) -> int:
            return sum(sizes[int.from_bytes(id, "big")] for id in going)

        moves = [Move(key=f"{n:03}", rung=Rung.THIRD_COPIES, going=frozenset({n.to_bytes(2, "big")}), loss=900 + n) for n in range(400)]
        proposed = propose(moves, sum(sizes) // 2, frees)
        self.assertTrue(proposed.suffices)
        self.assertLess(len(proposed.moves), 220)
