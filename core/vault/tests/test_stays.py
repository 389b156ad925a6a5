"""A backup that left a store can come back to it."""

import json
from datetime import timedelta
from unittest import mock

from core.vault import blobs as names
from core.vault.check import check
from core.vault.copying import copy
from core.vault.errors import RunTooLong
from core.vault.ledger import begin_stay
from core.vault.memory import MemoryBlobs
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import Bench
from core.vault.tests.test_upkeep import Scene
from core.vault.writer import Writer


class WhatComesBack(Scene):
    """A backup that left a store can come back to it, and what somebody puts back cannot (§9.5)."""

    def setUp(self):
        super().setUp()
        self.twin = Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault)
        copy(self.bench.again(), self.twin.again())

    def sweeps(self, bench: Bench) -> None:
        for hours in (0, 2, 4):
            sweep(bench.again(), now=bench.now + timedelta(hours=hours))
        bench.now += timedelta(hours=5)

    def there(self, bench: Bench, id: bytes) -> bool:
        present = id in bench.again().backup_ids()
        self.assertEqual([entry.object for entry in check(bench.again(), percent=100).damaged], [])
        if present:
            self.assert_same(bench, [id])
        return present

    def test_removed_copied_again_swept_twice_and_restored_as_often_as_one_likes(self):
        for other in (self.twin, Bench(seed=6)):
            copy(self.bench.again(), other.again())
            for _ in range(3):
                other.again().remove(self.first.id)
                self.sweeps(other)
                self.assertFalse(self.there(other, self.first.id))
                self.assertEqual(copy(self.bench.again(), other.again()).copied, [self.first.id])
                self.sweeps(other)
                self.sweeps(other)
                self.assertTrue(self.there(other, self.first.id))

    def test_copied_again_before_any_sweep_and_where_the_removal_was_killed_half_way(self):
        manifest = self.twin.blobs.held[names.MANIFESTS + self.first.id.hex()]
        self.twin.again().remove(self.first.id)
        self.twin.blobs.held[names.MANIFESTS + self.first.id.hex()] = manifest  # killed between note and deletion, or put back
        self.assertFalse(self.there(self.twin, self.first.id))
        copy(self.bench.again(), self.twin.again())
        self.assertTrue(self.there(self.twin, self.first.id))
        self.sweeps(self.twin)
        self.assertTrue(self.there(self.twin, self.first.id))

    def test_a_commit_that_was_taken_back_can_be_made_again(self):
        self.twin.again().remove(self.first.id)
        with mock.patch.object(Writer, "_secure", side_effect=[None, RunTooLong("swept meanwhile")]), self.assertRaises(RunTooLong):
            copy(self.bench.again(), self.twin.again())
        self.assertFalse(self.there(self.twin, self.first.id))
        copy(self.bench.again(), self.twin.again())
        self.sweeps(self.twin)
        self.assertTrue(self.there(self.twin, self.first.id))

    def test_nothing_old_that_is_put_back_changes_anything(self):
        held = self.twin.blobs.held
        kept = dict(held)
        for _ in range(2):
            self.twin.again().remove(self.first.id)
            kept |= held
            copy(self.bench.again(), self.twin.again())
            kept |= held
        self.twin.again().remove(self.first.id)
        self.sweeps(self.twin)
        for name in [name for name in kept if name not in held and not name.startswith((names.PACKS, names.INDEXES, names.MARKS))]:
            state = dict(held)
            held[name] = kept[name]
            self.assertFalse(self.there(self.twin, self.first.id), name)
            self.twin.blobs.held.clear()
            self.twin.blobs.held.update(state)
        copy(self.bench.again(), self.twin.again())
        self.sweeps(self.twin)
        for name in [name for name in kept if name not in held and name.startswith((names.STAYS, names.REMOVED, names.LEDGERS))]:
            state = dict(held)
            held[name] = kept[name]
            self.assertTrue(self.there(self.twin, self.first.id), f"an old removal counted: {name}")
            self.twin.blobs.held.clear()
            self.twin.blobs.held.update(state)

    def test_killed_between_the_beginning_of_a_stay_and_its_manifest_nothing_is_missing(self):
        self.twin.again().remove(self.first.id)
        begin_stay(self.twin.again(), self.first.id)
        self.sweeps(self.twin)
        self.assertFalse(self.there(self.twin, self.first.id))
        copy(self.bench.again(), self.twin.again())
        self.assertTrue(self.there(self.twin, self.first.id))

    def test_one_that_came_back_and_vanished_is_named(self):
        self.twin.again().remove(self.first.id)
        copy(self.bench.again(), self.twin.again())
        self.sweeps(self.twin)
        del self.twin.blobs.held[names.MANIFESTS + self.first.id.hex()]
        damaged = [entry.object for entry in check(self.twin.again()).damaged]
        self.assertEqual(damaged, [names.MANIFESTS + self.first.id.hex()])

    def test_notes_that_are_no_stays_are_named_and_believed_by_nobody(self):
        for case in ({}, [], {"backup": "x", "stay": 2, "what": "begun"}, {"backup": self.first.id.hex(), "stay": True, "what": "removed"},
                     {"backup": self.first.id.hex(), "stay": 1 << 40, "what": "removed"}, {"backup": "00", "stay": 2, "what": "seen"}):  # fmt: skip
            name = self.bench.again().write_object(names.STAYS, json.dumps(case).encode())
            vault = self.bench.again()
            self.assertIn(self.first.id, vault.backup_ids(), case)
            self.assertIn(name, [entry.object for entry in check(vault).damaged], case)
            del self.bench.blobs.held[name]
