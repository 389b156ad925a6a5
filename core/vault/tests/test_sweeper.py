"""Who sweeps (§9.9), and what an office leaves for whoever comes after it (§13)."""

from datetime import UTC, datetime, timedelta
from unittest import TestCase, mock

from core.vault import blobs as names
from core.vault.check import check
from core.vault.errors import StoreHolds, SweptByAnother
from core.vault.offices import OfficeRecord, entries, read_offices, write_office
from core.vault.sweep import sweep
from core.vault.sweeper import NOBODY, Sweeper, claim_sweeping, hand_over, who_sweeps
from core.vault.tests.bench_of_one import Bench

NOW = datetime(2026, 3, 2, 7, tzinfo=UTC)
PIER, SHED = Sweeper(who=b"p" * 16, name="Pier office"), Sweeper(who=b"s" * 16, name="Shed")


class WhoSweeps(TestCase):
    def setUp(self):
        self.vault = Bench().vault

    def test_the_first_that_sweeps_says_so_and_goes_on(self):
        self.assertEqual((who_sweeps(self.vault), NOBODY.number), (NOBODY, 0))
        for _ in range(3):
            sweep(self.vault, now=NOW, by=PIER)
        claim = who_sweeps(self.vault)
        self.assertEqual((claim.number, claim.sweeper, claim.at), (1, PIER, NOW))

    def test_another_one_does_not_and_removes_nothing(self):
        sweep(self.vault, now=NOW, by=PIER)
        lying = sorted(self.vault.blobs.list(""))
        for other in (SHED, None):
            with self.assertRaises(SweptByAnother) as caught:
                sweep(self.vault, now=NOW, by=other)
            self.assertEqual(caught.exception.name, "Pier office")
            self.assertTrue(caught.exception.remedy)
        self.assertEqual(sorted(self.vault.blobs.list("")), lying)

    def test_without_any_claim_somebody_without_an_id_may(self):
        sweep(self.vault, now=NOW)
        self.assertEqual(who_sweeps(self.vault), NOBODY)

    def test_a_person_hands_it_over_and_the_old_one_stops(self):
        sweep(self.vault, now=NOW, by=PIER)
        self.assertEqual(hand_over(self.vault, SHED, now=NOW).sweeper, SHED)
        sweep(self.vault, now=NOW, by=SHED)
        with self.assertRaises(SweptByAnother):
            sweep(self.vault, now=NOW, by=PIER)
        self.assertEqual(len(self.vault.ids(names.SWEEPERS)), 1)
        hand_over(self.vault, Sweeper(who=b"", name=""), now=NOW)
        sweep(self.vault, now=NOW, by=PIER)
        self.assertEqual((who_sweeps(self.vault).number, who_sweeps(self.vault).sweeper), (4, PIER))

    def test_of_two_at_the_same_time_exactly_one_may(self):
        """Both wrote number 1 before either looked again."""
        hand_over(self.vault, PIER, now=NOW)
        content = self.vault.read_object(next(name for name, _ in self.vault.blobs.list(names.SWEEPERS)))
        self.vault.write_object(names.SWEEPERS, content.replace(PIER.who.hex().encode(), SHED.who.hex().encode()))
        may = []
        for one in (PIER, SHED):
            try:
                claim_sweeping(self.vault, one, now=NOW)
                may.append(one)
            except SweptByAnother:
                pass
        self.assertEqual(len(may), 1)

    def test_what_cannot_be_read_counts_for_nothing_and_is_named(self):
        for case in (b"{}", b"[]", b'{"number": 0, "who": "", "name": "", "at": "2026-01-01T00:00:00+00:00"}', b'{"number": true}'):
            self.vault.write_object(names.SWEEPERS, case)
        self.vault.blobs.create(names.SWEEPERS + "0" * 32, b"garbage")
        self.assertEqual(who_sweeps(self.vault), NOBODY)
        self.assertEqual(len(self.vault.unreadable), 5)


class OnAPlaceThatLocks(TestCase):
    """What is locked there stays, counts for nothing, and stops nobody."""

    def test_handing_over_and_writing_anew_go_on(self):
        vault = Bench().vault
        with mock.patch.object(vault.blobs, "delete", side_effect=StoreHolds("locked until Friday")):
            for one in (PIER, SHED):
                hand_over(vault, one, now=NOW)
            for day in (0, 1):
                write_office(vault, OfficeRecord(server=b"a" * 16, office="", at=NOW + timedelta(days=day), told={"day": day}))
        self.assertEqual((len(vault.ids(names.SWEEPERS)), who_sweeps(vault).sweeper), (2, SHED))
        self.assertEqual([one.told for one in read_offices(vault)], [{"day": 1}])
        write_office(vault, OfficeRecord(server=b"a" * 16, office="", at=NOW + timedelta(days=2), told={}))
        self.assertEqual(len(vault.ids(names.OFFICES)), 1)

    def test_a_check_opens_them_and_names_a_damaged_one(self):
        vault = Bench().vault
        hand_over(vault, PIER, now=NOW)
        name = write_office(vault, OfficeRecord(server=b"a" * 16, office="", at=NOW, told={}))
        self.assertTrue(check(vault).ok)
        content = bytearray(vault.blobs.read(name))
        content[-1] ^= 1
        vault.blobs.delete(name)
        vault.blobs.create(name, bytes(content))
        self.assertEqual([entry.object for entry in check(vault).damaged], [name])
        write_office(vault, OfficeRecord(server=b"b" * 16, office="", at=NOW, told={}))
        self.assertTrue(check(vault).ok, "a damaged one that nobody can use stays for ever")


class WhatAnOfficeKnew(TestCase):
    def setUp(self):
        self.vault = Bench().vault

    def record(self, server: bytes, day: int, **fields: object) -> OfficeRecord:
        return OfficeRecord(server=server, office="Saltmarsh & Pike", at=NOW + timedelta(days=day), told=fields)

    def test_the_newest_of_each_server_is_read_and_its_earlier_ones_go(self):
        write_office(self.vault, self.record(b"a" * 16, 0, plans=[1]))
        write_office(self.vault, self.record(b"b" * 16, 1))
        write_office(self.vault, self.record(b"a" * 16, 2, plans=[1, 2]))
        self.assertEqual([(one.server[:1], one.told) for one in read_offices(self.vault)], [(b"a", {"plans": [1, 2]}), (b"b", {})])
        self.assertEqual(len(self.vault.ids(names.OFFICES)), 2)

    def test_nobody_without_the_key_reads_or_invents_one(self):
        name = write_office(self.vault, self.record(b"a" * 16, 0, secret="mudflat"))
        self.assertNotIn(b"mudflat", self.vault.blobs.read(name))
        self.vault.blobs.create(names.OFFICES + "1" * 32, self.vault.blobs.read(name))  # the same bytes under another name
        self.assertEqual(len(read_offices(self.vault)), 1)
        self.assertIn(names.OFFICES + "1" * 32, self.vault.unreadable)

    def test_a_list_that_is_none_holds_nothing(self):
        fields = {"holds": 5, "plans": [{"name": "a"}, "b", None], "devices": {"c": 1}}
        self.assertEqual([entries(fields, what) for what in ("holds", "plans", "devices", "gone")], [[], [{"name": "a"}], [], []])

    def test_what_has_another_shape_is_named_and_left_out(self):
        for case in (b"[]", b'{"format": 2}', b'{"format": 1, "server": "00", "office": "", "at": "x", "told": {}}'):
            self.vault.write_object(names.OFFICES, case)
        self.assertEqual(read_offices(self.vault), [])
        self.assertEqual(len(self.vault.unreadable), 3)
