"""Every point at which something can go wrong, one after another, during everything that changes a store.

After each: the check is clean, earlier backups restore byte for byte, and the same thing done again succeeds.
"""

import random
from collections.abc import Callable
from contextlib import suppress
from datetime import timedelta
from unittest import TestCase

from core.errors import AtticError
from core.vault.check import check
from core.vault.copying import copy
from core.vault.errors import WrongPassphrase
from core.vault.key_slots import add_passphrase, add_recovery_code, change_passphrase, remove_slot, slots
from core.vault.manifests import Manifest
from core.vault.memory import MemoryBlobs
from core.vault.opening import open_vault
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import LENIENT, PASSPHRASE, SMALL, Bench, MemoryDevice, contents
from core.vault.tests.faults import Fault, Faulty, Killed
from core.vault.vault import Vault

NEW = "ropes and a quiet harbour"
_MOST = 400


def small(seed: int) -> dict[tuple[str, str], bytes]:
    """Enough for several packs, a bundle, a database, two kinds."""
    source = random.Random(seed)
    held = {("contacts", f"c{n:02}"): b"person %d of %d" % (n, seed) for n in range(40)}
    held |= {("photos", f"p{n}"): source.randbytes(40_000) for n in range(3)}
    held["app_data", "a.sqlite"] = b"SQLite format 3\x00" + b"rows " * 15_000 + bytes([seed])
    return held


class Scene:
    """A store with two backups of one device and one of another, on blobs that can go wrong, and a second store."""

    def __init__(self) -> None:
        self.blobs = Faulty(MemoryBlobs())
        self.bench = Bench(self.blobs)
        self.twin = Bench(Faulty(MemoryBlobs()), seed=11, same_key_as=self.bench.vault)
        self.other = Bench(Faulty(MemoryBlobs()), seed=12)
        self.held: dict[bytes, dict[tuple[str, str], bytes]] = {}
        self.first = self.take(small(1))
        self.second = self.take(small(1) | {("photos", "p1"): b"changed" * 3000}, self.first)
        self.third = self.take(small(3), of="d2")
        self._state = [dict(bench.blobs.below.held) for bench in self.benches]  # type: ignore[attr-defined]
        self._now = self.bench.now

    @property
    def benches(self) -> list[Bench]:
        return [self.bench, self.twin, self.other]

    def take(self, content: dict[tuple[str, str], bytes], previous: Manifest | None = None, of: str = "d1") -> Manifest:
        manifest = self.bench.capture(MemoryDevice(dict(content)), previous, of=of).manifest
        self.held[manifest.id] = content
        return manifest

    def reset(self) -> None:
        for bench, state in zip(self.benches, self._state, strict=True):
            bench.blobs.heal()  # type: ignore[attr-defined]
            bench.blobs.below.held = dict(state)  # type: ignore[attr-defined]
        self.bench.now = self._now

    def assert_whole(self, test: TestCase, *, without: set[bytes] = frozenset()) -> None:  # type: ignore[assignment]
        report = check(self.bench.again(), percent=100)
        test.assertEqual([(entry.object, entry.reason) for entry in report.damaged], [])
        for id, content in self.held.items():
            if id not in without:
                vault = self.bench.again()
                test.assertEqual(contents(vault, vault.manifest(id)), content)


class EveryCrashPoint(TestCase):
    scene: Scene

    @classmethod
    def setUpClass(cls):
        cls.scene = Scene()

    def at_every_point(
        self,
        blobs: Faulty,
        work: Callable[[], object],
        *,
        done: Callable[[], None],
        without: set[bytes] | None = None,
        reorder: bool = False,
        step: int = 1,
    ) -> None:
        """`work` with every fault at every operation; `done` says that it has succeeded when done again. `step`: the process is
        killed between any two operations (before the one or after the other, by turns), other faults come at one of so many, each
        fault at others."""
        points = 0
        for number, fault in enumerate(Fault):
            killed = fault in (Fault.KILL, Fault.KILL_AFTER)
            every = min(step, 2) if killed else step
            for at in range(0 if killed else number % every, _MOST, every):
                self.scene.reset()
                blobs.set(fault, at)
                with suppress(Killed, AtticError):
                    work()
                happened = blobs.happened
                blobs.heal()
                if happened and reorder:
                    # what was deleted without being flushed may be there again, in any combination
                    for name, content in blobs.deleted.items():
                        if random.Random(f"{at} {name}").random() < 0.5:
                            with suppress(AtticError):
                                blobs.below.create(name, content)
                with self.subTest(fault=fault.value, operation=at):
                    self.scene.assert_whole(self, without=without or set())
                    work()
                    done()
                    self.scene.assert_whole(self, without=without or set())
                if not happened:
                    break
                points += 1
            else:
                self.fail("there is no end to it")
        self.assertGreater(points, 9)

    def test_backup(self):
        bench, content = self.scene.bench, small(1) | {("photos", "p2"): b"new" * 20_000, ("contacts", "c07"): b"other"}
        made: list[Manifest] = []

        def work() -> None:
            made[:] = [bench.capture(MemoryDevice(dict(content)), self.scene.second).manifest]

        self.at_every_point(
            self.scene.blobs, work, done=lambda: self.assertEqual(contents(vault := bench.again(), vault.manifest(made[0].id)), content)
        )

    def test_a_backup_done_again_uses_what_was_uploaded(self):
        bench, content = self.scene.bench, small(9)
        whole = 0
        for at in range(_MOST):
            self.scene.reset()
            self.scene.blobs.set(Fault.KILL, at)
            with suppress(Killed):
                bench.capture(MemoryDevice(dict(content)), self.scene.second)
            happened = self.scene.blobs.happened
            self.scene.blobs.heal()
            before = {name for name, _ in self.scene.blobs.list("packs/")}
            stored = bench.capture(MemoryDevice(dict(content)), self.scene.second).stored_bytes
            whole = max(whole, stored)
            uploaded = sum(size for name, size in self.scene.blobs.list("packs/") if name in before) - sum(
                len(content) for name, content in self.scene._state[0].items() if name.startswith("packs/")
            )
            self.assertLessEqual(stored, whole - max(0, uploaded - 3_000))
            if not happened:
                break

    def test_remove(self):
        bench, gone = self.scene.bench, self.scene.first.id
        self.at_every_point(
            self.scene.blobs,
            lambda: bench.again().remove(gone),
            done=lambda: self.assertNotIn(gone, bench.again().backup_ids()),
            without={gone},
            reorder=True,
        )

    def test_sweep(self):
        bench, gone = self.scene.bench, self.scene.third.id

        def work() -> None:
            bench.again().remove(gone)
            for hours in (0, 2, 4):
                sweep(bench.again(), now=bench.now + timedelta(hours=hours))

        def done() -> None:
            vault = bench.again()
            self.assertEqual(sweep(vault, now=bench.now + timedelta(hours=9)).marked_bytes, 0)
            packs = sum(size for name, size in bench.blobs.list("packs/"))
            needed = sum(len(content) for id, held in self.scene.held.items() if id != gone for content in held.values())
            self.assertLess(packs, needed)

        self.at_every_point(self.scene.blobs, work, done=done, without={gone}, reorder=True, step=3)

    def test_copy_with_the_same_key(self):
        self._copies(self.scene.twin)

    def test_copy_to_another_key(self):
        self._copies(self.scene.other)

    def _copies(self, target: Bench) -> None:
        def done() -> None:
            vault = target.again()
            for id, content in self.scene.held.items():
                self.assertEqual(contents(vault, vault.manifest(id)), content)
            self.assertTrue(check(target.again(), percent=100).ok)

        blobs: Faulty = target.blobs  # type: ignore[assignment]
        self.at_every_point(blobs, lambda: copy(self.scene.bench.again(), target.again()), done=done, step=3)

    def test_keys(self):
        bench = self.scene.bench

        def opened(passphrase: str) -> Vault:
            return open_vault(bench.blobs, passphrase=passphrase, random=bench.random, limits=SMALL, policy=LENIENT)

        def work() -> None:
            vault = bench.again()
            with suppress(WrongPassphrase):  # an earlier try may have got this far
                change_passphrase(vault, PASSPHRASE, NEW, now=bench.now, policy=LENIENT)
            added = add_passphrase(vault, "a third one, for a while", label="guest", now=bench.now, policy=LENIENT)
            add_recovery_code(vault, label="spare", now=bench.now)
            remove_slot(vault, added)

        def done() -> None:
            opened(NEW)
            with self.assertRaises(WrongPassphrase):
                opened(PASSPHRASE)
            self.assertIn("spare", [one.label for one in slots(bench.again())])

        self.at_every_point(self.scene.blobs, work, done=done, reorder=True, step=2)

    def test_somebody_can_open_the_store_at_every_moment(self):
        bench = self.scene.bench
        for fault in (Fault.KILL, Fault.KILL_AFTER):
            for at in range(40):
                self.scene.reset()
                self.scene.blobs.set(fault, at)
                with suppress(Killed):
                    change_passphrase(bench.again(), PASSPHRASE, NEW, now=bench.now, policy=LENIENT)
                self.scene.blobs.heal()
                able = 0
                for passphrase in (PASSPHRASE, NEW):
                    with suppress(WrongPassphrase):
                        open_vault(bench.blobs, passphrase=passphrase, random=bench.random, limits=SMALL, policy=LENIENT)
                        able += 1
                self.assertGreaterEqual(able, 1)
