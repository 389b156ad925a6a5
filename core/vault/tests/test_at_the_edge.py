"""Small promises of a store, exactly: what a move tells, what a trial says, what a refusal leaves, what a list counts."""

import random
from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.vault import blobs as names
from core.vault.errors import LastSlot
from core.vault.key_slots import PERSONAL, live_slots, remove_slot
from core.vault.memory import MemoryBlobs
from core.vault.moving import move_objects
from core.vault.offices import OfficeRecord, read_offices, write_office
from core.vault.tests.bench_of_one import START, Bench, MemoryDevice, phone
from core.vault.trial import CLOCK_TOLERANCE, TrialStep, trial

NOW = datetime(2026, 3, 2, 7, tzinfo=UTC)


class AMove(TestCase):
    def setUp(self):
        self.old = Bench()
        self.old.capture(MemoryDevice(phone(1)))
        self.sizes = {name: size for name, size in self.old.blobs.list("") if names.is_ours(name)}
        self.total = sum(self.sizes.values())

    def told(self, target: MemoryBlobs) -> list[tuple[int, int]]:
        seen: list[tuple[int, int]] = []
        moved = move_objects(self.old.blobs, target, on_progress=lambda done, total: seen.append((done, total)))
        self.assertEqual(moved, self.total)
        return seen

    def test_tells_each_object_as_it_arrives_and_all_of_it_at_the_end(self):
        expected, done = [], 0
        for name in sorted(self.sizes):
            if name != names.HEADER:
                done += self.sizes[name]
                expected.append((done, self.total))
        self.assertEqual(self.told(MemoryBlobs()), [*expected, (self.total, self.total)])

    def test_that_goes_on_begins_with_what_is_there(self):
        target = MemoryBlobs()
        first, *_, last = sorted(name for name in self.sizes if name != names.HEADER)
        for name in self.sizes:
            if name not in (names.HEADER, first, last):
                target.create(name, self.old.blobs.read(name))
        there = self.total - self.sizes[first] - self.sizes[last] - self.sizes[names.HEADER]
        one, two = there + self.sizes[first], there + self.sizes[first] + self.sizes[last]
        self.assertEqual(self.told(target), [(one, self.total), (two, self.total), (self.total, self.total)])
        self.assertEqual(self.told(target), [(self.total, self.total)])


class Place(MemoryBlobs):
    off = timedelta()

    def clock(self) -> datetime | None:
        return NOW + self.off

    def free_bytes(self) -> int | None:
        return 5 << 30


class ATrial(TestCase):
    def says(self, place: MemoryBlobs) -> dict[TrialStep, tuple[bool, str]]:
        moments = iter(range(1000))
        results = trial(lambda: place, random=random.Random(3).randbytes, now=lambda: NOW, seconds=lambda: float(next(moments)))
        return {result.step: (result.well, result.says) for result in results}

    def test_says_how_fast_it_was_how_much_is_free_and_whether_the_clocks_agree(self):
        said = self.says(Place())
        self.assertEqual(said[TrialStep.CLOCK], (True, "Its clock and this computer's agree."))
        self.assertEqual(said[TrialStep.ROOM], (True, "5 GiB are free."))
        self.assertRegex(said[TrialStep.SPEED][1], r"^Writing ([\d.]+ \w+)/s, reading \1/s, on \1\.$")  # a second each

    def test_a_clock_may_be_off_by_the_tolerance_and_no_more(self):
        for off, well in ((CLOCK_TOLERANCE, True), (-CLOCK_TOLERANCE, True), (CLOCK_TOLERANCE + timedelta(seconds=1), False)):
            place = Place()
            place.off = off
            self.assertEqual(self.says(place)[TrialStep.CLOCK][0], well, off)

    def test_a_place_that_does_not_tell_is_well(self):
        said = self.says(MemoryBlobs())
        self.assertEqual(said[TrialStep.CLOCK], (True, "It has no clock of its own."))
        self.assertEqual(said[TrialStep.ROOM], (True, "It does not say how much room it has."))


class Refusals(TestCase):
    def test_the_last_slot_stays_as_it_is_and_nothing_is_noted(self):
        bench = Bench()
        vault = bench.again()
        personal = [slot for slot in live_slots(vault) if slot.kind in PERSONAL and slot.opens == vault.keys.id]
        for slot in personal[1:]:
            remove_slot(vault, slot.id)
        before = dict(bench.blobs.held)  # type: ignore[attr-defined]
        with self.assertRaises(LastSlot):
            remove_slot(vault, personal[0].id)
        self.assertEqual(bench.blobs.held, before)  # type: ignore[attr-defined]

    def test_a_slot_that_is_none_is_simply_taken_away(self):
        bench = Bench()
        bench.blobs.create(names.KEYS + "ab" * 16, b"no slot")
        remove_slot(bench.again(), bytes.fromhex("ab" * 16))
        self.assertNotIn(names.KEYS + "ab" * 16, bench.blobs.held)  # type: ignore[attr-defined]


class Lists(TestCase):
    def test_a_manifest_knows_when_its_newest_item_was_changed(self):
        bench = Bench()
        manifest = bench.capture(MemoryDevice({("photos", "a"): b"a", ("photos", "b"): b"b"})).manifest
        summary = bench.again().manifest(manifest.id).summary("photos")
        self.assertEqual((summary.newest_at, summary.newest_name, summary.items, summary.size_bytes), (START, "b", 2, 2))

    def test_what_a_device_changed_in_the_middle_of_a_long_list_is_all_that_is_read(self):
        bench = Bench()
        device = MemoryDevice({("contacts", f"c{n:04}"): b'{"n": %d}' % n for n in range(3000)})
        before = bench.capture(device).manifest
        for gone, come, changed in (("c0000", "b", "c1500"), ("c2999", "d", "c0001"), ("c1499", "c1499a", "c1502")):
            device.content.pop(("contacts", gone))
            device.content["contacts", come] = b'{"come": 1}'
            device.content["contacts", changed] = b'{"changed": 1}'
            captured = bench.capture(device, before)
            self.assertEqual((captured.read_bytes, captured.manifest.summary("contacts").items), (11 + 14, 3000))
            before = captured.manifest

    def test_a_strangers_file_among_the_records_of_offices_is_none(self):
        bench = Bench()
        vault = bench.again()
        write_office(vault, OfficeRecord(server=b"s" * 16, office="Saltmarsh", at=NOW, told={}))
        bench.blobs.create(f"{names.OFFICES}notes.txt", b"somebody's")
        self.assertEqual([(one.office, one.server) for one in read_offices(vault)], [("Saltmarsh", b"s" * 16)])
        self.assertEqual(vault.unreadable, {})
