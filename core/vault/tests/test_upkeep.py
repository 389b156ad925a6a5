"""Copies, repair, accounts and dry runs over small stores."""

import random
from datetime import timedelta
from unittest import TestCase, mock

from core.vault import blobs as names
from core.vault.accounting import Accounts
from core.vault.check import check, note_damage
from core.vault.chunks import VaultLimits
from core.vault.copying import copy
from core.vault.errors import Damaged, NoSuchBackup, Stopped
from core.vault.memory import MemoryBlobs
from core.vault.repair import missing_chunks, repair
from core.vault.sweep import plan_sweep, sweep
from core.vault.tests.bench_of_one import Bench, MemoryDevice, contents, phone
from core.vault.vault import Vault


class Scene(TestCase):
    def setUp(self):
        self.bench = Bench()
        self.device = MemoryDevice(phone())
        self.first = self.bench.capture(self.device).manifest
        self.device.content["photos", "p1"] = random.Random(77).randbytes(30_000)
        self.second = self.bench.capture(self.device, self.first).manifest
        self.third = self.bench.capture(MemoryDevice(phone(3)), of="d2").manifest
        self.held = {self.first.id: phone(), self.second.id: dict(self.device.content), self.third.id: phone(3)}

    def assert_same(self, bench: Bench, ids: list[bytes] | None = None) -> None:
        for id in ids or list(self.held):
            vault = bench.again()
            self.assertEqual(contents(vault, vault.manifest(id)), self.held[id])

    def hurt(self, bench: Bench, name: str, at: int = 50) -> None:
        good = bench.blobs.held[name]
        bench.blobs.held[name] = good[:at] + bytes([good[at] ^ 1]) + good[at + 1 :]

    def packs(self, bench: Bench) -> list[str]:
        return sorted(name for name in bench.blobs.held if name.startswith(names.PACKS))


class Copies(Scene):
    def test_to_a_twin_moves_sealed_chunks_as_they_are(self):
        twin = Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault)
        report = copy(self.bench.again(), twin.again())
        self.assertEqual(report.copied, [self.first.id, self.second.id, self.third.id])
        self.assert_same(twin)
        vaults = self.bench.again(), twin.again()
        for vault in vaults:
            vault.refresh()
        for chunk in vaults[0].branches(self.first.summary("photos")):
            self.assertEqual(vaults[0].sealed_chunk(chunk), vaults[1].sealed_chunk(chunk))

    def test_to_another_key_has_other_ids_and_the_same_content(self):
        other = Bench(seed=6)
        copy(self.bench.again(), other.again())
        self.assert_same(other)
        vault = other.again()
        self.assertFalse(set(vault.manifest(self.first.id).summary("photos").tops) & set(self.first.summary("photos").tops))
        self.assertTrue(check(vault, percent=100).ok)

    def test_what_the_source_lacks_is_told_and_nothing_that_is_not_whole_arrives(self):
        """A pack that is gone without a word: what it held stands in no list of damage."""
        for target in (Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault), Bench(seed=6)):
            source = Bench(MemoryBlobs(), seed=8, same_key_as=self.bench.vault)
            copy(self.bench.again(), source.again())
            before = source.again()
            before.refresh()
            photo = next(one for one in before.items(before.manifest(self.first.id), "photos") if one.spans)
            place = before.index.place(photo.spans[0].chunk)
            source.blobs.delete(names.pack_name(place.pack))
            report = copy(source.again(), target.again())
            self.assertIn(self.first.id, report.damaged)
            self.assertFalse(set(report.copied) & set(report.damaged))
            self.assertEqual(set(target.again().backup_ids()), set(report.copied))
            self.assertTrue(check(target.again(), percent=100).ok, "what has arrived is whole")

    def test_again_sends_nothing(self):
        for target in (Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault), Bench(seed=6)):
            copy(self.bench.again(), target.again())
            again = copy(self.bench.again(), target.again())
            self.assertEqual((again.copied, again.sent_bytes), ([], 0))

    def test_only_what_was_chosen_and_what_is_missing_goes(self):
        twin = Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault)
        copy(self.bench.again(), twin.again(), backups=[self.second.id])
        self.assertEqual(twin.again().backup_ids(), [self.second.id])
        rest = copy(self.bench.again(), twin.again(), backups=[self.first.id])
        self.assertLess(rest.sent_bytes, 60_000)
        self.assert_same(twin, [self.first.id, self.second.id])
        self.assertTrue(check(twin.again(), percent=100).ok, "a copy that lacks an older backup is whole")

    def test_what_the_target_lacks_is_told_beforehand_to_the_byte(self):
        for twin in (Bench(same_key_as=self.bench.vault, seed=9), Bench(seed=9)):
            copy(self.bench.again(), twin.again(), backups=[self.first.id])
            before = self.sealed_in(twin)
            seen: list[int] = []
            copy(self.bench.again(), twin.again(), admit=seen.append)
            again: list[int] = []
            copy(self.bench.again(), twin.again(), admit=again.append)
            gained = self.sealed_in(twin) - before
            shared = twin.vault.keys.id == self.bench.vault.keys.id
            self.assertEqual(again, [0])
            self.assertTrue(seen == [gained] if shared else seen[0] >= gained > 0, (seen, gained, shared))

    def sealed_in(self, bench: Bench) -> int:
        """Sealed bytes of all chunks, without what packs and lists need besides."""
        vault = bench.again()
        vault.refresh()
        return int(vault.index.lengths.sum())

    def test_one_that_is_not_admitted_writes_nothing(self):
        twin = Bench(same_key_as=self.bench.vault, seed=9)
        before = dict(twin.blobs.held)

        def refuse(lacking_bytes: int) -> None:
            raise Stopped(str(lacking_bytes))

        with self.assertRaises(Stopped):
            copy(self.bench.again(), twin.again(), admit=refuse)
        self.assertEqual(twin.blobs.held, before)

    def test_stopped_and_gone_on_with_sends_nothing_twice(self):
        whole = copy(self.bench.again(), Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault).again()).sent_bytes
        twin = Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault)
        seen: list[tuple[int, int]] = []
        with self.assertRaises(Stopped):
            copy(
                self.bench.again(), twin.again(),
                on_progress=lambda done, total: seen.append((done, total)), should_stop=lambda: bool(seen) and seen[-1][0] > 150_000,
            )  # fmt: skip
        sent = sum(len(twin.blobs.held[name]) for name in self.packs(twin))
        self.assertGreater(sent, 100_000)
        rest = copy(self.bench.again(), twin.again()).sent_bytes
        self.assertLess(rest, whole - sent + 5_000)
        self.assert_same(twin)
        self.assertTrue(all(done <= total for done, total in seen))

    def test_damage_does_not_spread(self):
        for name in self.packs(self.bench):
            self.hurt(self.bench, name)
        twin = Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault)
        report = copy(self.bench.again(), twin.again())
        self.assertEqual(report.copied, [])
        self.assertEqual(set(report.damaged), set(self.held))
        self.assertTrue(check(twin.again(), percent=100).ok)

    def test_one_damaged_photo_stops_the_backups_that_need_it_and_no_other(self):
        vault = self.bench.again()
        vault.refresh()
        chunk = vault.item(self.third, "photos", "p2").spans[0].chunk
        place = vault.index.place(chunk)
        self.hurt(self.bench, names.pack_name(place.pack), place.offset + 100)
        for target in (Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault), Bench(seed=6)):
            report = copy(self.bench.again(), target.again())
            self.assertEqual((report.copied, set(report.damaged)), ([self.first.id, self.second.id], {self.third.id}))
            self.assert_same(target, [self.first.id, self.second.id])
            self.assertTrue(check(target.again(), percent=100).ok)

    def test_one_that_is_removed_while_all_are_copied_is_passed_over(self):
        twin = Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault)
        source = self.bench.again()
        listed = source.backup_ids()
        self.bench.again().remove(self.first.id)
        with mock.patch.object(Vault, "backup_ids", lambda vault: listed if vault is source else []):
            self.assertEqual(set(copy(source, twin.again()).copied), {self.second.id, self.third.id})

    def test_a_backup_that_is_not_there(self):
        with self.assertRaises(NoSuchBackup):
            copy(self.bench.again(), Bench(seed=6).again(), backups=[bytes(16)])


class Repairs(Scene):
    def noted(self) -> set[bytes]:
        vault = self.bench.again()
        report = check(vault, percent=100)
        note_damage(vault, report)
        return missing_chunks(self.bench.again())

    def test_the_check_names_backups_devices_and_items_and_the_rest_restores(self):
        vault = self.bench.again()
        vault.refresh()
        chunk = next(iter(vault.items(self.third, "photos"))).spans[0].chunk
        place = vault.index.place(chunk)
        self.hurt(self.bench, names.pack_name(place.pack), place.offset + 40)
        (report,) = check(self.bench.again(), percent=100).damaged
        self.assertEqual(
            (report.object, report.backups, report.items), (names.pack_name(place.pack), {self.third.id.hex()}, {("photos", "p0")})
        )
        self.assertEqual(report.devices, {"H1"})
        self.assert_same(self.bench, [self.first.id, self.second.id])

    def test_from_a_twin_everything_comes_back(self):
        self._mended(Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault))

    def test_from_a_store_with_another_key_everything_comes_back(self):
        self._mended(Bench(seed=6))

    def _mended(self, other: Bench) -> None:
        copy(self.bench.again(), other.again())
        for name in self.packs(self.bench):
            for at in (50, len(self.bench.blobs.held[name]) // 2, len(self.bench.blobs.held[name]) - 400):
                self.hurt(self.bench, name, at)
        del self.bench.blobs.held[self.packs(self.bench)[0]]
        self.hurt(self.bench, names.MANIFESTS + self.first.id.hex())
        del self.bench.blobs.held[names.MANIFESTS + self.second.id.hex()]
        self.noted()
        report = repair(self.bench.again(), other.again())
        self.assertEqual((report.left, report.mended_manifests), ([], 2))
        self.assertGreater(report.mended_chunks, 3)
        self.assert_same(self.bench)
        for hours in (0, 2, 4):
            sweep(self.bench.again(), now=self.bench.now + timedelta(hours=hours))
        self.assert_same(self.bench)
        self.assertEqual([entry.object for entry in check(self.bench.again(), percent=100).damaged], [])
        self.assertFalse([name for name in self.bench.blobs.held if name.startswith(names.DAMAGE)])

    def test_what_the_other_store_lacks_is_told(self):
        other = Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault)
        copy(self.bench.again(), other.again(), backups=[self.first.id])
        for name in self.packs(self.bench):
            self.hurt(self.bench, name)
        self.noted()
        left = repair(self.bench.again(), other.again()).left
        self.assertIn(self.third.id, left)
        self.assertNotIn(self.first.id, left)

    def test_from_the_device_at_its_next_run(self):
        for name in self.packs(self.bench):
            self.hurt(self.bench, name)
        self.assertGreater(len(self.noted()), 2)
        self.bench.capture(self.device, self.second)
        self.bench.capture(MemoryDevice(phone(3)), self.third, of="d2")
        # the photo that the device no longer has is the only thing that stays lost
        report = check(self.bench.again(), percent=100)
        lost = {item for entry in report.damaged for item in entry.items}
        self.assertLessEqual(lost, {("photos", "p1")})
        self.assert_same(self.bench, [self.second.id, self.third.id])

    def test_a_new_backup_does_not_rely_on_noted_damage(self):
        for name in self.packs(self.bench):
            self.hurt(self.bench, name)
        self.noted()
        again = self.bench.capture(MemoryDevice(phone(3)), of="d9").manifest
        self.assertEqual(contents(vault := self.bench.again(), vault.manifest(again.id)), phone(3))

    def test_damage_that_is_not_noted_is_found_when_somebody_reads(self):
        for name in self.packs(self.bench):
            self.hurt(self.bench, name)
        with self.assertRaises(Damaged):
            contents(self.bench.again(), self.third)

    def test_what_is_whole_again_is_no_longer_held_against_the_pack(self):
        good = dict(self.bench.blobs.held)
        for name in self.packs(self.bench):
            self.hurt(self.bench, name)
        self.noted()
        for name in self.packs(self.bench):
            self.bench.blobs.held[name] = good[name]
        vault = self.bench.again()
        report = check(vault, percent=100)
        self.assertTrue(report.ok)
        note_damage(vault, report)
        self.assertTrue(check(self.bench.again()).ok)
        self.assert_same(self.bench)


class AccountsAreExact(Scene):
    def test_against_sets_of_chunks(self):
        vault = self.bench.again()
        accounts = Accounts(vault)
        needs = {}
        for manifest in vault.manifests():
            chunks = set()
            for summary in manifest.kinds:
                chunks |= set(summary.tops)
                chunks |= {span.chunk for stored in vault.items(manifest, summary.kind) for span in stored.spans}
            needs[manifest.id] = {chunk: vault.index.place(chunk).sealed_bytes for chunk in chunks}
        roots = vault.ids(names.MANIFESTS)
        ids = list(self.held)
        for pick in range(1, 8):
            chosen = [id for n, id in enumerate(ids) if pick >> n & 1]
            mine = {chunk: size for id in chosen for chunk, size in needs[id].items()}
            others = {chunk for id in ids if id not in chosen for chunk in needs[id]}
            root = sum(roots[id] for id in chosen)
            usage = accounts.usage(chosen)
            self.assertEqual(usage.stored_bytes, sum(mine.values()) + root)
            self.assertEqual(usage.alone_bytes, sum(size for chunk, size in mine.items() if chunk not in others) + root)
            self.assertEqual(usage.alone_bytes + usage.shared_bytes, usage.stored_bytes)

    def test_an_unknown_backup(self):
        with self.assertRaises(NoSuchBackup):
            Accounts(self.bench.again()).usage([bytes(16)])

    def test_removing_frees_what_was_said_up_to_footers(self):
        alone = Accounts(self.bench.again()).usage([self.third.id]).alone_bytes
        self.bench.vault.remove(self.third.id)
        freed = plan_sweep(self.bench.again()).freed_bytes
        root = 1_000
        self.assertLess(abs(freed - alone), root + 20 * 200)


class DryRuns(Scene):
    def packed(self) -> int:
        return sum(len(self.bench.blobs.held[name]) for name in self.packs(self.bench))

    def test_tell_exactly_what_is_freed_in_one_go_and_step_by_step(self):
        for grace in (0, 3600):
            self.setUp()
            self.bench.vault.remove(self.third.id)
            self.bench.vault.remove(self.first.id)
            before, planned = self.packed(), plan_sweep(self.bench.again())
            self.assertGreater(planned.freed_bytes, 100_000)
            now = self.bench.now
            freed = sweep(self.bench.again(), now=now, grace_seconds=grace).freed_bytes
            if grace:
                self.assertEqual(freed, 0)
                self.assertEqual(plan_sweep(self.bench.again()).freed_bytes, planned.freed_bytes)
                self.assertEqual(sweep(self.bench.again(), now=now + timedelta(hours=2), grace_seconds=grace).freed_bytes, 0)
                self.assertEqual(plan_sweep(self.bench.again()).freed_bytes, planned.freed_bytes)
                freed = sweep(self.bench.again(), now=now + timedelta(hours=4), grace_seconds=grace).freed_bytes
            self.assertEqual(freed, planned.freed_bytes)
            self.assertEqual(before - self.packed(), planned.freed_bytes)
            self.assertEqual(plan_sweep(self.bench.again()).freed_bytes, 0)
            self.assert_same(self.bench, [self.second.id])

    def test_change_nothing(self):
        self.bench.vault.remove(self.third.id)
        before = dict(self.bench.blobs.held)
        plan_sweep(self.bench.again())
        self.assertEqual(self.bench.blobs.held, before)

    def test_the_threshold_is_a_setting(self):
        freed = []
        for waste_percent in (1, 99):
            bench = Bench(limits=VaultLimits(pack_bytes=1 << 20, waste_percent=waste_percent))
            one = bench.capture(MemoryDevice({("photos", "p"): random.Random(1).randbytes(50_000)} | phone(8))).manifest
            bench.capture(MemoryDevice(phone(8)), of="d2")
            bench.vault.remove(one.id)
            freed.append(plan_sweep(bench.again()).freed_bytes)
        self.assertGreater(freed[0], 45_000)
        self.assertEqual(freed[1], 0)

    def test_many_small_packs_are_put_together(self):
        bench = Bench(limits=VaultLimits(pack_bytes=1 << 20, most_small_packs=5))
        device, manifest = MemoryDevice({}), None
        for n in range(9):
            device.content["contacts", f"c{n}"] = b"person %d" % n
            manifest = bench.capture(device, manifest).manifest
        self.assertEqual(len(self.packs(bench)), 9)
        for hours in (0, 1, 2, 4):
            sweep(bench.again(), now=bench.now + timedelta(hours=hours), grace_seconds=3600)
        self.assertEqual(len(self.packs(bench)), 1, "what had been put together was put together again and again")
        self.assertEqual(contents(bench.again(), manifest), device.content)
