"""Headers, slots, recovery codes, sealed devices: who gets in, who does not, and what they are told."""

import json
import traceback
from contextlib import suppress
from datetime import timedelta
from functools import partial
from unittest import TestCase

from core.errors import BadInput
from core.vault import blobs as names
from core.vault.capture import Capture, Captured, Request
from core.vault.check import check
from core.vault.copying import copy
from core.vault.errors import Damaged, DeviceSealed, LastSlot, NewerVault, NotAVault, VaultExists, WrongPassphrase
from core.vault.key_slots import PERSONAL, STRICT, add_key_file, add_passphrase, add_recovery_code, change_passphrase, remove_slot, slots
from core.vault.keys import StretchCost
from core.vault.memory import MemoryBlobs
from core.vault.opening import create_vault, open_vault
from core.vault.recovery_code import new_code
from core.vault.repair import repair
from core.vault.sealed_devices import key_of, seal_device, unlock_device
from core.vault.slots import Secret, SlotKind
from core.vault.tests.bench_of_one import CHEAP, LENIENT, PASSPHRASE, SMALL, Bench, MemoryDevice, contents, phone
from core.vault.vault import Vault
from core.vault.writer import Writer

OTHER = "a second passphrase"
DEVICE = "the captain's own words"


def opened(bench: Bench, passphrase: str | None = None, key_file: bytes | None = None) -> Vault:
    return open_vault(bench.blobs, passphrase=passphrase, key_file=key_file, random=bench.random, limits=SMALL, policy=LENIENT)


class WhoGetsIn(TestCase):
    def setUp(self):
        self.bench = Bench()

    def test_passphrase_recovery_code_and_key_file_open_the_same_vault(self):
        for vault in (opened(self.bench, PASSPHRASE), opened(self.bench, self.bench.recovery_code), opened(self.bench, key_file=b"k" * 32)):
            self.assertEqual(vault.keys, self.bench.vault.keys)

    def test_whoever_does_not_is_told_the_same_thing(self):
        seen = set()
        for passphrase, key_file in (
            (OTHER, None),
            ("", None),
            (PASSPHRASE + " ", None),
            (new_code(bytes), None),
            (None, b"j" * 32),
            (None, None),
        ):
            with self.assertRaises(WrongPassphrase) as caught:
                opened(self.bench, passphrase, key_file)
            seen.add((str(caught.exception), caught.exception.remedy))
        self.assertEqual(len(seen), 1)

    def test_no_secret_stands_in_an_error_or_its_trace(self):
        for attempt in (lambda: opened(self.bench, "swordfish and barnacles"), lambda: opened(self.bench, key_file=b"j" * 32)):
            try:
                attempt()
            except WrongPassphrase:
                text = traceback.format_exc()
                self.assertNotIn("swordfish and barnacles", text.replace('opened(self.bench, "swordfish and barnacles")', ""))
                self.assertNotIn(self.bench.vault.keys.master.hex(), text)
        self.assertNotIn("swordfish", repr(Secret(passphrase="swordfish")))

    def test_nothing_in_the_store_holds_a_key_in_the_open(self):
        whole = b"".join(self.bench.blobs.held.values())
        for secret in (self.bench.vault.keys.master, PASSPHRASE.encode(), self.bench.recovery_code.encode(), b"k" * 32):
            self.assertNotIn(secret, whole)
            self.assertNotIn(secret.hex().encode(), whole)

    def test_places_without_a_vault(self):
        cases = {
            "nothing": {}, "garbage": {"header": b"garbage"}, "other json": {"header": b"[1]"}, "other format": {"header": b'{"format": "x"}'},
            "cut short": {"header": self.bench.blobs.held["header"][:40]},
            "no seal": {"header": b'{"format": "old-attic-vault", "version": 2, "vault": "00", "store": "00"}'},
            "deep": {"header": b"[" * 4000},
        }  # fmt: skip
        for name, held in cases.items():
            blobs = MemoryBlobs()
            blobs.held = held
            with self.subTest(name), self.assertRaises(NotAVault):
                open_vault(blobs, passphrase=PASSPHRASE, random=bytes, limits=SMALL, policy=LENIENT)

    def test_another_version_is_named(self):
        for version, says in ((3, "version 3"), (1, "version 1"), ('"x"', "unknown")):
            blobs = MemoryBlobs()
            blobs.held = dict(self.bench.blobs.held)
            blobs.held["header"] = blobs.held["header"].replace(b'"version": 2', f'"version": {version}'.encode())
            with self.assertRaises(NewerVault) as caught:
                open_vault(blobs, passphrase=PASSPHRASE, random=bytes, limits=SMALL, policy=LENIENT)
            self.assertIn(says, str(caught.exception))

    def test_a_changed_header_is_found(self):
        held = self.bench.blobs.held
        held["header"] = held["header"].replace(b"2026-03-02", b"2020-03-02")
        with self.assertRaises(Damaged):
            opened(self.bench, PASSPHRASE)

    def test_slots_that_are_too_cheap_or_ask_for_all_memory_are_refused(self):
        with self.assertRaises(BadInput):
            add_passphrase(self.bench.vault, OTHER, label="", now=self.bench.now, policy=STRICT.__class__(cost=CHEAP))
        name = next(
            name for name in self.bench.blobs.held if name.startswith(names.KEYS) and b'"passphrase"' in self.bench.blobs.held[name]
        )
        slot = json.loads(self.bench.blobs.held[name])
        for change in (
            {"memory_bytes": 1 << 50},
            {"passes": 10**9},
            {"lanes": 0},
            {"memory_bytes": True},
            {"salt": "00"},
            {"kind": "magic"},
        ):
            self.bench.blobs.held = {"header": self.bench.blobs.held["header"], name: json.dumps(slot | change).encode()}
            with self.subTest(change=change), self.assertRaises(NotAVault):
                opened(self.bench, PASSPHRASE)

    def test_the_same_slot_written_in_other_bytes_is_noticed(self):
        name = next(name for name in self.bench.blobs.held if name.startswith(names.KEYS) and b'"key_file"' in self.bench.blobs.held[name])
        good = self.bench.blobs.held[name]
        fields = json.loads(good)
        for changed in (
            good.replace(fields["wrapped"].encode(), fields["wrapped"].upper().encode()), good.replace(fields["told"].encode(), fields["told"].upper().encode()), good.replace(b": ", b":"), good + b" ",
            good[:-1] + b', "more": 1}',
        ):  # fmt: skip
            self.bench.blobs.held[name] = changed
            self.assertEqual([entry.object for entry in check(self.bench.again()).damaged], [name])

    def test_a_slot_whose_cost_cannot_be_paid_opens_nothing_and_breaks_nothing(self):
        fields = {"kind": "passphrase", "lanes": 9, "memory_bytes": 8192, "opens": self.bench.vault.keys.id.hex(), "passes": 1}
        slot = fields | {"salt": "00" * 16, "told": "", "wrapped": "00" * 48}
        self.bench.blobs.held["keys/" + "0" * 32] = json.dumps(slot, sort_keys=True).encode()
        with self.assertRaises(WrongPassphrase):
            change_passphrase(self.bench.vault, "not the right one", OTHER, now=self.bench.now, policy=LENIENT)

    def test_a_broken_slot_keeps_nobody_else_out(self):
        self.bench.blobs.held["keys/" + "0" * 32] = b"garbage"
        self.assertEqual(opened(self.bench, PASSPHRASE).keys, self.bench.vault.keys)
        self.assertEqual([entry.object for entry in check(self.bench.again()).damaged], ["keys/" + "0" * 32])

    def test_a_place_that_is_not_empty_is_left_alone(self):
        blobs = MemoryBlobs()
        blobs.create("holiday.jpg", b"x")
        with self.assertRaises(VaultExists):
            create_vault(blobs, passphrase=PASSPHRASE, now=self.bench.now, random=self.bench.random, limits=SMALL, policy=LENIENT)
        self.assertEqual(blobs.held, {"holiday.jpg": b"x"})
        with self.assertRaises(VaultExists):
            create_vault(
                self.bench.blobs, passphrase=PASSPHRASE, now=self.bench.now, random=self.bench.random, limits=SMALL, policy=LENIENT
            )
        self.assertEqual(opened(self.bench, PASSPHRASE).keys, self.bench.vault.keys)

    def test_slots_that_somebody_left_who_was_interrupted_are_removed(self):
        blobs, left = MemoryBlobs(), "keys/" + "0" * 32
        blobs.create(left, b"of no store")
        create_vault(blobs, passphrase=PASSPHRASE, now=self.bench.now, random=self.bench.random, limits=SMALL, policy=LENIENT)
        self.assertNotIn(left, blobs.held)
        self.assertEqual(len([name for name in blobs.held if name.startswith("keys/")]), 2, "the passphrase and the recovery code")


class SlotsComeAndGo(TestCase):
    def setUp(self):
        self.bench = Bench()
        self.bench.capture(MemoryDevice(phone()))
        self.content = {name for name in self.bench.blobs.held if not name.startswith((names.KEYS, names.REMOVED))}

    def tearDown(self):
        now = {name for name in self.bench.blobs.held if not name.startswith((names.KEYS, names.REMOVED))}
        self.assertEqual(now, self.content, "content was written again")

    def test_an_added_one_opens_and_a_removed_one_does_not(self):
        id = add_passphrase(self.bench.vault, OTHER, label="Piet's", now=self.bench.now, policy=LENIENT)
        self.assertEqual(opened(self.bench, OTHER).keys, self.bench.vault.keys)
        one = next(slot for slot in slots(self.bench.vault) if slot.id == id)
        self.assertEqual((one.label, one.kind, one.device, one.made_at), ("Piet's", SlotKind.PASSPHRASE, "", self.bench.now))
        remove_slot(self.bench.vault, id)
        with self.assertRaises(WrongPassphrase):
            opened(self.bench, OTHER)
        remove_slot(self.bench.vault, id)

    def test_a_removed_slot_that_is_put_back_opens_nothing(self):
        id = add_passphrase(self.bench.vault, OTHER, label="", now=self.bench.now, policy=LENIENT)
        put_back = self.bench.blobs.held[names.KEYS + id.hex()]
        remove_slot(self.bench.vault, id)
        self.bench.blobs.held[names.KEYS + id.hex()] = put_back
        with self.assertRaises(WrongPassphrase):
            opened(self.bench, OTHER)
        self.assertNotIn(id, [slot.id for slot in slots(self.bench.vault)])
        del self.bench.blobs.held[names.KEYS + id.hex()]

    def test_changing_means_the_new_one_and_not_the_old(self):
        change_passphrase(opened(self.bench, PASSPHRASE), PASSPHRASE, OTHER, now=self.bench.now, policy=LENIENT)
        self.assertEqual(opened(self.bench, OTHER).keys, self.bench.vault.keys)
        with self.assertRaises(WrongPassphrase):
            opened(self.bench, PASSPHRASE)
        with self.assertRaises(WrongPassphrase):
            change_passphrase(self.bench.vault, "wrong one entirely", "x" * 12, now=self.bench.now, policy=LENIENT)

    def test_a_new_recovery_code_opens_too(self):
        code = add_recovery_code(self.bench.vault, label="in the safe", now=self.bench.now)
        self.assertEqual(opened(self.bench, code.lower()).keys, self.bench.vault.keys)

    def test_the_last_one_that_a_person_can_type_stays(self):
        typed = [slot for slot in slots(self.bench.vault) if slot.kind is not SlotKind.KEY_FILE]
        self.assertEqual(len(typed), 2)
        remove_slot(self.bench.vault, typed[0].id)
        with self.assertRaises(LastSlot) as caught:
            remove_slot(self.bench.vault, typed[1].id)
        self.assertTrue(caught.exception.remedy)
        self.assertEqual(len(slots(self.bench.vault)), 2)

    def test_two_people_who_remove_one_each_at_the_same_moment_do_not_leave_none(self):
        """Wherever among the other's steps the second one comes by."""
        operations = given_back = 0
        for place in range(40):
            bench = Bench()
            change_passphrase(bench.again(), PASSPHRASE, OTHER, now=bench.now, policy=LENIENT)
            there = {slot.kind: slot for slot in slots(bench.again()) if slot.kind in PERSONAL}
            changed = there.pop(SlotKind.PASSPHRASE)
            mine, (theirs,) = changed.id, [slot.id for slot in there.values()]
            left = [place]
            real = {name: getattr(bench.blobs, name) for name in ("create", "delete", "read", "list")}

            def counted(name, *arguments, left=left, real=real, bench=bench, theirs=theirs, **more):
                left[0] -= 1
                if left[0] == 0:
                    for other, was in real.items():
                        setattr(bench.blobs, other, was)
                    with suppress(LastSlot):
                        remove_slot(bench.again(), theirs)
                return real[name](*arguments, **more)

            for name in real:
                setattr(bench.blobs, name, partial(counted, name))
            with suppress(LastSlot):
                remove_slot(bench.again(), mine)
            for name, was in real.items():
                setattr(bench.blobs, name, was)
            operations += left[0] <= 0
            left_over = [slot for slot in slots(bench.again()) if slot.kind in PERSONAL]
            self.assertTrue(left_over, f"none is left after step {place}")
            for again in (slot for slot in left_over if slot.kind is SlotKind.PASSPHRASE):
                self.assertEqual((again.instead_of, again.label), (changed.instead_of, changed.label))
                given_back += again.id != mine
        self.assertGreater(operations, 10)
        self.assertGreater(given_back, 0, "nobody had to be given back what was removed")

    def test_labels_are_not_readable_without_a_key(self):
        add_passphrase(self.bench.vault, OTHER, label="Nygaard", now=self.bench.now, policy=LENIENT)
        self.assertNotIn(b"Nygaard", b"".join(self.bench.blobs.held.values()))


class SealedDevices(TestCase):
    def setUp(self):
        self.bench = Bench()
        self.keys, self.code = seal_device(self.bench.vault, "captain", DEVICE, now=self.bench.now, policy=LENIENT)
        self.device = MemoryDevice(phone(4))
        self.captured = self.take()

    def take(self, previous=None) -> Captured:
        self.bench.now += timedelta(minutes=1)
        vault = self.bench.again()
        unlock_device(vault, "captain", Secret(passphrase=DEVICE))
        request = Request(
            device="captain", device_told={"name": "captain"}, kinds=tuple(self.device.kinds()), note="before the trip", zone="UTC"
        )
        writer = Writer(vault, inner=vault.device_keys[self.keys.id])
        return Capture(self.device, writer, request, clock=lambda: self.bench.now).run(previous)

    def test_its_content_comes_back_with_its_own_passphrase_or_code(self):
        for secret in (DEVICE, self.code):
            vault = self.bench.again()
            unlock_device(vault, "captain", Secret(passphrase=secret))
            self.assertEqual(contents(vault, vault.manifest(self.captured.manifest.id)), self.device.content)

    def test_the_stores_passphrase_alone_shows_when_and_how_much_and_nothing_else(self):
        vault = opened(self.bench, PASSPHRASE)
        vault.refresh()
        manifest = vault.manifest(self.captured.manifest.id)
        self.assertEqual((manifest.device, manifest.items, manifest.note), ("captain", len(self.device.content), ""))
        self.assertEqual({one.newest_name for one in manifest.kinds}, {""})
        with self.assertRaises(DeviceSealed):
            list(vault.items(manifest, "contacts"))
        plain = b"".join(vault.chunk(chunk) for summary in manifest.kinds for chunk in vault.branches(summary))
        self.assertNotIn(b"c007", plain)

    def test_with_its_key_the_private_part_is_there(self):
        vault = self.bench.again()
        unlock_device(vault, "captain", Secret(passphrase=DEVICE))
        manifest = vault.manifest(self.captured.manifest.id)
        self.assertEqual(manifest.note, "before the trip")
        self.assertEqual(manifest.summary("contacts").newest_name, "c149")

    def test_the_wrong_passphrase_and_none_are_refused(self):
        with self.assertRaises(WrongPassphrase):
            unlock_device(self.bench.again(), "captain", Secret(passphrase=PASSPHRASE))
        with self.assertRaises(DeviceSealed):
            unlock_device(self.bench.again(), "captain", Secret())
        self.assertIsNone(unlock_device(self.bench.again(), "somebody else", Secret()))

    def test_the_devices_passphrase_does_not_open_the_store(self):
        with self.assertRaises(WrongPassphrase):
            opened(self.bench, DEVICE)

    def test_an_unchanged_sealed_device_reads_nothing_and_stores_next_to_nothing(self):
        self.device.sent_bytes = 0
        again = self.take(self.captured.manifest)
        self.assertEqual((self.device.sent_bytes, again.read_bytes), (0, 0))
        self.assertLess(again.stored_bytes, 2_000)

    def test_equal_content_of_a_sealed_and_an_open_device_is_not_shared(self):
        before = self.bench.vault.stored_bytes()
        self.bench.capture(MemoryDevice(phone(4)), of="open")
        self.assertGreater(self.bench.vault.stored_bytes() - before, 150_000)

    def test_a_check_proves_it_without_its_key(self):
        self.assertTrue(check(self.bench.again(), percent=100).ok)

    def test_a_copy_under_another_key_moves_below_its_own_seal(self):
        other = Bench(seed=13)
        copy(self.bench.again(), other.again())
        self.assertEqual(key_of(other.again(), "captain"), self.keys.id)
        vault = other.again()
        unlock_device(vault, "captain", Secret(passphrase=DEVICE))
        self.assertEqual(contents(vault, vault.manifest(self.captured.manifest.id)), self.device.content)
        self.assertEqual(vault.manifest(self.captured.manifest.id).note, "before the trip")
        self.assertNotIn(b"before the trip", b"".join(other.blobs.held.values()))
        self.assertTrue(check(other.again(), percent=100).ok)

    def test_a_repair_from_another_key_keeps_the_private_part_under_its_own_seal(self):
        other = Bench(seed=13)
        copy(self.bench.again(), other.again())
        name = names.MANIFESTS + self.captured.manifest.id.hex()
        del other.blobs.held[name]
        source = self.bench.again()
        unlock_device(source, "captain", Secret(passphrase=DEVICE))  # whoever repairs may have it open
        self.assertEqual(repair(other.again(), source).left, [])
        self.assertEqual(other.again().manifest(self.captured.manifest.id).note, "")
        vault = other.again()
        unlock_device(vault, "captain", Secret(passphrase=DEVICE))
        self.assertEqual(vault.manifest(self.captured.manifest.id).note, "before the trip")
        self.assertEqual(contents(vault, vault.manifest(self.captured.manifest.id)), self.device.content)

    def test_the_servers_key_file_can_unlock_it_when_asked_to(self):
        add_key_file(self.bench.vault, b"k" * 32, now=self.bench.now, keys=self.keys, device="captain")
        self.assertEqual(unlock_device(self.bench.again(), "captain", Secret(key_file=b"k" * 32)), self.keys)

    def test_its_last_passphrase_stays(self):
        mine = [slot for slot in slots(self.bench.vault) if slot.device == "captain"]
        remove_slot(self.bench.vault, mine[0].id)
        with self.assertRaises(LastSlot):
            remove_slot(self.bench.vault, mine[1].id)

    def test_a_changed_passphrase_of_the_device_leaves_the_stores_alone(self):
        change_passphrase(self.bench.vault, DEVICE, OTHER, now=self.bench.now, device="captain", policy=LENIENT)
        self.assertEqual(unlock_device(self.bench.again(), "captain", Secret(passphrase=OTHER)), self.keys)
        self.assertEqual(opened(self.bench, PASSPHRASE).keys, self.bench.vault.keys)


class Costs(TestCase):
    def test_the_floor_holds_for_each_figure(self):
        floor, roof = StretchCost(passes=2, memory_bytes=100, lanes=1), StretchCost(passes=4, memory_bytes=1000, lanes=4)
        self.assertTrue(StretchCost(passes=2, memory_bytes=100, lanes=1).within(floor, roof))
        for wrong in ((1, 100, 1), (5, 100, 1), (2, 99, 1), (2, 1001, 1), (2, 100, 0), (2, 100, 5)):
            self.assertFalse(StretchCost(passes=wrong[0], memory_bytes=wrong[1], lanes=wrong[2]).within(floor, roof))
