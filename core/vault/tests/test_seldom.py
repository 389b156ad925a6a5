"""What happens seldom: another process was faster, a store is full in the middle of a repair, a header was put there meanwhile."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from unittest import TestCase, mock

from core.vault import blobs as names
from core.vault.check import check, note_damage
from core.vault.chunks import Chunks
from core.vault.copying import copy
from core.vault.dry import DryBlobs
from core.vault.erase_whole import erase_whole
from core.vault.errors import Damaged, RunTooLong, Stopped, StoreFull, VaultExists
from core.vault.key_slots import add_passphrase, remove_slot, slots
from core.vault.ledger import note, read_ledger
from core.vault.manifests import Span
from core.vault.memory import MemoryBlobs
from core.vault.moving import move_objects
from core.vault.offices import OfficeRecord, read_offices, write_office
from core.vault.opening import create_vault
from core.vault.repair import repair
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import LENIENT, PASSPHRASE, SMALL, START, Bench, MemoryDevice, contents, phone
from core.vault.vault import part_of
from core.vault.writer import Writer


class Racing(MemoryBlobs):
    """Another process does what it is told right before a read or a write of a name."""

    def __init__(self) -> None:
        super().__init__()
        self.before: dict[str, object] = {}

    def _race(self, name: str) -> None:
        for part in [part for part in self.before if part in name]:
            self.before.pop(part)()  # type: ignore[operator]

    def read(self, name, *, offset=0, length=None):
        self._race(f"read {name}")
        return super().read(name, offset=offset, length=length)

    def create(self, name, content):
        self._race(f"create {name}")
        super().create(name, content)


class SomebodyWasFaster(TestCase):
    def setUp(self) -> None:
        self.blobs = Racing()
        self.bench = Bench(self.blobs)
        self.device = MemoryDevice(phone())
        self.first = self.bench.capture(self.device).manifest

    def test_with_a_header_in_the_same_place(self):
        blobs = Racing()
        blobs.before["create " + names.HEADER] = lambda: blobs.held.__setitem__(names.HEADER, b"of another")
        with self.assertRaisesRegex(VaultExists, "Somebody else has just prepared"):
            create_vault(blobs, passphrase=PASSPHRASE, now=START, random=self.bench.random, limits=SMALL, policy=LENIENT)
        self.assertEqual(blobs.held[names.HEADER], b"of another")

    def test_a_move_passes_over_what_a_sweep_took_and_what_another_move_brought(self):
        target, pack = Racing(), next(name for name in self.blobs.held if name.startswith(names.PACKS))
        office = write_office(self.bench.vault, OfficeRecord(server=b"s" * 16, office="O", at=START, told={}))
        self.blobs.before[f"read {pack}"] = lambda: self.blobs.held.pop(pack)
        target.before[f"create {office}"] = lambda: target.held.__setitem__(office, self.blobs.held[office])
        move_objects(self.blobs, target)
        self.assertEqual(target.held, self.blobs.held)

    def test_notes_that_were_put_together_a_moment_ago_are_true(self):
        vault, name = self.bench.again(), names.REMOVED + self.first.id.hex()
        note(vault, names.REMOVED, self.first.id)
        self.blobs.before[f"read {name}"] = lambda: self.blobs.held.pop(name)
        self.assertIn(self.first.id, read_ledger(self.bench.again()).removed)

    def test_a_note_that_is_damaged_is_written_anew_and_a_whole_one_stays(self):
        vault, name = self.bench.again(), names.REMOVED + self.first.id.hex()
        note(vault, names.REMOVED, self.first.id)
        written = self.blobs.held[name]
        note(vault, names.REMOVED, self.first.id)
        self.assertEqual(self.blobs.held[name], written)
        self.blobs.held[name] = b"x" + written[1:]
        note(vault, names.REMOVED, self.first.id)
        vault.unreadable.clear()
        read_ledger(vault)
        self.assertEqual(vault.unreadable, {})

    def test_a_record_of_a_server_that_goes_while_it_is_read_and_one_that_is_older(self):
        vault = self.bench.again()
        said = [OfficeRecord(server=b"s" * 16, office=f"O{n}", at=START + timedelta(days=n), told={}) for n in (2, 1)]
        kept = write_office(vault, said[0])
        newest = self.blobs.held[kept]
        write_office(vault, said[1])
        self.blobs.held[kept] = newest  # two wrote at the same time
        self.blobs.held |= {names.OFFICES + "no-id": b"", names.OFFICES + "f" * 32 + ".tmp": b""}
        self.assertEqual([one.office for one in read_offices(vault)], ["O2"])
        self.blobs.before[f"read {kept}"] = self.blobs.held.clear
        self.assertEqual([one.office for one in read_offices(vault)], ["O1"])

    def test_a_header_that_became_another_is_told_by_a_check(self):
        other = Bench(MemoryBlobs(), seed=9)
        vault = self.bench.again()
        self.blobs.held[names.HEADER] = other.blobs.held[names.HEADER]
        self.assertIn(names.HEADER, [one.object for one in check(vault, percent=0).damaged])

    def test_a_run_whose_content_is_swept_away_again_and_again_gives_up(self):
        writer = Writer(self.bench.again())
        self.bench.vault.refresh()
        writer.rely_on(b"".join(stored.spans[0].chunk for stored in self.bench.vault.items(self.first, "photos")))
        with mock.patch.object(Chunks, "marked_packs", lambda vault: set(vault.ids(names.PACKS))), self.assertRaises(RunTooLong):
            writer.commit(replace(self.first, id=b"n" * 16))
        writer.close()
        self.assertEqual([one.id for one in self.bench.again().manifests()], [self.first.id])


class InTheMiddle(TestCase):
    def setUp(self) -> None:
        self.bench = Bench()
        self.first = self.bench.capture(MemoryDevice(phone())).manifest

    def test_each_work_stops_when_it_is_asked_to_and_has_lost_nothing(self):
        second = self.bench.capture(MemoryDevice({**phone(), ("photos", "new"): b"n" * 30_000}), self.first).manifest
        self.bench.again().remove(self.first.id)
        for work in (
            lambda stop: check(self.bench.again(), percent=100, should_stop=stop),
            lambda stop: copy(self.bench.again(), Bench(seed=6).again(), should_stop=stop),
            lambda stop: move_objects(self.bench.blobs, MemoryBlobs(), should_stop=stop),
        ):
            with self.assertRaises(Stopped):
                work(lambda: True)
        self.assertEqual(contents(self.bench.again(), second)["photos", "new"], b"n" * 30_000)

    def test_a_repair_ends_when_the_store_is_full_or_the_other_one_is_away_and_does_not_pass_it_over(self):
        for twin in (False, True):
            self.setUp()
            other = Bench(MemoryBlobs(), seed=5, same_key_as=self.bench.vault if twin else None)
            copy(self.bench.again(), other.again())
            for name in [name for name in self.bench.blobs.held if name.startswith(names.PACKS)]:
                content = self.bench.blobs.held[name]
                self.bench.blobs.held[name] = content[:50] + bytes([content[50] ^ 1]) + content[51:]
            vault = self.bench.again()
            note_damage(vault, check(vault, percent=100))
            with mock.patch.object(self.bench.blobs, "create", side_effect=StoreFull("full")), self.assertRaises(StoreFull):
                repair(self.bench.again(), other.again())
            with mock.patch.object(other.blobs, "read", side_effect=StoreFull("away")), self.assertRaises(StoreFull):
                repair(self.bench.again(), other.again())
            self.assertEqual(repair(self.bench.again(), other.again()).left, [])

    def test_whole_backups_are_not_erased_while_a_list_of_another_cannot_be_read(self):
        second = self.bench.capture(MemoryDevice({("contacts", "x"): b"y"}), of="d2").manifest
        vault = self.bench.again()
        vault.refresh()
        place = vault.index.place(second.summary("contacts").tops[0])
        name = names.pack_name(place.pack)
        content = self.bench.blobs.held[name]
        self.bench.blobs.held[name] = content[: place.offset + 30] + b"?" * 8 + content[place.offset + 38 :]
        with self.assertRaisesRegex(Damaged, "Nothing was erased"):
            erase_whole(self.bench.again(), [self.first.id], now=START)
        self.assertEqual(len(self.bench.again().manifests()), 2)

    def test_an_item_reaches_no_further_than_its_chunk(self):
        self.assertEqual([part_of(b"abcd", Span(b"c", *at)) for at in ((0, 4), (1, 2), (4, 0))], [b"abcd", b"bc", b""])
        for at in ((0, 5), (4, 1), (-1, 2), (1, -1)):
            with self.assertRaisesRegex(Damaged, "shorter"):
                part_of(b"abcd", Span(b"c", *at))

    def test_the_last_slot_of_a_key_that_opens_nothing_goes_with_those_that_nobody_can_type(self):
        vault = self.bench.vault
        made = {slot.id for slot in slots(vault)}
        add_passphrase(vault, PASSPHRASE + " two", label="second", now=START, policy=LENIENT)
        (new,) = {slot.id for slot in slots(vault)} - made
        remove_slot(vault, new)
        self.assertEqual({slot.id for slot in slots(vault)}, made)
        remove_slot(vault, new)
        remove_slot(vault, b"z" * 16)
        self.assertEqual({slot.id for slot in slots(vault)}, made)

    def test_a_dry_store_tells_what_the_real_one_tells(self):
        below = mock.Mock(
            **{
                "dated.return_value": START,
                "clock.return_value": datetime(2026, 1, 1, tzinfo=UTC),
                "free_bytes.return_value": 7,
                "list.return_value": [],
            }
        )
        dry = DryBlobs(below)
        self.assertEqual((dry.dated("a"), dry.clock(), dry.free_bytes(), dry.keeps()), (START, below.clock(), 7, below.keeps()))
        dry.create("a", b"1")
        self.assertIsNone(dry.dated("a"))

    def test_a_sweep_that_meets_damage_in_what_it_moves_removes_nothing(self):
        device = MemoryDevice({("photos", f"p{n}"): bytes([n]) * 9_000 for n in range(30)})
        before = self.bench.capture(device, of="d3").manifest
        for n in range(29):
            del device.content["photos", f"p{n}"]
        self.bench.capture(device, before, of="d3")
        self.bench.again().remove(before.id)
        held = dict(self.bench.blobs.held)
        broken = mock.patch("core.vault.sweep.fetch", lambda vault, chunks, raw: ((chunk, Damaged("It is broken.")) for chunk in chunks))
        with broken, self.assertRaises(Damaged) as caught:
            sweep(self.bench.again(), now=self.bench.now, grace_seconds=0)
        self.assertIn("Nothing was removed", caught.exception.remedy)
        self.assertLessEqual({name for name in held if name.startswith(names.PACKS)}, self.bench.blobs.held.keys())
