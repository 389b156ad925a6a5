"""Which slot is meant, which key, and what becomes of both: sealing in one step, copies, changes, slots put back."""

import unicodedata
from datetime import timedelta
from unittest import TestCase, mock

from core.vault import blobs as names
from core.vault.capture import Capture, Captured, Request
from core.vault.check import check
from core.vault.copying import copy
from core.vault.errors import AlreadySealed, LastSlot, MistypedCode, WrongPassphrase
from core.vault.key_slots import add_passphrase, change_passphrase, live_slots, remove_slot, slots
from core.vault.ledger import note
from core.vault.opening import open_vault
from core.vault.recovery_code import slip_in
from core.vault.sealed_devices import key_of, seal_device, unlock_backup, unlock_device
from core.vault.slots import Secret
from core.vault.tests.bench_of_one import LENIENT, PASSPHRASE, SMALL, Bench, MemoryDevice, contents, phone
from core.vault.vault import Vault
from core.vault.writer import Writer

OURS, THEIRS, NEW = "the captain's own words", "spoken in another store", "after the long night"


def opened(bench: Bench, passphrase: str) -> Vault:
    return open_vault(bench.blobs, passphrase=passphrase, random=bench.random, limits=SMALL, policy=LENIENT)


def seal(bench: Bench, passphrase: str) -> str:
    bench.now += timedelta(minutes=1)
    return seal_device(bench.vault, "captain", passphrase, now=bench.now, policy=LENIENT)[1]


def unlocked(bench: Bench, passphrase: str) -> Vault:
    vault = bench.again()
    unlock_device(vault, "captain", Secret(passphrase=passphrase))
    return vault


def take(bench: Bench, device: MemoryDevice, passphrase: str) -> Captured:
    bench.now += timedelta(minutes=1)
    vault = bench.again()
    keys = unlock_device(vault, "captain", Secret(passphrase=passphrase))
    request = Request(device="captain", device_told={"name": "captain"}, kinds=tuple(device.kinds()), note="", zone="UTC")
    return Capture(device, Writer(vault, inner=keys), request, clock=lambda: bench.now).run(None)


def read(bench: Bench, backup: bytes, passphrase: str) -> dict:
    vault = bench.again()
    manifest = vault.manifest(backup)
    unlock_backup(vault, manifest, Secret(passphrase=passphrase))
    return contents(vault, vault.manifest(backup))


class SealingIsOneStep(TestCase):
    def test_ended_anywhere_nothing_is_sealed_with_a_key_that_nobody_has(self):
        ended = 0
        for step in range(1, 8):
            for before in (True, False):
                bench = Bench()
                real, left = bench.blobs.create, [step]

                def create(name, content, *, real=real, left=left, before=before):
                    left[0] -= 1
                    if left[0] == 0 and before:
                        raise KeyboardInterrupt
                    real(name, content)
                    if left[0] == 0:
                        raise KeyboardInterrupt

                try:
                    with mock.patch.object(bench.blobs, "create", create):
                        seal_device(bench.vault, "captain", OURS, now=bench.now, key_file=b"k" * 32, policy=LENIENT)
                except KeyboardInterrupt:
                    ended += 1
                with self.subTest(step=step, before=before):
                    if key_of(bench.again(), "captain") is not None:
                        self.assertIsNotNone(unlock_device(bench.again(), "captain", Secret(passphrase=OURS)))
                    else:
                        seal(bench, NEW)
                        self.assertIsNotNone(unlock_device(bench.again(), "captain", Secret(passphrase=NEW)))
        self.assertEqual(ended, 6)

    def test_two_people_at_once_lock_each_other_out_of_nothing(self):
        for earlier in (True, False):
            bench = Bench()
            real, others = bench.blobs.create, []

            def create(name, content, *, real=real, others=others, bench=bench, earlier=earlier):
                if not others:
                    others.append(None)
                    then = bench.now + timedelta(seconds=-1 if earlier else 1)
                    seal_device(bench.again(), "captain", THEIRS, now=then, policy=LENIENT)
                real(name, content)

            with mock.patch.object(bench.blobs, "create", create):
                if earlier:
                    with self.assertRaises(AlreadySealed):
                        seal_device(bench.vault, "captain", OURS, now=bench.now, policy=LENIENT)
                else:
                    seal_device(bench.vault, "captain", OURS, now=bench.now, policy=LENIENT)
                    self.assertIsNotNone(unlock_device(bench.again(), "captain", Secret(passphrase=OURS)))
            self.assertIsNotNone(unlock_device(bench.again(), "captain", Secret(passphrase=THEIRS)))

    def test_sealed_twice_is_refused(self):
        bench = Bench()
        seal(bench, OURS)
        with self.assertRaises(AlreadySealed):
            seal(bench, NEW)

    def test_a_device_that_was_sealed_in_vain_can_be_unsealed_and_one_with_backups_cannot(self):
        bench = Bench()
        seal(bench, OURS)
        for slot in slots(bench.vault):
            if slot.device:
                remove_slot(bench.vault, slot.id)
        self.assertIsNone(key_of(bench.again(), "captain"))
        seal(bench, NEW)
        take(bench, MemoryDevice(phone(2)), NEW)
        mine = [one.id for one in slots(bench.vault) if one.device]
        remove_slot(bench.vault, mine[0])
        with self.assertRaises(LastSlot):
            remove_slot(bench.vault, mine[1])


class SealedApart(TestCase):
    """One name, sealed in each of two stores with a key of its own."""

    def setUp(self):
        self.one, self.two = Bench(), Bench(seed=13)
        self.device = MemoryDevice(phone(3))
        seal(self.one, OURS)
        self.two.now += timedelta(days=1)
        seal(self.two, THEIRS)
        self.first = take(self.one, self.device, OURS).manifest.id
        self.second = take(self.two, self.device, THEIRS).manifest.id

    def test_a_copy_opens_with_its_own_passphrase_and_locks_nobody_out(self):
        copy(self.one.again(), self.two.again())
        copy(self.two.again(), self.one.again())
        for bench in (self.one, self.two):
            for backup, passphrase, other in ((self.first, OURS, THEIRS), (self.second, THEIRS, OURS)):
                self.assertEqual(read(bench, backup, passphrase), self.device.content)
                with self.assertRaises(WrongPassphrase):
                    read(bench, backup, other)
            self.assertTrue(check(bench.again(), percent=100).ok)

    def test_the_next_backup_is_sealed_with_the_stores_own_key_and_a_brought_one_serves_where_there_is_no_other(self):
        copy(self.one.again(), self.two.again())
        own = key_of(self.two.again(), "captain")
        self.assertEqual(take(self.two, self.device, THEIRS).manifest.sealed, own)
        self.assertEqual(self.two.again().manifest(self.second).sealed, own)
        third = Bench(seed=17)
        copy(self.one.again(), third.again())
        self.assertEqual(take(third, self.device, OURS).manifest.sealed, key_of(self.one.again(), "captain"))

    def test_a_passphrase_of_either_key_makes_a_backup_that_it_opens(self):
        copy(self.one.again(), self.two.again())
        made = take(self.two, self.device, OURS).manifest.id
        self.assertEqual(read(self.two, made, OURS), self.device.content)

    def test_copying_again_brings_no_slot_twice(self):
        for _ in range(3):
            copy(self.one.again(), self.two.again())
        self.assertEqual(len([one for one in slots(self.two.again()) if one.device]), 4)

    def test_a_changed_passphrase_is_carried_along_also_over_two_stores_and_without_a_new_backup(self):
        third = Bench(seed=17)
        copy(self.one.again(), self.two.again())
        copy(self.two.again(), third.again())
        change_passphrase(self.one.vault, OURS, NEW, now=self.one.now, device="captain", policy=LENIENT)
        self.assertEqual(read(self.two, self.first, OURS), self.device.content)
        self.assertEqual(copy(self.one.again(), self.two.again()).copied, [])
        copy(self.two.again(), third.again())
        for bench in (self.two, third):
            self.assertEqual(read(bench, self.first, NEW), self.device.content)
            with self.assertRaises(WrongPassphrase):
                read(bench, self.first, OURS)
            self.assertEqual(read(bench, self.second, THEIRS), self.device.content)

    def test_an_old_passphrase_does_not_come_back_with_a_copy_from_where_it_was_never_changed(self):
        third, fourth, fifth = Bench(seed=17), Bench(seed=19), Bench(seed=23)
        for bench in (self.two, third):
            copy(self.one.again(), bench.again())
        copy(self.two.again(), fourth.again())
        change_passphrase(self.one.vault, OURS, NEW, now=self.one.now, device="captain", policy=LENIENT)
        copy(self.one.again(), self.two.again())
        copy(third.again(), fifth.again())
        copy(self.two.again(), fifth.again())
        for stale, fresh in ((third, self.one), (third, self.two), (fourth, self.one), (fourth, self.two), (fourth, fifth)):
            copy(stale.again(), fresh.again())
            self.assertEqual(read(fresh, self.first, NEW), self.device.content)
            with self.assertRaises(WrongPassphrase):
                read(fresh, self.first, OURS)


class TheSlotThatIsMeant(TestCase):
    def test_one_passphrase_for_store_and_device_changes_only_the_one_that_was_meant(self):
        for seed in range(12):
            for device in ("", "captain"):
                with self.subTest(seed=seed, device=device):
                    bench = Bench(seed=seed + 1)
                    seal(bench, PASSPHRASE)
                    change_passphrase(bench.vault, PASSPHRASE, NEW, now=bench.now, device=device, policy=LENIENT)
                    store, own = (PASSPHRASE, NEW) if device else (NEW, PASSPHRASE)
                    self.assertEqual(opened(bench, store).keys, bench.vault.keys)
                    self.assertIsNotNone(unlock_device(bench.again(), "captain", Secret(passphrase=own)))
                    with self.assertRaises(WrongPassphrase):
                        opened(bench, own)
                    with self.assertRaises(WrongPassphrase):
                        unlock_device(bench.again(), "captain", Secret(passphrase=store))

    def test_of_two_slots_with_one_passphrase_the_named_one_changes_and_it_is_said_that_the_other_opens_still(self):
        bench = Bench()
        first = next(one.id for one in slots(bench.vault) if one.label == "first passphrase")
        second = add_passphrase(bench.vault, PASSPHRASE, label="Piet's", now=bench.now, policy=LENIENT)
        changed = change_passphrase(bench.vault, PASSPHRASE, NEW, now=bench.now, slot=second, policy=LENIENT)
        self.assertTrue(changed.still_opens)
        self.assertEqual({one.id: one.label for one in slots(bench.vault)}[changed.slot], "Piet's")
        self.assertFalse(change_passphrase(bench.vault, PASSPHRASE, NEW, now=bench.now, slot=first, policy=LENIENT).still_opens)
        with self.assertRaises(WrongPassphrase):
            opened(bench, PASSPHRASE)

    def test_a_slot_that_the_passphrase_does_not_open_is_not_changed(self):
        bench = Bench()
        second = add_passphrase(bench.vault, THEIRS, label="Piet's", now=bench.now, policy=LENIENT)
        with self.assertRaises(WrongPassphrase):
            change_passphrase(bench.vault, PASSPHRASE, NEW, now=bench.now, slot=second, policy=LENIENT)


class PutBack(TestCase):
    def test_the_living_passphrase_opens_whatever_removed_slots_with_the_same_one_lie_there(self):
        for seed in range(10):
            bench = Bench(seed=seed + 1)
            old = {name: content for name, content in bench.blobs.held.items() if name.startswith(names.KEYS)}
            change_passphrase(bench.vault, PASSPHRASE, NEW, now=bench.now, policy=LENIENT)
            change_passphrase(bench.vault, NEW, PASSPHRASE, now=bench.now, policy=LENIENT)
            bench.blobs.held |= old
            self.assertEqual(opened(bench, PASSPHRASE).keys, bench.vault.keys)
            with self.assertRaises(WrongPassphrase):
                opened(bench, NEW)

    def test_a_replaced_one_opens_nothing_although_the_note_of_its_removal_was_taken_away(self):
        bench = Bench()
        old = {name: content for name, content in bench.blobs.held.items() if name.startswith(names.KEYS)}
        change_passphrase(bench.vault, PASSPHRASE, NEW, now=bench.now, policy=LENIENT)
        change_passphrase(bench.vault, NEW, THEIRS, now=bench.now, policy=LENIENT)
        bench.blobs.held = {name: content for name, content in bench.blobs.held.items() if not name.startswith(names.REMOVED)} | old
        with self.assertRaises(WrongPassphrase):
            opened(bench, PASSPHRASE)
        self.assertEqual(opened(bench, THEIRS).keys, bench.vault.keys)

    def test_a_slot_that_was_only_half_removed_does_not_stand_in_the_way(self):
        bench = Bench()
        add_passphrase(bench.vault, PASSPHRASE, label="again", now=bench.now, policy=LENIENT)
        both = sorted(one.id for one in slots(bench.vault) if one.label in ("again", "first passphrase"))
        note(bench.vault, names.REMOVED, both[0])  # and then the power failed
        self.assertEqual(opened(bench, PASSPHRASE).keys, bench.vault.keys)
        self.assertEqual([slot.id for slot in live_slots(bench.vault) if slot.id in both], both[1:])


class WhatIsTyped(TestCase):
    """The spellings are those of Unicode Annex 15."""

    COMPOSED, DECOMPOSED = unicodedata.normalize("NFC", "Möwen über Åland"), unicodedata.normalize("NFD", "Möwen über Åland")

    def test_the_same_letters_are_the_same_passphrase_however_a_keyboard_spells_them(self):
        self.assertNotEqual(self.COMPOSED, self.DECOMPOSED)
        for kept, typed in ((self.COMPOSED, self.DECOMPOSED), (self.DECOMPOSED, self.COMPOSED)):
            bench = Bench()
            add_passphrase(bench.vault, kept, label="", now=bench.now, policy=LENIENT)
            self.assertEqual(opened(bench, typed).keys, bench.vault.keys)

    def test_a_slot_of_an_earlier_program_opens_as_it_was_typed(self):
        bench = Bench()
        with mock.patch("core.vault.slots.one_form", lambda passphrase: passphrase):
            add_passphrase(bench.vault, self.DECOMPOSED, label="", now=bench.now, policy=LENIENT)
        self.assertEqual(opened(bench, self.DECOMPOSED).keys, bench.vault.keys)

    def test_a_slip_in_a_recovery_code_is_told(self):
        bench = Bench()
        code = bench.recovery_code
        other = "3" if code[0] == "2" else "2"
        for mistyped, says in (
            (other + code[1:], "mistyped"), (other + code[1:].lower(), "mistyped"), ("0" + code[1:], "Place 1"), (code[:-1], "has 29"), (code + "2", "has 31"),
        ):  # fmt: skip
            with self.subTest(mistyped=mistyped), self.assertRaises(MistypedCode) as caught:
                opened(bench, mistyped)
            self.assertIn(says, str(caught.exception))
            self.assertNotIn(code[6:11], str(caught.exception) + caught.exception.remedy)
        for passphrase in (PASSPHRASE, "", "eight plain words that nobody takes for one", code):
            self.assertIsNone(slip_in(passphrase))

    def test_a_wrong_passphrase_of_a_device_speaks_of_the_device(self):
        bench = Bench()
        code = seal(bench, OURS)
        with self.assertRaises(WrongPassphrase) as caught:
            unlocked(bench, PASSPHRASE)
        self.assertIn("captain", str(caught.exception))
        self.assertNotIn("open this store", caught.exception.remedy)
        with self.assertRaises(MistypedCode):
            unlocked(bench, ("3" if code[0] == "2" else "2") + code[1:])
