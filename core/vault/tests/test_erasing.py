"""Items erased on request: no pack, list or manifest holds them any more, and everything else is what it was."""

import random
from datetime import timedelta
from itertools import count

from core.content.scope import erased_mark
from core.vault import blobs as names
from core.vault.capture import Capture, Request
from core.vault.check import check
from core.vault.copying import copy
from core.vault.erase import erase, holding, stands_for
from core.vault.erase_whole import erase_whole, lying_about
from core.vault.errors import Damaged, DeviceSealed, StoreUnreachable
from core.vault.memory import MemoryBlobs
from core.vault.packs import ids_of
from core.vault.sealed_devices import seal_device
from core.vault.sweep import plan_sweep, sweep
from core.vault.tests.bench_of_one import LENIENT, Bench, MemoryDevice, contents
from core.vault.tests.test_bundles import LIMITS, Scene
from core.vault.vault import Vault
from core.vault.writer import Writer

SECRET = ("messages", "a private one")
PHOTO = ("photos", "beach")
WORDS = b"meet me behind the harbour office at nine"
REQUEST = b"r" * 16


def marked(*items: tuple[str, str]) -> list[tuple[str, str]]:
    return [(kind, erased_mark("d1", kind, id)) for kind, id in items]


def everything_in(vault: Vault) -> bytes:
    """Every chunk of every pack opened, needed or not; every object that is no pack opened; and the names of devices' items
    below a second seal."""
    vault.refresh()
    seen = []
    for pack in vault.ids(names.PACKS):
        at, content = 0, vault.blobs.read(names.pack_name(pack))
        entries = vault.footer(pack, len(content))
        for chunk, length in zip(ids_of(entries), entries["sealed_bytes"].tolist(), strict=True):
            plain = vault.open_chunk(chunk, content[at : at + length])
            at += length
            seen.append(plain)
            for key in vault.device_keys:
                for part in (plain, plain[4 + 16 * int.from_bytes(plain[:4], "big") :]):
                    try:
                        seen.append(vault.inner_open(key, part))
                    except Damaged:
                        continue
    for name, _ in vault.blobs.list(names.MANIFESTS):
        seen.append(vault.read_object(name))
    return b"\n".join(seen)


class Erasing(Scene):
    def setUp(self):
        self.keys = {}
        super().setUp()
        self.photo = random.Random(9).randbytes(30_000)
        self.device.content |= {SECRET: WORDS, PHOTO: self.photo}
        self.take()
        self.thin(4)
        self.device.content |= {SECRET: WORDS}
        self.take()
        del self.device.content[SECRET]
        self.device.content["messages", "written later"] = b"nothing much, but it is mine"
        self.take()

    def capture(self) -> bytes:
        """A backup under the device's own key where it has one."""
        request = Request(device="d1", device_told={}, kinds=("messages", "photos"), note="", zone="UTC")
        writer = Writer(self.vault(), inner=next(iter(self.keys.values()), None))
        previous = self.manifest and self.vault().manifest(self.manifest.id)
        return Capture(self.device, writer, request, clock=lambda: self.bench.now).run(previous).manifest.id

    def take(self) -> bytes:
        self.manifest = self.vault().manifest(self.capture())
        self.kept[self.manifest.id] = dict(self.device.content)
        return self.manifest.id

    def leave_behind(self) -> None:
        """What a run that was killed has left, in a pack that the next run needs most of."""
        if self.device.content.pop(SECRET, None):
            self.take()
        self.device.content |= {SECRET: WORDS, ("photos", "new"): self.source.randbytes(55_000), ("messages", "x"): b"another"}
        orphan = self.capture()
        self.bench.blobs.delete(names.MANIFESTS + orphan.hex())
        self.bench.blobs.delete(names.SEEN + orphan.hex())
        del self.device.content[SECRET]
        self.take()

    def vault(self, bench: Bench | None = None) -> Vault:
        vault = (bench or self.bench).again()
        vault.device_keys |= self.keys
        return vault

    def erase(self, *items, bench: Bench | None = None, **more):
        vault = self.vault(bench)
        report = erase(vault, device="d1", items=marked(*items), request=REQUEST, now=self.bench.now, **more)
        for old, new in report.anew.items():
            if old in self.kept:
                self.kept[new] = {key: content for key, content in self.kept.pop(old).items() if key not in items}
        return report

    def sweep_through(self, bench: Bench | None = None):
        for _ in range(3):
            self.bench.now += timedelta(hours=2)
            sweep(self.vault(bench), now=self.bench.now)

    def whole(self, bench: Bench | None = None) -> None:
        bench = bench or self.bench
        self.assertEqual([(entry.object, entry.reason) for entry in check(self.vault(bench), percent=100).damaged], [])
        vault = self.vault(bench)
        self.assertEqual({manifest.id for manifest in vault.manifests()}, set(self.kept))
        for id, content in self.kept.items():
            manifest = vault.manifest(id)
            self.assertEqual(contents(vault, manifest), content)
            self.assertEqual(manifest.items, len(content))
            self.assertEqual(manifest.size_bytes, sum(map(len, content.values())))

    def gone(self, *needles: bytes, bench: Bench | None = None) -> None:
        held = everything_in(self.vault(bench))
        self.assertEqual([needle[:20] for needle in needles if needle in held], [])


class NothingIsLeft(Erasing):
    def test_of_a_tiny_item_that_shared_its_bundle(self):
        self.assertIn(WORDS, everything_in(self.bench.again()))
        report = self.erase(SECRET)
        self.assertEqual((report.items, len(report.anew), report.untouched), (2, 2, []))
        self.whole()
        self.sweep_through()
        self.gone(WORDS, b"a private one")
        self.whole()
        self.assertEqual(list(self.bench.blobs.list(names.ERASED)), [], "a note that has done its work goes")

    def test_of_a_large_item_with_little_else_in_its_packs(self):
        report = self.erase(PHOTO)
        self.assertEqual((report.items, len(report.anew)), (3, 3))
        self.sweep_through()
        self.gone(self.photo[:4000], self.photo[-4000:], b"beach")
        self.whole()

    def test_though_the_rest_of_the_pack_is_needed(self):
        """Without the note a sweep leaves a pack of which so little is dead."""
        blobs = self.bench.blobs
        self.erase(SECRET)
        for name, _ in list(blobs.list(names.ERASED)):
            blobs.delete(name)
        self.sweep_through()
        self.assertIn(b"a private one", everything_in(self.bench.again()))

    def test_of_what_an_interrupted_run_has_left(self):
        self.leave_behind()
        self.erase(SECRET)
        self.sweep_through()
        self.gone(WORDS, b"a private one")
        self.whole()

    def test_of_a_sealed_device(self):
        vault = self.bench.again()
        keys, _ = seal_device(vault, "d1", "its own passphrase", now=self.bench.now, policy=LENIENT)
        self.keys = {keys.id: keys}
        few = {key: held for n, (key, held) in enumerate(sorted(self.device.content.items())) if n % 5 == 0 or key[0] == "photos"}
        self.device.content = few | {SECRET: WORDS, PHOTO: self.photo}
        before = set(self.kept)
        for words in (WORDS, WORDS + b" sharp"):
            self.device.content["messages", "beside"] = words[::-1]
            self.take()
        self.leave_behind()
        with self.assertRaises(DeviceSealed):
            erase(self.bench.again(), device="d1", items=marked(SECRET), request=REQUEST, now=self.bench.now)
        self.assertEqual(set(self.kept) - before, set(self.bench.again().backup_ids()) - before, "nothing was lost")
        self.assertIn(WORDS, everything_in(self.vault()))
        self.erase(SECRET)
        self.sweep_through()
        self.gone(WORDS, b"a private one")
        self.whole()


class WhatStays(Erasing):
    def test_a_moment_keeps_its_date_its_device_and_its_place(self):
        old = self.bench.again().manifest(self.manifest.id)
        self.erase(PHOTO)
        new = self.bench.again().manifest(stands_for(REQUEST, old.id))
        same = ("device", "device_told", "note", "started_at", "finished_at", "zone", "sealed")
        self.assertEqual([getattr(new, name) for name in same], [getattr(old, name) for name in same])
        self.assertEqual(new.rest["anew"]["of"], old.id.hex())
        self.assertNotIn(old.id, self.bench.again().backup_ids())

    def test_the_same_content_of_another_item_and_of_another_device(self):
        self.device.content["photos", "a twin"] = self.photo
        self.take()
        other = MemoryDevice({("photos", "theirs"): self.photo})
        theirs = self.bench.capture(other, of="d2").manifest.id
        report = self.erase(PHOTO)
        self.assertEqual(set(report.needed_by), {"d1", "d2"})
        self.sweep_through()
        self.kept[theirs] = dict(other.content)
        self.whole()
        self.assertTrue(list(self.bench.blobs.list(names.ERASED)), "what others need stays noted until they do not")

    def test_a_backup_that_must_not_be_touched(self):
        held = next(id for id, content in self.kept.items() if SECRET in content)
        report = self.erase(SECRET, claim=lambda backups: backups - {held})
        self.assertEqual((report.untouched, report.items), ([held], 1))
        self.sweep_through()
        self.whole()
        self.assertEqual(self.erase(SECRET).items, 1)
        self.sweep_through()
        self.gone(WORDS, b"a private one")
        self.whole()

    def test_what_it_finds_is_told_beforehand(self):
        holders = holding(self.bench.again(), device="d1", items=marked(SECRET, PHOTO))
        self.assertEqual(sorted(holders.values()), [1, 2, 2])
        self.assertEqual(holding(self.bench.again(), device="d2", items=marked(SECRET)), {})

    def test_the_next_run_builds_on_what_was_written_anew(self):
        self.erase(PHOTO)
        del self.device.content[PHOTO]
        last = self.bench.again().manifest(stands_for(REQUEST, self.manifest.id))
        taken = self.bench.capture(self.device, last)
        self.assertEqual(taken.read_bytes, 0)

    def test_a_dry_run_tells_what_a_sweep_will_leave(self):
        self.erase(SECRET, PHOTO)
        sweep = plan_sweep(self.bench.again())
        self.sweep_through()
        self.assertEqual(sweep.kept_bytes, self.stored())


class WholeBackups(Erasing):
    def test_all_of_a_device_goes_but_for_what_another_one_needs_too(self):
        other = MemoryDevice({("photos", "theirs"): self.photo})
        theirs = self.bench.capture(other, of="d2").manifest.id
        self.device.content["messages", "only here"] = WORDS[::-1]
        self.take()
        self.leave_behind()
        needed = erase_whole(self.vault(), list(self.kept), now=self.bench.now)
        self.assertEqual(list(needed), ["d2"])
        self.assertGreater(lying_about(self.vault()), 0)
        self.sweep_through()
        self.assertEqual(lying_about(self.vault()), 0)
        self.gone(WORDS, WORDS[::-1], b"a private one")
        self.kept = {theirs: dict(other.content)}
        self.whole()
        self.assertEqual(list(self.bench.blobs.list(names.ERASED)), [])

    def test_a_pack_of_which_little_is_theirs_goes_all_the_same(self):
        """The last moment differs from the one before in one short message: a sweep would leave its pack."""
        self.device.content["messages", "last"] = WORDS * 2
        last = self.take()
        erase_whole(self.vault(), [last], now=self.bench.now)
        del self.kept[last]
        self.sweep_through()
        self.gone(WORDS * 2)
        self.whole()


class TwoStores(Erasing):
    def test_the_same_moment_has_the_same_id_in_both(self):
        other = Bench(limits=LIMITS, seed=8, same_key_as=self.bench.vault)
        copy(self.bench.again(), other.again())
        before = dict(self.kept)
        first = self.erase(SECRET)
        after, self.kept = self.kept, before
        second = self.erase(SECRET, bench=other)
        self.assertEqual(first.anew, second.anew)
        self.assertEqual(self.kept.keys(), after.keys())
        self.sweep_through(other)
        self.gone(WORDS, b"a private one", bench=other)
        self.whole(other)

    def test_one_that_came_from_the_other_store_is_not_written_again(self):
        other = Bench(limits=LIMITS, seed=8, same_key_as=self.bench.vault)
        copy(self.bench.again(), other.again())
        before = dict(self.kept)
        self.erase(SECRET)
        copy(self.bench.again(), other.again())
        self.kept = before
        self.erase(SECRET, bench=other)
        self.sweep_through(other)
        self.gone(WORDS, b"a private one", bench=other)
        self.whole(other)


class CutBlobs(MemoryBlobs):
    """Stops answering after so many changes."""

    def __init__(self, held: dict[str, bytes], left: int) -> None:
        super().__init__()
        self.held, self.left = dict(held), left

    def _spend(self) -> None:
        self.left -= 1
        if self.left < 0:
            raise StoreUnreachable("The store went away.")

    def create(self, name, content):
        self._spend()
        super().create(name, content)

    def delete(self, name):
        self._spend()
        super().delete(name)


class Interrupted(Erasing):
    def test_after_every_change_it_can_be_gone_on_with(self):
        start, kept = dict(self.bench.blobs.held), dict(self.kept)
        for left in count():
            self.bench.blobs, self.kept = CutBlobs(start, left), dict(kept)
            try:
                self.erase(SECRET, PHOTO)
                break
            except StoreUnreachable:
                pass
            cut = self.bench.blobs
            cut.left = 10**9
            held = {id: contents(self.bench.again(), self.bench.again().manifest(id)) for id in self.bench.again().backup_ids()}
            for id, content in kept.items():
                anew = stands_for(REQUEST, id)
                self.assertTrue(id in held or anew in held, "every moment is there, as it was or anew")
                if anew in held:
                    self.assertEqual(held[anew], {key: value for key, value in content.items() if key not in (SECRET, PHOTO)})
            with self.subTest(left=left):
                erase(self.bench.again(), device="d1", items=marked(SECRET, PHOTO), request=REQUEST, now=self.bench.now)
                self.kept = {
                    stands_for(REQUEST, id) if SECRET in content or PHOTO in content else id: {
                        key: value for key, value in content.items() if key not in (SECRET, PHOTO)
                    }
                    for id, content in kept.items()
                }
                self.sweep_through()
                self.gone(WORDS, b"a private one", self.photo[:4000])
                self.whole()
        self.assertGreater(left, 10)
