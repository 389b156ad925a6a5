"""The index of arrays against a plain dictionary."""

import random
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from core.vault.errors import Damaged
from core.vault.index import ChunkIndex, ChunkPlace
from core.vault.packs import decode_entries, decode_index, encode_index, entries_of, footer_bytes, ids_of, pack_bytes


def id_of(n: int) -> bytes:
    """Some share their first half, so that the second half has to decide."""
    return random.Random(n // 2).randbytes(8) + random.Random(-n).randbytes(8) if n % 5 else random.Random(n).randbytes(16)


PACKS = st.lists(st.lists(st.tuples(st.integers(0, 40), st.integers(1, 9)), max_size=8), max_size=8)


class TheIndexIsADictionary(TestCase):
    @settings(max_examples=200, deadline=None)
    @given(PACKS, st.sets(st.integers(0, 7)), PACKS, st.sets(st.tuples(st.integers(0, 7), st.integers(0, 40)), max_size=4))
    def test_whatever_is_put_in(self, packs, marked, later, damaged):
        def named(number: int) -> bytes:
            return bytes([number]) * 16

        held = [(named(n), entries_of((id_of(chunk), length) for chunk, length in pack)) for n, pack in enumerate(packs)]
        bad: dict[bytes, set[bytes]] = {}
        for pack, chunk in damaged:
            bad.setdefault(named(pack), set()).add(id_of(chunk))
        index = ChunkIndex(held, marked={named(n) for n in marked}, damaged=bad)
        fresh = [(named(100 + n), entries_of((id_of(chunk), length) for chunk, length in pack)) for n, pack in enumerate(later)]
        for pack, entries in fresh:
            index.add(pack, entries)
        model: dict[bytes, list[ChunkPlace]] = {}
        for pack, entries in held + fresh:
            offset = 0
            for chunk, length in zip(ids_of(entries), entries["sealed_bytes"].tolist(), strict=True):
                if chunk not in bad.get(pack, ()):
                    model.setdefault(chunk, []).append(ChunkPlace(pack, offset, length))
                offset += length
        for _ in range(2):
            for n in range(41):
                places = model.get(id_of(n), [])
                where = index.place(id_of(n))
                good = [place for place in places if place.pack not in index.marked]
                self.assertIn(where, (good or places) or [None])
                self.assertEqual(index.reusable(id_of(n)), bool(good))
            index.settle()
        ids = [id_of(n) for n in range(41)]
        self.assertEqual(index.places(ids), [index.place(chunk) for chunk in ids])
        self.assertEqual((index.numbers(b"".join(ids)) >= 0).tolist(), [chunk in model for chunk in ids])

    def test_a_marked_pack_is_the_last_resort(self):
        one, two = (b"1" * 16, entries_of([(id_of(1), 5)])), (b"2" * 16, entries_of([(id_of(2), 3), (id_of(1), 5)]))
        self.assertEqual(ChunkIndex([one, two]).place(id_of(1)).pack, b"1" * 16)
        self.assertEqual(ChunkIndex([one, two], marked={b"1" * 16}).place(id_of(1)), ChunkPlace(b"2" * 16, 3, 5))
        both = ChunkIndex([one, two], marked={b"1" * 16, b"2" * 16})
        self.assertFalse(both.reusable(id_of(1)))
        self.assertIsNotNone(both.place(id_of(1)))

    def test_many_additions_are_sorted_in(self):
        index, source = ChunkIndex(), random.Random(1)
        ids = [source.randbytes(16) for _ in range(60_000)]
        for first in range(0, 60_000, 20_000):
            index.add(first.to_bytes(16, "big"), entries_of((chunk, 1) for chunk in ids[first : first + 20_000]))
        self.assertTrue(all(index.reusable(chunk) for chunk in ids[::997]))
        self.assertEqual(len(index), 60_000)
        self.assertLess(index.memory_bytes / 60_000, 34)

    def test_a_pack_that_is_added_twice_is_there_once(self):
        entries = entries_of((id_of(n), 5) for n in range(3))
        index = ChunkIndex([(b"1" * 16, entries)])
        for pack in (b"1" * 16, b"2" * 16, b"2" * 16):
            index.add(pack, entries)
        for _ in range(2):
            self.assertEqual([pack for pack, _ in index.packs()], [b"1" * 16, b"2" * 16])
            self.assertEqual(len(index), 6)
            index.settle()
            index.add(b"2" * 16, entries)

    def test_an_empty_one_knows_nothing(self):
        index = ChunkIndex()
        self.assertIsNone(index.place(id_of(1)))
        self.assertEqual(index.numbers(id_of(1)).tolist(), [-1])
        self.assertEqual(index.packs(), [])


class Bytes(TestCase):
    def test_index_objects_and_footers_read_back_and_are_as_long_as_foretold(self):
        packs = [(bytes([n]) * 16, entries_of((id_of(m), m + 1) for m in range(n))) for n in range(5)]
        content = encode_index(packs)
        self.assertEqual(
            [(pack, entries.tobytes()) for pack, entries in decode_index(content)], [(pack, entries.tobytes()) for pack, entries in packs]
        )
        self.assertEqual(pack_bytes(packs[4][1]), 1 + 2 + 3 + 4 + footer_bytes(4))

    def test_lists_that_end_too_early_are_damaged(self):
        for content in (b"short", bytes(16) + b"\x00\x00\x00\x09" + bytes(24)):
            with self.assertRaises(Damaged):
                list(decode_index(content))
        with self.assertRaises(Damaged):
            decode_entries(bytes(21))
