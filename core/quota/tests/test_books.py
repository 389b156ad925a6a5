"""The books of a real store against sets of chunks, and to the byte against what lies there."""

import json
import random
from datetime import timedelta
from fractions import Fraction
from unittest import TestCase

from core.quota.books import Books
from core.vault import blobs as names
from core.vault.accounting import Accounts
from core.vault.sweep import sweep
from core.vault.tests.bench_of_one import Bench, MemoryDevice, phone

TEAMS = {"d1": "Shore Crew", "d2": "Shore Crew", "d3": "Office"}


class AStore(TestCase):
    def setUp(self) -> None:
        self.bench = Bench()
        self.taken: dict[bytes, str] = {}
        for number, device in enumerate(("d1", "d2", "d3", "d4")):
            content = phone(1) | {("photos", f"own {device}"): random.Random(device).randbytes(50_000)}
            content |= {("photos", f"of two {number // 2}"): random.Random(number // 2).randbytes(40_000)}
            for moment in range(3):
                content["videos", f"{device} {moment}"] = random.Random(f"{device}{moment}").randbytes(30_000)
                self.taken[self.bench.capture(MemoryDevice(dict(content)), of=device).manifest.id] = device

    def books(self, leaving=()) -> Books:
        self.accounts = Accounts(self.bench.again())
        return Books(self.accounts, TEAMS, leaving)

    def lying(self) -> int:
        return sum(len(content) for content in self.bench.blobs.held.values())

    def ends_in_what_lies_there(self, books: Books) -> None:
        self.assertEqual(sum(row.share.fair_bytes for row in books.teams.values()) + books.nobodys.sum_bytes, self.lying())

    def sets(self) -> tuple[dict[bytes, set[object]], dict[object, int]]:
        """Backup → what it needs, and what each of that occupies; read item by item."""
        vault = self.bench.again()
        vault.refresh()
        needs: dict[bytes, set[object]] = {}
        sizes: dict[object, int] = {}
        for manifest in vault.manifests():
            mine: set[object] = {manifest.id}
            sizes[manifest.id] = vault.ids(names.MANIFESTS)[manifest.id]
            for summary in manifest.trees:
                mine |= set(summary.tops)
                mine |= {span.chunk for stored in vault.items(manifest, summary.kind) for span in stored.spans}
            sizes |= {chunk: vault.index.place(chunk).sealed_bytes for chunk in mine if chunk != manifest.id}
            needs[manifest.id] = mine
        return needs, sizes


class TheBooks(AStore):
    def test_every_level_adds_up_to_the_one_above_and_all_to_what_lies_there(self):
        books = self.books()
        self.assertEqual({team: row.backups for team, row in books.teams.items()}, {"Shore Crew": 6, "Office": 3, "": 3})
        for team, row in books.teams.items():
            mine = [one.share.fair_bytes for device, one in books.devices.items() if TEAMS.get(device, "") == team]
            self.assertEqual(sum(mine), row.share.fair_bytes)
        for device, row in books.devices.items():
            for below in (books.kinds_of(device), books.backups_of(device)):
                self.assertEqual(sum(one.share.fair_bytes for one in below.values()), row.share.fair_bytes)
                self.assertEqual(sum(one.logical_bytes for one in below.values()), row.logical_bytes)
        self.ends_in_what_lies_there(books)

    def test_against_sets_of_chunks(self):
        needs, sizes = self.sets()
        of_device = {
            device: set().union(*(needs[id] for id, owner in self.taken.items() if owner == device)) for device in TEAMS | {"d4": ""}
        }
        books = self.books()
        teams = {"Shore Crew": of_device["d1"] | of_device["d2"], "Office": of_device["d3"], "": of_device["d4"]}
        for device, row in books.devices.items():
            others = set().union(*(chunks for other, chunks in of_device.items() if other != device))
            self.assertEqual(row.share.alone_bytes, sum(sizes[chunk] for chunk in of_device[device] - others))
            self.assertEqual(row.share.needed_bytes, sum(sizes[chunk] for chunk in of_device[device]))
            exact = Fraction(0)
            for chunk in of_device[device]:
                among = sum(chunk in mine for mine in teams.values())
                mine = next(team for team in ([("d1", "d2")] if device in ("d1", "d2") else [(device,)]))
                exact += Fraction(sizes[chunk], among * sum(chunk in of_device[one] for one in mine))
            self.assertLess(abs(row.share.fair_bytes - exact), 2)
        for device in of_device:
            for id, one in books.backups_of(device).items():
                others = set().union(*(chunks for other, chunks in needs.items() if other != id))
                self.assertEqual(one.share.alone_bytes, sum(sizes[chunk] for chunk in needs[id] - others))

    def test_a_kind_alone_is_what_leaving_it_out_would_spare(self):
        _, sizes = self.sets()
        vault = self.bench.again()
        vault.refresh()
        of_films: dict[bytes, int] = {}
        rest: set[object] = set()
        for manifest in vault.manifests():
            for summary in manifest.trees:
                mine = set(summary.tops) | {span.chunk for stored in vault.items(manifest, summary.kind) for span in stored.spans}
                if summary.kind == "videos" and manifest.device == "d1":
                    of_films |= {chunk: sizes[chunk] for chunk in mine}
                else:
                    rest |= mine
        books = self.books().kinds_of("d1")["videos"]
        self.assertEqual(books.share.alone_bytes, sum(size for chunk, size in of_films.items() if chunk not in rest))
        self.assertEqual((books.logical_bytes, books.backups), (30_000 + 60_000 + 90_000, 3))

    def test_a_set_of_devices_has_the_sum_of_their_shares_and_what_only_they_need(self):
        books, (needs, sizes) = self.books(), self.sets()
        together = books.together(["d1", "d3", "unknown"])
        assert together is not None
        mine = set().union(*(needs[id] for id, owner in self.taken.items() if owner in ("d1", "d3")))
        others = set().union(*(needs[id] for id, owner in self.taken.items() if owner not in ("d1", "d3")))
        self.assertEqual(together.share.alone_bytes, sum(sizes[chunk] for chunk in mine - others))
        self.assertEqual(together.share.fair_bytes, sum(books.devices[device].share.fair_bytes for device in ("d1", "d3")))
        self.assertIsNone(books.together(["unknown"]))

    def test_what_leaves_is_nobodys_and_takes_with_it_what_nobody_else_needs(self):
        leaving = [id for id, device in self.taken.items() if device == "d4"]
        alone = self.books().together(["d4"])
        books = self.books(leaving)
        self.assertNotIn("d4", books.devices)
        self.assertEqual(books.nobodys.leaving_bytes, alone.share.alone_bytes)
        self.ends_in_what_lies_there(books)

    def test_waste_marks_footers_and_what_no_index_knows_are_told_apart(self):
        for id, device in self.taken.items():
            if device == "d4":
                self.bench.vault.remove(id)
        waste = self.books().nobodys.remains
        self.assertGreater(waste.unneeded_bytes, 90_000)
        self.assertEqual(waste.marked_bytes, 0)
        self.ends_in_what_lies_there(self.books())
        sweep(self.bench.again(), now=self.bench.now, grace_seconds=3600)
        books = self.books()
        self.assertGreater(books.nobodys.remains.marked_bytes, 90_000)
        self.ends_in_what_lies_there(books)
        for _ in range(2):
            self.bench.now += timedelta(hours=2)
            sweep(self.bench.again(), now=self.bench.now, grace_seconds=3600)
        self.assertEqual(self.books().nobodys.remains.marked_bytes, 0)
        self.bench.blobs.create(names.pack_name(bytes(16)), b"begun and not ended")
        books = self.books()
        self.assertEqual(books.nobodys.remains.arriving_bytes, len(b"begun and not ended"))
        self.ends_in_what_lies_there(books)

    def test_what_is_needed_of_a_marked_pack_is_its_owners(self):
        """A mark by a sweep that was killed before it moved anything, or that met a run that relies on it."""
        packs = "".join(pack.hex() for pack in self.bench.again().ids(names.PACKS))
        fields = {"at": self.bench.now.isoformat(), "packs": packs, "moved_bytes": 0}
        before = self.books()
        self.bench.again().write_object(names.MARKS, json.dumps(fields).encode())
        books = self.books()
        self.assertEqual({team: row.share for team, row in books.teams.items()}, {team: row.share for team, row in before.teams.items()})
        self.assertLess(books.nobodys.remains.marked_bytes, 20_000, "only what packs them")
        self.ends_in_what_lies_there(books)

    def test_an_empty_store_holds_its_lists(self):
        self.bench = Bench()
        books = self.books()
        self.assertEqual((books.teams, books.devices, books.nobodys.sum_bytes), ({}, {}, self.lying()))
