"""One flipped bit, in every kind of object and at many places: always found, never a wrong byte, never an uncaught exception."""

import random
from contextlib import suppress
from unittest import TestCase

from core.errors import AtticError
from core.vault import blobs as names
from core.vault.check import check, note_damage
from core.vault.errors import Damaged, NoSuchBackup
from core.vault.ledger import begin_stay
from core.vault.memory import MemoryBlobs
from core.vault.opening import open_vault
from core.vault.revisions import Revision, encoded
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import LENIENT, PASSPHRASE, SMALL, Bench, MemoryDevice, phone

PLACES = 12


class EveryFlippedBit(TestCase):
    def setUp(self):
        self.bench = Bench()
        device = MemoryDevice(phone())
        first = self.bench.capture(device).manifest
        device.content["contacts", "c007"] = b"changed"
        second = self.bench.capture(device, first).manifest
        third = self.bench.capture(MemoryDevice(phone(5)), of="d2").manifest
        self.held = {first.id: phone(), second.id: dict(device.content), third.id: phone(5)}
        gone = self.bench.capture(MemoryDevice(phone(6)), of="d3").manifest
        self.bench.vault.remove(gone.id)
        sweep(self.bench.again(), now=self.bench.now)  # leaves a mark and a ledger
        # a true note of damage, of a pack that nobody needs any more
        self.hurt_and_note()
        last = self.bench.capture(MemoryDevice(phone(7)), of="d4").manifest
        self.bench.vault.remove(last.id)
        begin_stay(self.bench.again(), last.id)
        newest = self.bench.capture(device, second).manifest
        self.held[newest.id] = dict(device.content)
        tops = {summary.kind: summary.tops for summary in newest.kinds}
        self.bench.again().write_object(names.REVISIONS, encoded({newest.id: Revision(number=1, stay=1, tops=tops)}))
        self.state = dict(self.bench.blobs.held)

    def hurt_and_note(self):
        vault = self.bench.again()
        vault.refresh()
        name = names.pack_name(sorted(vault.index.marked)[0])
        good = self.bench.blobs.held[name]
        self.bench.blobs.held[name] = bytes([good[0] ^ 1]) + good[1:]
        self.noted, self.noted_bytes = name, int(vault.index.entries(sorted(vault.index.marked)[0])["sealed_bytes"][0])
        vault = self.bench.again()
        note_damage(vault, check(vault, percent=100))

    def test_every_kind_of_object_is_there(self):
        kinds = {name.partition("/")[0] for name in self.state}
        self.assertEqual(
            kinds, {"header", "keys", "packs", "indexes", "manifests", "marks", "seen", "removed", "rolls", "stays", "damage", "revisions"}
        )

    def test_is_found_and_harms_nothing(self):
        self.assertEqual([entry.object for entry in check(self.bench.again(), percent=100).damaged], [])
        source, tried = random.Random(2), 0
        for name, good in sorted(self.state.items()):
            # what is noted as damaged already may be damaged more, or whole again, without being news
            first = self.noted_bytes if name == self.noted else 0
            for at in sorted({first, len(good) - 1, *(source.randrange(first, len(good)) for _ in range(PLACES))}):
                bad = bytearray(good)
                bad[at] ^= 1 << source.randrange(8)
                self.bench.blobs.held = self.state | {name: bytes(bad)}
                tried += 1
                with self.subTest(object=name, byte=at):
                    self.assertTrue(self.found(name))
                    self.no_wrong_byte()
        self.assertGreater(tried, 350)

    def found(self, name: str) -> bool:
        if name == names.HEADER or name.startswith(names.KEYS):
            try:
                vault = open_vault(self.bench.blobs, passphrase=PASSPHRASE, random=self.bench.random, limits=SMALL, policy=LENIENT)
            except AtticError:
                return True
            return name in [entry.object for entry in check(vault, percent=100).damaged]
        return name in [entry.object for entry in check(self.bench.again(), percent=100).damaged]

    def no_wrong_byte(self):
        for id, content in self.held.items():
            vault = self.bench.again()
            with suppress(Damaged, NoSuchBackup):
                vault.refresh()
                manifest = vault.manifest(id)
                for summary in manifest.kinds:
                    with suppress(Damaged):
                        for stored in vault.items(manifest, summary.kind):
                            with suppress(Damaged):
                                self.assertEqual(b"".join(vault.read(stored)), content[summary.kind, stored.item.id])


class OtherTampering(TestCase):
    def setUp(self):
        self.bench = Bench()
        self.device = MemoryDevice(phone())
        self.first = self.bench.capture(self.device).manifest
        self.second = self.bench.capture(MemoryDevice(phone(2)), of="d2").manifest
        self.held = self.bench.blobs.held

    def damaged(self, **options: object) -> list[str]:
        return [entry.object for entry in check(self.bench.again(), percent=100, **options).damaged]

    def of(self, prefix: str) -> list[str]:
        return sorted(name for name in self.held if name.startswith(prefix))

    def test_swapped_objects_of_each_kind_are_named(self):
        for prefix in (names.PACKS, names.INDEXES, names.MANIFESTS, names.SEEN):
            one, other = self.of(prefix)[:2]
            before = dict(self.held)
            self.held[one], self.held[other] = self.held[other], self.held[one]
            self.assertLessEqual({one, other}, set(self.damaged()))
            self.held.update(before)

    def test_shortened_and_lengthened_objects_are_named(self):
        for name in sorted(self.held):
            if name == names.HEADER or name.startswith(names.KEYS):
                continue
            good = self.held[name]
            for bad in (good[: len(good) // 2], good[:-1], b"", good + b"\0"):
                self.held[name] = bad
                self.assertIn(name, self.damaged(), len(bad))
            self.held[name] = good

    def test_invented_objects_are_named(self):
        for prefix in (
            names.PACKS + "00/00",
            names.INDEXES,
            names.MANIFESTS,
            names.MARKS,
            names.SEEN,
            names.REMOVED,
            names.LEDGERS,
            names.DAMAGE,
        ):
            name = prefix + "ab" * 16 if prefix != names.PACKS + "00/00" else prefix + "ab" * 15
            self.held[name] = random.Random(1).randbytes(500)
            self.assertIn(name, self.damaged())
            del self.held[name]
        self.assertEqual(self.damaged(), [])

    def test_an_object_of_another_store_with_the_same_key_is_no_object_of_this_one(self):
        twin = Bench(MemoryBlobs(), seed=4, same_key_as=self.bench.vault)
        copied = twin.capture(MemoryDevice(phone(3))).manifest
        twin.vault.remove(copied.id)
        sweep(twin.again(), now=twin.now)
        for name, content in twin.blobs.held.items():
            if name.startswith((names.MARKS, names.LEDGERS, names.INDEXES)):
                self.held[name] = content
                self.assertIn(name, self.damaged())
                del self.held[name]

    def test_a_removal_that_nobody_made_removes_nothing(self):
        self.held[names.REMOVED + self.first.id.hex()] = random.Random(1).randbytes(33)
        self.assertEqual(set(self.bench.again().backup_ids()), {self.first.id, self.second.id})
        self.assertEqual(self.damaged(), [names.REMOVED + self.first.id.hex()])

    def test_a_backup_that_was_removed_and_is_put_back_counts_for_nothing(self):
        name = names.MANIFESTS + self.first.id.hex()
        put_back = self.held[name]
        self.bench.vault.remove(self.first.id)
        for hours in (0, 2):
            self.held[name] = put_back
            self.assertEqual(self.bench.again().backup_ids(), [self.second.id])
            self.assertEqual(self.damaged(), [])
            from datetime import timedelta

            sweep(self.bench.again(), now=self.bench.now + timedelta(hours=hours))
        self.assertNotIn(name, self.held)
        self.held[name] = put_back
        self.assertEqual(self.bench.again().backup_ids(), [self.second.id])

    def test_a_backup_that_vanished_is_named_although_nothing_else_is_wrong(self):
        for manifest in (self.first, self.second):
            taken = self.held.pop(names.MANIFESTS + manifest.id.hex())
            self.assertEqual(self.damaged(), [names.MANIFESTS + manifest.id.hex()])
            self.held[names.MANIFESTS + manifest.id.hex()] = taken

    def test_a_whole_store_put_back_to_last_week_is_found_by_who_remembers(self):
        last_week = dict(self.held)
        third = self.bench.capture(self.device, self.first).manifest
        self.bench.blobs.held = last_week
        self.held = last_week
        self.assertEqual(self.damaged(), [])
        self.assertEqual(self.damaged(expected={third.id}), [names.MANIFESTS + third.id.hex()])
