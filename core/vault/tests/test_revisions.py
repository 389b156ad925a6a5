"""Revisions: other trees for the same backups, in the worst moment, in other stores, damaged, and after a backup left and came back."""

import json
from dataclasses import replace
from unittest import mock

from core.vault import blobs as names
from core.vault.bundles import bundles_of
from core.vault.check import check
from core.vault.copying import copy
from core.vault.errors import Damaged, RunTooLong
from core.vault.manifests import joined_branch
from core.vault.memory import MemoryBlobs
from core.vault.needs import needs_of
from core.vault.repair import repair
from core.vault.revisions import Revision, encoded
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import Bench
from core.vault.tests.test_bundles import LIMITS, Scene
from core.vault.writer import Writer


class InTheMoment(Scene):
    """What others do just before a revision counts, and while revisions are read."""

    def setUp(self):
        super().setUp()
        first = self.manifest.id
        self.thin(8)
        self.take()
        self.remove(first)

    def test_a_revision_whose_chunks_another_sweep_has_marked_does_not_count(self):
        for looks in ([RunTooLong("swept meanwhile")], [None, RunTooLong("swept meanwhile")]):
            with mock.patch.object(Writer, "_secure", side_effect=looks) as secured:
                sweep(self.bench.again(), now=self.bench.now)
            self.assertEqual(secured.call_count, len(looks))
            self.assertEqual([name for name in self.bench.blobs.held if name.startswith(names.REVISIONS)], [])
            self.whole()
        sweep(self.bench.again(), now=self.bench.now)
        self.assertEqual(self.revised(), set(self.kept))

    def test_revisions_that_are_put_together_while_somebody_reads_them_are_all_there(self):
        sweep(self.bench.again(), now=self.bench.now)
        vault, revision = self.bench.again(), self.bench.again().revisions.now()
        other = bytes(16)
        vault.write_object(names.REVISIONS, encoded({other: Revision(number=1, stay=1, tops={})}))
        real, acted = self.bench.blobs.read, []

        def read(name, **more):
            if name.startswith(names.REVISIONS) and not acted:
                acted.append(name)
                old = [one for one in self.bench.blobs.held if one.startswith(names.REVISIONS)]
                vault.write_object(names.REVISIONS, encoded(revision | {other: Revision(number=1, stay=1, tops={})}))
                for one in old:
                    del self.bench.blobs.held[one]
            return real(name, **more)

        with mock.patch.object(self.bench.blobs, "read", read):
            self.assertEqual(self.revised(), {other, *self.kept})
        self.assertTrue(acted)


class Elsewhere(Scene):
    """Stores whose sweeps bundled at different times."""

    def setUp(self):
        super().setUp()
        self.twin = Bench(MemoryBlobs(), limits=LIMITS, seed=5, same_key_as=self.bench.vault)
        self.other = Bench(MemoryBlobs(), limits=LIMITS, seed=6)
        self.first = self.manifest.id
        self.thin(8)
        self.take()
        for bench in (self.twin, self.other):
            copy(self.bench.again(), bench.again())
        self.remove(self.first)
        sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
        self.assertEqual(self.revised(), set(self.kept))

    def test_a_copy_has_the_trees_of_its_source(self):
        for same in (True, False):
            third = Bench(MemoryBlobs(), limits=LIMITS, seed=9, same_key_as=self.bench.vault if same else None)
            copy(self.bench.again(), third.again())
            self.assertEqual(self.revised(third), set())
            self.whole(third)

    def test_the_next_copy_adds_what_is_new_and_nothing_else(self):
        self.thin(100)
        self.take()
        for bench in (self.twin, self.other):
            self.assertEqual(copy(self.bench.again(), bench.again()).copied, [self.manifest.id])
            self.whole(bench)

    def test_a_damaged_store_is_mended_from_one_that_never_bundled(self):
        held = self.bench.blobs.held
        for bench in (self.twin, self.other):
            before = dict(held)
            for name in [name for name in held if name.startswith(names.PACKS)]:
                del held[name]
            self.assertEqual(repair(self.bench.again(), bench.again()).left, [])
            self.whole()
            sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
            self.whole()
            held.clear()
            held.update(before)

    def test_one_that_never_bundled_is_mended_from_one_that_did(self):
        for bench in (self.twin, self.other):
            bench.again().remove(self.first)
            for name in [name for name in bench.blobs.held if name.startswith(names.PACKS)]:
                del bench.blobs.held[name]
            self.assertEqual(repair(bench.again(), self.bench.again()).left, [])
            self.whole(bench)

    def test_a_damaged_revision_is_named_stops_the_sweep_and_is_mended(self):
        (name,) = [name for name in self.bench.blobs.held if name.startswith(names.REVISIONS)]
        good = self.bench.blobs.held[name]
        for broken in (good[:-1] + bytes([good[-1] ^ 1]), self.bench.again().sealed_object(name, b'{"backups": {"00": {}}}')):
            self.bench.blobs.held[name] = broken
            damaged = {entry.object: entry.backups for entry in check(self.bench.again()).damaged}
            self.assertIn(name, damaged)
            self.assertIn(self.manifest.id.hex(), set().union(*damaged.values()))
            with self.assertRaises(Damaged):
                sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
        self.assertEqual(repair(self.bench.again(), self.twin.again()).left, [])
        self.whole()
        sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
        self.whole()

    def test_a_branch_whose_items_lie_nowhere_stops_the_sweep_by_name(self):
        def row(*spans):
            return [["m", None, 3, 0, "t", list(spans), None]]

        for spans in ((9, 0, 3), (0, 0), ("x", 0, 3), (1 << 70, 0, 3)):
            vault = self.bench.again()
            vault.refresh()
            writer = Writer(vault)
            branch = writer.store_tree_chunk(joined_branch(b"", json.dumps(row(*spans)).encode()))
            writer.flush()
            writer.close()
            manifest = self.bench.again().manifest(self.manifest.id)
            kinds = tuple(replace(one, depth=0, tops=(branch,)) for one in manifest.kinds)
            changed = replace(manifest, kinds=kinds)
            vault = self.bench.again()
            vault.refresh()
            with self.subTest(spans=spans), self.assertRaises(Damaged):
                bundles_of(vault, [changed], needs_of(vault, [changed]))

    def test_a_backup_that_left_and_came_back_does_not_get_its_old_trees(self):
        self.bench.again().remove(self.manifest.id)
        revision = {name: content for name, content in self.bench.blobs.held.items() if name.startswith(names.REVISIONS)}
        copy(self.twin.again(), self.bench.again(), backups=[self.manifest.id])
        sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
        self.whole()
        self.bench.blobs.held |= revision  # put back
        self.whole()
