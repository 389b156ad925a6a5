"""Bundling anew in the worst moment: whatever another process does, or wherever the power fails, every backup reads back.

The other side acts at one operation of the store after the other, so that nothing is left to chance.
"""

import random
from collections.abc import Callable
from contextlib import suppress
from datetime import timedelta
from unittest import TestCase

from core.content.scope import erased_mark
from core.vault.check import check
from core.vault.chunks import VaultLimits
from core.vault.erase import erase
from core.vault.errors import RunTooLong
from core.vault.memory import MemoryBlobs
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import Bench, MemoryDevice, contents
from core.vault.tests.faults import Killed

LIMITS = VaultLimits(pack_bytes=64 * 1024, bundle_bytes=4 * 1024, tiny_bytes=1024, grace_seconds=3600)


class Counting(MemoryBlobs):
    """Somebody else acts before operation number `at`, once; or the process dies there."""

    def __init__(self) -> None:
        super().__init__()
        self.count, self.at = 0, -1
        self.act: Callable[[], object] | None = None

    def set(self, at: int, act: Callable[[], object]) -> None:
        self.count, self.at, self.act = 0, at, act

    def _now(self) -> None:
        self.count += 1
        if self.act is not None and self.count == self.at:
            act, self.act = self.act, None
            act()

    def create(self, name, content):
        self._now()
        super().create(name, content)

    def read(self, name, *, offset=0, length=None):
        self._now()
        return super().read(name, offset=offset, length=length)

    def delete(self, name):
        self._now()
        super().delete(name)

    def list(self, prefix):
        self._now()
        return iter(list(super().list(prefix)))


class WorstMoments(TestCase):
    def setUp(self):
        self.blobs = Counting()
        self.bench = Bench(self.blobs, limits=LIMITS)
        source = random.Random(3)
        day = lambda number: {("messages", f"m{number}-{n:03}"): source.randbytes(150) for n in range(60)}  # noqa: E731
        first = day(0)
        device = MemoryDevice(first)
        self.old = self.bench.capture(device).manifest
        self.content = {key: held for n, (key, held) in enumerate(sorted(first.items())) if n % 8 == 0} | day(1)
        device.content = dict(self.content)
        self.kept = self.bench.capture(device, self.old).manifest
        self.bench.again().remove(self.old.id)

    def sweep(self, hours: float = 0, grace: float = 0) -> None:
        sweep(self.bench.again(), now=self.bench.now + timedelta(hours=hours), grace_seconds=grace)

    def commit(self) -> bytes | None:
        """Another backup that builds on the kept one, as its reader knew it a moment ago."""
        content = self.content | {("messages", "new"): b"one more"}
        with suppress(RunTooLong):
            return self.bench.capture(MemoryDevice(content), self.kept).manifest.id
        return None

    def whole(self, *made: bytes | None) -> None:
        self.blobs.act = None
        for turn in range(2):
            self.assertEqual([(entry.object, entry.reason) for entry in check(self.bench.again(), percent=100).damaged], [])
            for id, content in [
                (self.kept.id, self.content),
                *((id, self.content | {("messages", "new"): b"one more"}) for id in made if id),
            ]:
                vault = self.bench.again()
                self.assertEqual(contents(vault, vault.manifest(id)), content)
            for hours in (10, 12, 14) if turn == 0 else ():
                self.sweep(hours, 3600)

    def erase(self) -> None:
        """One item of the kept backup goes, which is another one from now on. Too many sweeps at once: the next attempt goes on."""
        for _ in range(3):
            with suppress(RunTooLong):
                erased = erase(
                    self.bench.again(),
                    device="d1",
                    items=[("messages", erased_mark("d1", "messages", "m1-007"))],
                    request=bytes(16),
                    now=self.bench.now,
                )
                break
        self.assertEqual(set(erased.anew), {self.kept.id})
        self.kept = self.bench.again().manifest(erased.anew[self.kept.id])
        del self.content["messages", "m1-007"]

    def each_moment(self, work: Callable[[], object], act: Callable[[], object], step: int) -> int:
        """Let the other side act before each operation of the work; how often it could."""
        acted, at = 0, 1
        while True:
            self.setUp()
            self.blobs.set(at, act)
            with self.subTest(at=at):
                work()
                if self.blobs.act is not None:
                    return acted
                acted += 1
                self.whole(*self.made)
            at += step

    made: tuple[bytes | None, ...] = ()

    def test_another_sweep_at_any_moment_of_a_sweep(self):
        for grace in (0, 3600):
            work = lambda: [self.sweep(hours, grace) for hours in (0, 2, 4)]  # noqa: B023, E731
            self.assertGreater(self.each_moment(work, lambda: self.sweep(1, grace), 11), 8)  # noqa: B023

    def test_a_commit_at_any_moment_of_a_sweep(self):
        def act() -> None:
            self.made = (self.commit(),)

        for grace in (0, 3600):
            work = lambda: [self.sweep(hours, grace) for hours in (0, 2, 4)]  # noqa: B023, E731
            self.assertGreater(self.each_moment(work, act, 11), 8)
        self.made = ()

    def test_a_sweep_at_any_moment_of_a_commit(self):
        def work() -> None:
            self.made = (self.commit(),)

        for grace in (0, 3600):
            self.assertGreater(self.each_moment(work, lambda: self.sweep(1, grace), 2), 8)  # noqa: B023
        self.made = ()

    def test_erasing_at_any_moment_of_a_sweep(self):
        for grace in (0, 3600):
            work = lambda: [self.sweep(hours, grace) for hours in (0, 2, 4)]  # noqa: B023, E731
            self.assertGreater(self.each_moment(work, self.erase, 13), 8)

    def test_a_sweep_at_any_moment_of_erasing(self):
        for grace in (0, 3600):
            self.assertGreater(self.each_moment(self.erase, lambda: self.sweep(1, grace), 7), 8)  # noqa: B023

    def test_a_sweep_at_any_moment_of_a_check_is_no_damage(self):
        def work() -> None:
            self.assertEqual([(entry.object, entry.reason) for entry in check(self.bench.again(), percent=100).damaged], [])

        for grace in (0, 3600):
            self.assertGreater(self.each_moment(work, lambda: self.sweep(1, grace), 7), 8)  # noqa: B023

    def test_killed_at_any_operation_of_a_sweep(self):
        def die() -> None:
            raise Killed

        def work() -> None:
            with suppress(Killed):
                for hours in (0, 2, 4):
                    self.sweep(hours, 0 if hours else 3600)

        self.assertGreater(self.each_moment(work, die, 5), 15)

    def test_the_sweep_of_this_scene_does_bundle_anew(self):
        self.sweep()
        self.assertEqual(set(self.bench.again().revisions.now()), {self.kept.id})
        self.whole()
