"""What a removal gives back, against the size of the store after it was removed, waited and swept."""

import random
from dataclasses import replace
from datetime import timedelta
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from core.vault.chunks import VaultLimits
from core.vault.errors import NoSuchBackup
from core.vault.giving_back import given_back, swept_bytes, thorough
from core.vault.memory import MemoryBlobs
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import SMALL, Bench, MemoryDevice


def held(bench: Bench) -> int:
    assert isinstance(bench.blobs, MemoryBlobs)
    return sum(len(content) for content in bench.blobs.held.values())


def swept(bench: Bench) -> int:
    """Its size when all that can go is gone."""
    for _ in range(4):
        bench.now += timedelta(days=3)
        sweep(bench.again(), now=bench.now)
    return held(bench)


def office(seed: int, limits: VaultLimits) -> tuple[Bench, list[bytes]]:
    """Some devices that share much, and some nights in which this and that changes."""
    source = random.Random(seed)
    bench = Bench(limits=limits, seed=seed)
    shared = {("photos", f"shared {n}"): source.randbytes(source.randrange(2_000, 60_000)) for n in range(source.randrange(6))}
    taken = []
    for device in range(source.randrange(1, 4)):
        content = dict(shared) | {("contacts", f"c{n}"): source.randbytes(source.randrange(20, 300)) for n in range(source.randrange(60))}
        for night in range(source.randrange(1, 5)):
            for name in [name for name in content if source.random() < 0.2]:
                del content[name]
            content |= {("photos", f"{night} {n}"): source.randbytes(source.randrange(500, 40_000)) for n in range(source.randrange(4))}
            content |= {("contacts", f"new {night} {n}"): source.randbytes(100) for n in range(source.randrange(30))}
            taken.append(bench.capture(MemoryDevice(dict(content)), of=f"d{device}").manifest.id)
    return bench, taken


class GivingBack(TestCase):
    @settings(max_examples=25, deadline=None)
    @given(st.integers(0, 10_000), st.randoms(use_true_random=False), st.booleans())
    def test_is_by_how_much_the_store_is_smaller_in_the_end_to_the_byte(self, seed, chance, usual):
        """At the default settings as well as at those of a small test store."""
        limits = VaultLimits() if usual else replace(SMALL, grace_seconds=3600.0)
        one, taken = office(seed, limits)
        other, same = office(seed, limits)
        self.assertEqual(taken, same)
        going = [id for id in taken if chance.random() < 0.5]
        restored = given_back(one.again(), going)
        for id in going:
            one.again().remove(id)
        self.assertEqual(swept(other) - swept(one), restored.given_back_bytes)

    def test_a_pack_that_is_mostly_needed_gives_nothing_back_yet(self):
        bench = Bench(limits=replace(SMALL, waste_percent=50, most_small_packs=1000))
        content = {("photos", f"p{n}"): random.Random(n).randbytes(30_000) for n in range(6)}
        first = bench.capture(MemoryDevice(dict(content))).manifest
        del content["photos", "p0"]
        bench.capture(MemoryDevice(content), first)
        restored = given_back(bench.again(), [first.id])
        self.assertGreater(restored.no_longer_needed_bytes, 30_000)
        self.assertLess(restored.given_back_bytes, 5_000)

    def test_a_thorough_sweep_gives_back_what_the_usual_one_leaves(self):
        limits = replace(SMALL, waste_percent=50, most_small_packs=1000)
        bench = Bench(limits=limits)
        content = {("photos", f"p{n}"): random.Random(n).randbytes(30_000) for n in range(6)}
        first = bench.capture(MemoryDevice(dict(content))).manifest
        del content["photos", "p0"]
        bench.capture(MemoryDevice(content), first)
        freed = swept_bytes(bench.again(), [first.id], thoroughly=True)
        bench.again().remove(first.id)
        self.assertGreater(swept(bench) - freed, 29_000)
        bench.limits = thorough(limits)
        self.assertEqual(swept(bench), freed)

    def test_nothing_removed_gives_nothing_back(self):
        bench, _ = office(3, SMALL)
        restored = given_back(bench.again(), [])
        self.assertEqual((restored.no_longer_needed_bytes, restored.given_back_bytes), (0, 0))

    def test_it_is_a_dry_run(self):
        bench, taken = office(5, SMALL)
        before = dict(bench.blobs.held)
        given_back(bench.again(), taken)
        self.assertEqual(bench.blobs.held, before)

    def test_what_is_not_there_is_named(self):
        with self.assertRaises(NoSuchBackup):
            given_back(Bench().again(), [bytes(16)])
