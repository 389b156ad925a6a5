import random
from datetime import timedelta
from unittest import TestCase

import numpy as np

from core.vault.accounting import Accounts
from core.vault.errors import Damaged
from core.vault.memory import MemoryBlobs
from core.vault.remembered_trees import MAGIC, RememberedTrees, decoded_trees, remembered
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import Bench, MemoryDevice


class Counted(MemoryBlobs):
    """Counts what is read of packs."""

    reads = 0

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        self.reads += name.startswith("packs/")
        return super().read(name, offset=offset, length=length)


class Remembering(TestCase):
    def setUp(self) -> None:
        self.blobs = Counted()
        self.bench = Bench(self.blobs)
        self.content = {("photos", f"{n:05}"): random.Random(n).randbytes(300) for n in range(12_000)}
        self.device = MemoryDevice(self.content)
        self.taken = [self.bench.capture(self.device).manifest]

    def night(self) -> None:
        self.content["photos", f"x{len(self.taken)}"] = random.Random(f"x{len(self.taken)}").randbytes(50_000)
        self.taken.append(self.bench.capture(self.device, self.taken[-1]).manifest)

    def accounts(self, known: RememberedTrees | None = None) -> Accounts:
        vault = self.bench.again()
        vault.refresh()
        self.blobs.reads = 0
        return Accounts(vault, lambda: known)

    def same(self, known: RememberedTrees) -> None:
        """What is told with what was remembered is what is told by reading everything."""
        fresh, fast = self.accounts(), self.accounts(known)
        for manifest in fresh.manifests:
            for kind in (None, *(summary.kind for summary in manifest.trees)):
                np.testing.assert_array_equal(fresh.needed([manifest.id], kind), fast.needed([manifest.id], kind))
        self.assertEqual(fresh.needs.numbers, fast.needs.numbers)
        for branch, numbers in fresh.needs.branches.items():
            np.testing.assert_array_equal(np.sort(numbers), np.sort(fast.needs.branches[branch]))
        for one in fresh.manifests:
            self.assertEqual(fresh.usage([one.id]), fast.usage([one.id]))
        self.assertEqual(fresh.remains(), fast.remains())

    def test_what_is_remembered_is_not_read_again(self):
        first = self.accounts()
        self.assertGreater(self.blobs.reads, 3)
        self.assertTrue(first.needs.forks, "its tree has forks")
        known = decoded_trees(first.trees().encoded())
        self.accounts(known)
        self.assertEqual(self.blobs.reads, 0)
        self.night()
        self.accounts(known)
        self.assertLessEqual(self.blobs.reads, 4)
        self.same(known)

    def test_what_went_and_what_moved_into_other_packs_changes_nothing(self):
        for _ in range(3):
            self.night()
        known = self.accounts().trees()
        del self.content["photos", "x1"]
        self.night()
        self.bench.again().remove(self.taken[1].id)
        for _ in range(3):
            self.bench.now += timedelta(hours=2)
            sweep(self.bench.again(), now=self.bench.now)
        self.same(known)
        self.assertLess(len(self.accounts(known).trees().branches), len(known.branches) + 3, "what nothing mentions is forgotten")

    def test_a_branch_whose_chunks_are_not_all_there_is_not_remembered(self):
        first = self.accounts()
        branch, numbers = next(iter(first.needs.branches.items()))
        lacking = {branch: np.array([-1], dtype=np.int32)} | {b"x" * 16: numbers}
        self.assertEqual(remembered(self.bench_index(), lacking, {}).branches, (b"x" * 16,))

    def bench_index(self):
        vault = self.bench.again()
        vault.refresh()
        return vault.index

    def test_what_differs_is_counted(self):
        known = self.accounts().trees()
        other = decoded_trees(known.encoded())
        self.assertEqual(known.differing(other), 0)
        moved = RememberedTrees(
            ids=known.ids[16:] + known.ids[:16], branches=known.branches, ends=known.ends, mentions=known.mentions,
            forks={fork: below[1:] for fork, below in known.forks.items()},
        )  # fmt: skip
        self.assertEqual(known.differing(moved), len(known.branches) + len(known.forks))
        self.assertEqual(known.differing(RememberedTrees()), 0, "what one of them does not know differs in nothing")

    def test_a_file_that_was_cut_or_changed_is_refused(self):
        content = self.accounts().trees().encoded()
        for wrong in (b"", content[:-1], MAGIC, content[:60] + b"\xff" + content[61:], b"another" + content[7:]):
            with self.assertRaises(Damaged):
                decoded_trees(wrong)
        self.assertEqual(decoded_trees(RememberedTrees().encoded()).branches, ())
