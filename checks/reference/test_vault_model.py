"""The vault against plain dictionaries: any sequence of backups, removals, sweeps, copies, damage and crashes.

Two stores with the same key and a third with another; each is a dictionary of backups, a backup is a dictionary
of items. After every step all three are what the dictionaries say, and their checks are clean.
"""

from contextlib import suppress
from datetime import timedelta
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from core.vault import blobs as names
from core.vault.check import check, note_damage
from core.vault.copying import copy
from core.vault.memory import MemoryBlobs
from core.vault.repair import repair
from core.vault.sweep import plan_sweep, sweep
from core.vault.tests.bench_of_one import Bench, MemoryDevice, contents
from core.vault.tests.faults import Fault, Faulty, Killed

Content = dict[tuple[str, str], bytes]

CONTENT = st.dictionaries(
    st.tuples(st.sampled_from(["contacts", "photos", "app_data"]), st.sampled_from("abcdef")),
    st.sampled_from([b"", b"tiny", b"x" * 5_000, bytes(range(256)) * 120, b"SQLite format 3\x00" + bytes(70_000)]),
    max_size=8,
)
AT = st.one_of(st.none(), st.integers(0, 25))
"""At which operation the process is killed; none: it lives."""
STORE = st.integers(0, 2)
STEPS = st.one_of(
    st.tuples(st.just("backup"), CONTENT, STORE, AT),
    st.tuples(st.just("remove"), st.integers(0, 5), STORE, AT),
    st.tuples(st.just("sweep"), st.sampled_from([0, 1, 3]), STORE, AT),
    st.tuples(st.just("copy"), STORE, STORE, AT),
    st.tuples(st.just("damage"), st.integers(0, 50), STORE, st.none()),
)


class Stores:
    """Three stores and what they should hold."""

    def __init__(self) -> None:
        first = Bench(Faulty(MemoryBlobs()))
        twin = Bench(Faulty(MemoryBlobs()), seed=8, same_key_as=first.vault)
        self.benches = [first, twin, Bench(Faulty(MemoryBlobs()), seed=9)]
        self.model: list[dict[bytes, Content]] = [{}, {}, {}]
        self.everything: dict[bytes, Content] = {}

    def blobs(self, number: int) -> Faulty:
        found: Faulty = self.benches[number].blobs  # type: ignore[assignment]
        return found

    def step(self, what: str, argument: object, number: int, at: int | None) -> None:
        bench, model, blobs = self.benches[number], self.model[number], self.blobs(number)
        if at is not None:
            blobs.set(Fault.KILL_AFTER, at)
        with suppress(Killed):
            if what == "backup":
                self._backup(bench, model, dict(argument))  # type: ignore[call-overload]
            elif what == "remove" and model:
                id = sorted(model)[int(argument) % len(model)]  # type: ignore[call-overload]
                bench.again().remove(id)
                del model[id]
            elif what == "sweep":
                bench.now += timedelta(hours=int(argument))  # type: ignore[call-overload]
                sweep(bench.again(), now=bench.now)
            elif what == "copy" and argument != number:
                copy(self.benches[int(argument)].again(), bench.again())  # type: ignore[call-overload]
                model.update(self.model[int(argument)])  # type: ignore[call-overload]
        blobs.heal()
        if what == "damage":
            self._damage_and_mend(number, int(argument))  # type: ignore[call-overload]
        self._learn(number)

    def _backup(self, bench: Bench, model: dict[bytes, Content], content: Content) -> None:
        previous = next(iter(bench.again().manifests()), None)
        random = bench.random

        def watched(count: int) -> bytes:
            # the id of a backup is drawn before it is written: so the dictionary knows it even when the process dies after that
            drawn = random(count)
            self.everything[drawn] = content
            return drawn

        bench.random = watched  # type: ignore[method-assign]
        try:
            captured = bench.capture(MemoryDevice(dict(content)), previous)
        finally:
            bench.random = random  # type: ignore[method-assign]
        model[captured.manifest.id] = content

    def _learn(self, number: int) -> None:
        """What was committed, removed or copied just before the process was killed counts."""
        there = set(self.benches[number].again().backup_ids())
        for id in there - self.model[number].keys():
            for known in (self.everything, *self.model):
                if id in known:
                    self.model[number][id] = known[id]

    def _damage_and_mend(self, number: int, pick: int) -> None:
        """A pack of one store is hurt; the others have everything, so a repair brings it back."""
        bench, blobs = self.benches[number], self.blobs(number)
        packs = sorted(name for name, _ in blobs.list(names.PACKS))
        if not packs:
            return
        other = 1 - number if number < 2 else 0
        copy(bench.again(), self.benches[other].again())
        self.model[other].update(self.model[number])
        name = packs[pick % len(packs)]
        held = blobs.below.held  # type: ignore[attr-defined]
        place = pick * 37 % len(held[name])
        held[name] = held[name][:place] + bytes([held[name][place] ^ 4]) + held[name][place + 1 :]
        vault = bench.again()
        note_damage(vault, check(vault, percent=100))
        assert repair(bench.again(), self.benches[other].again()).left == []
        for hours in (0, 2, 2):
            bench.now += timedelta(hours=hours)
            sweep(bench.again(), now=bench.now)


class TheVaultIsADictionary(TestCase):
    @settings(max_examples=200, deadline=None)
    @given(st.lists(STEPS, max_size=7))
    def test_after_any_sequence_every_backup_reads_back_and_the_stores_are_whole(self, steps):
        stores = Stores()
        for what, argument, number, at in steps:
            stores.step(what, argument, number, at)
            for bench, model in zip(stores.benches, stores.model, strict=True):
                self.assertLessEqual(set(bench.again().backup_ids()), set(model))
                for id in bench.again().backup_ids():
                    self.assertEqual(contents(vault := bench.again(), vault.manifest(id)), model[id])
                self.assertEqual([(entry.object, entry.reason) for entry in check(bench.again(), percent=100).damaged], [])
        for number, bench in enumerate(stores.benches):
            # what is not in flight is exactly what is there: one more sweep, and the dry run before it tells its effect
            self.assertLessEqual(set(bench.again().backup_ids()), set(stores.model[number]))
            told = plan_sweep(bench.again()).freed_bytes
            before = sum(size for _, size in bench.blobs.list(names.PACKS))
            freed = sweep(bench.again(), now=bench.now + timedelta(days=9), grace_seconds=0).freed_bytes
            self.assertEqual(freed, told)
            self.assertLessEqual(sum(size for _, size in bench.blobs.list(names.PACKS)), before)
