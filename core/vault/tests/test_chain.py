"""Notes that were taken away, damaged notes, states that were put back: what is noticed, from where, and how it is mended."""

import json
from datetime import timedelta
from unittest import mock

from core.errors import BadInput
from core.vault import blobs as names
from core.vault.chain import memory, remembered, rolled
from core.vault.check import check
from core.vault.copying import copy
from core.vault.key_slots import change_passphrase, remove_slot, slots
from core.vault.memory import MemoryBlobs
from core.vault.mending import mend_notes
from core.vault.repair import repair
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import LENIENT, PASSPHRASE, Bench, MemoryDevice, phone
from core.vault.tests.test_upkeep import Scene


class TakenAway(Scene):
    """What a thief does who can remove objects, and whether the store itself knows."""

    def setUp(self):
        super().setUp()
        self.held = self.bench.blobs.held
        self.device = MemoryDevice(phone(4))
        self.backups = [self.bench.capture(self.device).manifest.id for _ in range(3)]

    def named(self, **more) -> list[str]:
        return [entry.object for entry in check(self.bench.again(), percent=100, **more).damaged]

    def away(self, *arguments: str) -> None:
        for name in arguments:
            del self.held[name]

    def sweeps(self) -> None:
        for hours in (0, 2, 4):
            sweep(self.bench.again(), now=self.bench.now + timedelta(hours=hours))
        self.bench.now += timedelta(hours=5)

    def test_a_store_that_nobody_touched_has_nothing_to_tell_also_after_removals_sweeps_and_changes(self):
        twin = Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault)
        for turn in range(4):
            self.bench.again().remove(self.backups[turn % 3])
            copy(self.bench.again(), twin.again())
            self.sweeps()
            copy(twin.again(), self.bench.again())
            change_passphrase(self.bench.again(), PASSPHRASE, PASSPHRASE, now=self.bench.now, policy=LENIENT)
            self.bench.capture(self.device)
            self.assertEqual(self.named(), [])

    def test_a_manifest_with_its_note(self):
        id = self.backups[1].hex()
        self.away(names.MANIFESTS + id, names.SEEN + id)
        self.assertEqual(self.named(), [names.SEEN + id])

    def test_the_ledgers_with_a_manifest(self):
        self.sweeps()
        self.bench.capture(self.device)
        ledgers = [name for name in self.held if name.startswith(names.LEDGERS)]
        self.away(*ledgers, names.MANIFESTS + self.backups[0].hex())
        self.assertEqual(self.named(), ledgers)

    def test_a_slot_that_is_put_back_and_its_removal_taken_away(self):
        mine = next(one.id for one in slots(self.bench.vault) if one.label == "recovery code")
        slot = self.held[names.KEYS + mine.hex()]
        remove_slot(self.bench.vault, mine)
        self.bench.capture(self.device)
        self.held[names.KEYS + mine.hex()] = slot
        self.away(names.REMOVED + mine.hex())
        self.assertEqual(self.named(), [names.REMOVED + mine.hex()])

    def test_what_was_taken_away_stays_known_although_a_sweep_puts_the_notes_together(self):
        id = self.backups[1].hex()
        self.away(names.MANIFESTS + id, names.SEEN + id)
        self.sweeps()
        self.sweeps()
        self.assertEqual(self.named(), [names.SEEN + id])
        self.assertTrue(mend_notes(self.bench.again()).lost)
        self.assertEqual(self.named(), [])

    def test_the_last_notes_and_a_whole_store_put_back_are_known_only_to_whoever_remembers(self):
        before = dict(self.held)
        last = self.bench.capture(self.device).manifest.id.hex()
        kept = remembered(memory(self.bench.again()), store=self.bench.vault.store)
        whole = dict(self.held)
        self.away(names.MANIFESTS + last, names.SEEN + last)
        self.assertEqual((self.named(), self.named(remembered=kept)), ([], [names.SEEN + last]))
        self.bench.blobs.held = self.held = before
        self.assertEqual((self.named(), self.named(remembered=kept)), ([], [names.SEEN + last]))
        self.bench.blobs.held = self.held = whole
        for _ in range(3):
            self.sweeps()
            self.bench.capture(self.device)
            self.assertEqual(self.named(remembered=kept), [])
        kept = remembered(memory(self.bench.again()), store=self.bench.vault.store)
        self.bench.blobs.held = self.held = before
        self.assertEqual(len(self.named(remembered=kept)), 2)

    def test_a_ledger_that_was_put_together_several_times_is_still_accounted_for(self):
        self.sweeps()
        kept = remembered(memory(self.bench.again()), store=self.bench.vault.store)
        self.assertTrue(kept[names.LEDGERS])
        for _ in range(3):
            self.bench.capture(self.device)
            self.sweeps()
            self.assertEqual(self.named(remembered=kept), [])

    def test_of_very_many_notes_each_is_told_by_some_later_ones(self):
        with mock.patch("core.vault.chain._MOST_TOLD", 8):
            many = [self.bench.capture(self.device).manifest.id.hex() for _ in range(40)]
        entries = [json.loads(self.bench.again().read_object(names.SEEN + id))["after"]["seen"] for id in many]
        self.assertEqual(max(map(len, entries)), 8 * 32)
        self.away(names.MANIFESTS + many[0], names.SEEN + many[0])
        self.assertEqual(self.named(), [names.SEEN + many[0]])

    def test_notes_of_an_earlier_program_tell_nothing_and_nothing_is_held_against_them(self):
        vault = self.bench.again()
        for id in self.backups:
            name = names.SEEN + id.hex()
            self.held[name] = vault.sealed_object(name, b"", compress=False)
        content = {"seen": b"".join(self.backups).hex(), "removed": ""}
        vault.write_object(names.LEDGERS, json.dumps(content).encode())
        self.bench.capture(self.device)
        self.assertEqual(self.named(), [])
        self.sweeps()
        self.bench.capture(self.device)
        self.assertEqual(self.named(), [])
        old = next(name for name in self.held if name.startswith(names.LEDGERS))
        content = json.loads(vault.read_object(old))
        vault.write_object(names.LEDGERS, json.dumps({"seen": content["seen"], "removed": content["removed"]}).encode())
        self.away(old)  # as an earlier program puts ledgers together
        self.assertEqual(self.named(), [])

    def test_a_stay_names_those_before_it_too(self):
        twin = Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault)
        copy(self.bench.again(), twin.again())
        self.bench.again().remove(self.backups[0])
        last = self.bench.capture(self.device).manifest.id.hex()
        copy(twin.again(), self.bench.again())
        self.away(names.MANIFESTS + last, names.SEEN + last)
        self.assertEqual(self.named(), [names.SEEN + last])

    def test_what_is_remembered_is_of_one_store_and_readable(self):
        notes = memory(self.bench.again())
        for content, store in ((notes, b"x" * 16), ("", self.bench.vault.store), ("[1]", self.bench.vault.store),
                               (notes.replace('"seen": "', '"seen": "0'), self.bench.vault.store)):  # fmt: skip
            with self.assertRaises(BadInput):
                remembered(content, store=store)


class DamagedNotes(Scene):
    def setUp(self):
        super().setUp()
        self.held = self.bench.blobs.held
        self.bench.again().remove(self.first.id)
        for hours in (0, 2, 4):
            sweep(self.bench.again(), now=self.bench.now + timedelta(hours=hours))
        self.ledger = next(name for name in self.held if name.startswith(names.LEDGERS))

    def named(self) -> list[str]:
        return [entry.object for entry in check(self.bench.again()).damaged]

    def break_it(self) -> None:
        content = bytearray(self.held[self.ledger])
        content[len(content) // 2] ^= 1
        self.held[self.ledger] = bytes(content)

    def test_a_damaged_ledger_is_named_once_and_mended_from_what_is_there(self):
        self.break_it()
        self.bench.capture(MemoryDevice(phone(2)))
        self.assertEqual(self.named(), [self.ledger])
        present = self.bench.again().backup_ids()
        report = mend_notes(self.bench.again())
        self.assertEqual((report.anew, report.fetched, report.lost), ([self.ledger], [], True))
        self.assertEqual((self.named(), self.bench.again().backup_ids()), ([], present))
        self.assertEqual(self.bench.again().ledger().expected, set(present))
        self.assertEqual(mend_notes(self.bench.again()).anew, [])
        vanished = present[0].hex()
        del self.held[names.MANIFESTS + vanished]
        self.assertEqual(self.named(), [names.MANIFESTS + vanished])

    def test_a_copy_of_the_same_store_gives_it_back_byte_for_byte(self):
        clone = MemoryBlobs()
        clone.held = dict(self.held)
        self.break_it()
        other = self.bench.again()
        other.blobs = clone
        report = repair(self.bench.again(), other).notes
        self.assertEqual((report.fetched, report.anew), ([self.ledger], []))
        self.assertEqual(self.held[self.ledger], clone.held[self.ledger])
        self.assertEqual(self.named(), [])
        self.assertIn(self.first.id, self.bench.again().ledger().removed)

    def test_what_only_another_store_knows_of_is_told(self):
        twin = Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault)
        copy(self.bench.again(), twin.again())
        lost = twin.capture(MemoryDevice(phone(3)), of="d2").manifest.id
        self.break_it()
        self.assertEqual(mend_notes(self.bench.again(), twin.again()).elsewhere, [lost])

    def test_a_damaged_stay_and_a_removal_that_is_not_believed_are_mended_too(self):
        vault = self.bench.again()
        copied = next(iter(vault.backup_ids()))
        self.held[names.STAYS + "0" * 32] = b"garbage"
        self.held[names.REMOVED + copied.hex()] = b"garbage"
        self.assertEqual(self.named(), [names.REMOVED + copied.hex(), names.STAYS + "0" * 32])
        self.assertEqual(len(mend_notes(self.bench.again()).anew), 2)
        self.assertEqual(self.named(), [])
        put = rolled(self.bench.again()).put
        self.assertIn(bytes.fromhex(self.ledger.removeprefix(names.LEDGERS)), put, "whoever told of it finds it accounted for")
        self.assertIn(copied, self.bench.again().backup_ids())
