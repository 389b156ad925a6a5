"""Removable drives as real file systems: found by what lies on them, and pulled out at every operation."""

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta
from pathlib import Path
from unittest import TestCase

from adapters.stores.drives import Drives
from adapters.stores.folder import FolderBlobs
from checks.contracts.mounts import LoopDrive
from core.vault.blobs import Content, Keeps
from core.vault.check import check
from core.vault.copying import copy
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import SMALL, Bench, MemoryDevice, contents, phone
from core.vault.vault import Vault


class FoundByWhatLiesOnThem(TestCase):
    def setUp(self) -> None:
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.place = Path(place.name).resolve()
        self.drives = Drives([self.place])

    def vault_in(self, folder: Path, seed: int) -> str:
        folder.mkdir(parents=True, exist_ok=True)
        return Bench(FolderBlobs(folder), seed=seed).vault.store.hex()

    def seen(self, *known: str) -> dict[str, str]:
        return {one.path: one.store for one in self.drives.sightings(known)}

    def test_below_the_places_of_mounts_and_at_known_paths(self):
        blue, red = self.vault_in(self.place / "ines" / "blue" / "attic", 1), self.vault_in(self.place / "red", 2)
        with tempfile.TemporaryDirectory() as elsewhere:
            green = self.vault_in(Path(elsewhere) / "green", 3)
            seen = self.seen(f"{elsewhere}/green", str(self.place / "red"))
            self.assertEqual(sorted(seen.values()), sorted([blue, red, green]))
            self.assertEqual(seen[str(self.place / "red")], red)

    def test_swapped_at_one_mount_point(self):
        one, two = LoopDrive.made(self, 8), LoopDrive.made(self, 8)
        at = self.place / "drive"
        one.plug_in(at)
        blue = self.vault_in(at / "attic", 1)
        self.assertEqual(list(self.seen().values()), [blue])
        one.take_out()
        self.assertEqual(self.seen(), {})
        two.plug_in(at)
        red = self.vault_in(at / "attic", 2)
        self.assertEqual((list(self.seen().values()), blue == red), ([red], False))

    def test_what_is_no_vault_is_none_and_nothing_hangs(self):
        for name, make in (
            ("pipe", lambda at: os.mkfifo(at)),
            ("garbage", lambda at: at.write_bytes(os.urandom(100_000))),
            ("text", lambda at: at.write_text('{"format": "something else"}')),
            ("folder", lambda at: at.mkdir()),
            ("link", lambda at: at.symlink_to("/dev/zero")),
        ):
            (self.place / name).mkdir()
            make(self.place / name / "header")
        (self.place / "round").symlink_to(self.place)
        self.assertEqual(self.seen(str(self.place / "nothing"), "\udcff/not there"), {})

    def test_what_somebody_hangs_full_of_folders_is_looked_into_only_so_far(self):
        for n in range(2100):
            (self.place / f"{n:04}").mkdir()
        self.vault_in(self.place / "9999", 1)
        self.assertEqual(self.seen(), {})

    def test_a_program_that_holds_it_is_named(self):
        (self.place / "film").write_bytes(b"x")
        self.assertEqual(self.drives.holders(str(self.place)), [])
        with subprocess.Popen([sys.executable, "-c", "import sys; f = open(sys.argv[1]); print(1, flush=True); sys.stdin.read()", str(self.place / "film")],
                              stdin=subprocess.PIPE, stdout=subprocess.PIPE) as other:  # fmt: skip
            assert other.stdout is not None and other.stdin is not None
            other.stdout.readline()
            self.assertEqual(len(self.drives.holders(str(self.place))), 1)
            other.stdin.close()
            other.wait()
        self.assertEqual(self.drives.holders(str(self.place)), [])


class Counted:
    """Passes on to the drive, and calls `before` each change with its number."""

    parallel = 1

    def __init__(self, below: FolderBlobs, before: Callable[[int], None]) -> None:
        self._below, self._before, self._count = below, before, 0

    def _change(self) -> None:
        self._before(self._count)
        self._count += 1

    def create(self, name: str, content: Content) -> None:
        self._change()
        self._below.create(name, content)

    def delete(self, name: str) -> None:
        self._change()
        self._below.delete(name)

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        return self._below.read(name, offset=offset, length=length)

    def list(self, prefix: str) -> Iterator[tuple[str, int]]:
        return self._below.list(prefix)

    def dated(self, name: str) -> datetime | None:
        return None

    def clock(self) -> datetime | None:
        return None

    def keeps(self) -> Keeps:
        return Keeps.NOTHING

    def free_bytes(self) -> int | None:
        return self._below.free_bytes()


class PulledOut(TestCase):
    """At every change, by taking what lies on the medium at that instant: a file system with a journal, nothing flushed but what was asked."""

    def setUp(self) -> None:
        self.source = Bench()
        first = self.source.capture(MemoryDevice(phone())).manifest
        second = self.source.capture(MemoryDevice(phone() | {("photos", "new"): os.urandom(90_000)}), first).manifest
        self.backups = [first, second]
        self.told = {one.id: contents(self.source.again(), one) for one in self.backups}
        self.drive = LoopDrive.made(self)
        self.root = self.drive.plug_in() / "attic"
        self.root.mkdir()
        self.target = Bench(FolderBlobs(self.root), seed=8, same_key_as=self.source.vault)

    def on(self, root: Path, before: Callable[[int], None] = lambda number: None) -> Vault:
        blobs = Counted(FolderBlobs(root), before)
        vault = Vault(blobs, self.target.vault.keys, store=self.target.vault.store, random=self.target.random, limits=SMALL)
        vault.refresh()
        return vault

    def pulled(self, work: Callable[[Vault], object]) -> list[LoopDrive]:
        """What was on the medium before each change of the work, and after the last."""
        seen: list[LoopDrive] = []
        work(self.on(self.root, lambda number: seen.append(self.drive.pulled_out_now())))
        return [*seen, self.drive.pulled_out_now()]

    def whole(self, drive: LoopDrive) -> set[bytes]:
        """Which backups it lists; each of them gives everything back."""
        vault = self.on(drive.plug_in() / "attic")
        listed = set(vault.backup_ids())
        for manifest in vault.manifests():
            self.assertEqual(contents(vault, manifest), self.told[manifest.id])
        self.assertEqual([one.object for one in check(vault, percent=100).damaged], [])
        drive.take_out()
        return listed

    def send(self, vault: Vault) -> None:
        source = self.source.again()
        source.refresh()
        copy(source, vault, backups=[one.id for one in self.backups])

    def test_while_copies_are_written_what_is_listed_is_whole_and_the_rest_follows(self):
        states = self.pulled(self.send)
        self.assertGreater(len(states), 4)
        seen = [self.whole(state) for state in states]
        self.assertEqual((seen[0], seen[-1]), (set(), set(self.told)), "nothing at first, and everything was flushed at the end")
        again = states[len(states) // 2]
        self.send(self.on(again.plug_in() / "attic"))
        again.take_out()
        self.assertEqual(self.whole(again), set(self.told))

    def test_while_backups_are_removed_and_swept_what_is_listed_is_whole(self):
        self.send(self.on(self.root))
        kept = self.backups[1].id

        def removing(vault: Vault) -> None:
            vault.remove(self.backups[0].id)
            for hours in (0, 2, 4):
                sweep(vault, now=self.source.now + timedelta(hours=hours))

        for state in self.pulled(removing):
            self.assertIn(kept, self.whole(state))
