from dataclasses import replace
from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.content.accounts import announced_accounts
from core.content.errors import DataAccessOff, DeviceAway, DeviceLied, DeviceLocked, NotAccepted, NotPaired, OtherHost
from core.content.families import FAMILIES
from core.content.link import Card, DeviceReport
from core.content.links import LINKS
from core.content.readiness import Level, blockers, let_in, readiness

NOW = datetime(2026, 3, 2, 7, tzinfo=UTC)
READY = DeviceReport(
    make="Orlo", model="P5", family="orlo", os_version="9.2", storage_total_bytes=1 << 36, storage_used_bytes=1 << 35, battery_percent=80,
    on_power=True, network="office", locked=False, data_access=True, finder_lock=False, accepted=True, card=Card(present=False), clock=NOW,
)  # fmt: skip


def levels(state, *, link="agent", **more) -> dict[str, Level]:
    return {finding.code: finding.level for finding in readiness(state, link=link, family="orlo", now=NOW, **more)}


class WhatADeviceSays(TestCase):
    def test_a_ready_device_has_nothing_to_do(self):
        findings = readiness(READY, link="agent", family="orlo", now=NOW)
        self.assertEqual({finding.level for finding in findings}, {Level.FINE})
        self.assertFalse(any(finding.step for finding in findings))

    def test_each_trouble_is_named_with_its_own_step(self):
        cases = {
            "accepted": ({"accepted": False}, Level.BLOCKS), "data_access": ({"data_access": False}, Level.BLOCKS),
            "locked": ({"locked": True}, Level.BLOCKS), "power": ({"on_power": False}, Level.WARNS),
            "battery": ({"on_power": False, "battery_percent": 12}, Level.WARNS), "network": ({"network": "elsewhere"}, Level.WARNS),
            "space": ({"storage_used_bytes": (1 << 36) - 5}, Level.WARNS), "clock": ({"clock": NOW + timedelta(minutes=4)}, Level.WARNS),
            "finder_lock": ({"finder_lock": True}, Level.WARNS),
            "card": ({"card": Card(present=True, size_bytes=1 << 30, encrypted=True)}, Level.WARNS),
        }  # fmt: skip
        for code, (change, level) in cases.items():
            with self.subTest(code=code):
                by_key = {one.code: one for one in readiness(replace(READY, **change), link="agent", family="orlo", now=NOW)}
                self.assertEqual(by_key[code].level, level)
                self.assertTrue(by_key[code].says and by_key[code].step)

    def test_a_low_battery_is_nothing_on_power_and_a_full_one_nothing_without(self):
        for percent, on_power, level in (
            (12, True, Level.FINE),
            (29, False, Level.WARNS),
            (30, False, Level.FINE),
            (80, False, Level.FINE),
        ):
            self.assertEqual(levels(replace(READY, battery_percent=percent, on_power=on_power))["battery"], level, (percent, on_power))

    def test_who_is_let_in(self):
        let_in(READY)
        let_in(DeviceReport(make="", model="", family="orlo", os_version=""))
        for change, error in (
            ({"accepted": False}, NotAccepted),
            ({"locked": True}, DeviceLocked),
            ({"data_access": False}, DataAccessOff),
        ):
            with self.assertRaises(error):
                let_in(replace(READY, **change))

    def test_blockers_come_in_the_order_of_doing(self):
        state = replace(READY, accepted=False, data_access=False, locked=True)
        self.assertEqual(
            [one.code for one in blockers(readiness(state, link="agent", family="orlo", now=NOW))], ["accepted", "data_access", "locked"]
        )

    def test_a_device_without_the_room_that_is_needed_is_blocked(self):
        self.assertEqual(levels(READY, needs_bytes=1 << 36)["space"], Level.BLOCKS)
        self.assertEqual(levels(READY, needs_bytes=1 << 30)["space"], Level.FINE)

    def test_what_nobody_told_is_untold_and_never_fine(self):
        silent = DeviceReport(make="", model="", family="orlo", os_version="")
        by_code = levels(silent)
        self.assertEqual({level for code, level in by_code.items() if code not in ("reachable", "paired")}, {Level.UNTOLD})

    def test_a_link_that_cannot_tell_invents_nothing_even_if_a_state_says_so(self):
        by_code = levels(READY, link="folder")
        self.assertEqual({by_code[code] for code in LINKS["folder"].cannot if code in by_code}, {Level.UNTOLD})


class WhenItDoesNotAnswer(TestCase):
    def test_each_trouble_stands_where_it_belongs(self):
        cases = ((DeviceAway("x"), "reachable"), (NotPaired("x"), "paired"), (OtherHost("x"), "paired"), (NotAccepted("x"), "accepted"))
        for trouble, code in cases:
            findings = readiness(None, link="agent", family="brenta", now=NOW, trouble=trouble)
            self.assertEqual([one.code for one in blockers(findings)], [code])
            self.assertTrue(findings[-1].step)

    def test_whose_holder_has_not_said_yes_gets_the_steps_of_its_own_family(self):
        for family in ("orlo", "brenta"):
            (said,) = blockers(readiness(None, link="agent", family=family, now=NOW, trouble=NotAccepted("x")))
            self.assertEqual(said.step, FAMILIES[family].accept)
        self.assertNotEqual(FAMILIES["orlo"].accept, FAMILIES["brenta"].accept)

    def test_a_device_that_is_only_in_the_register_is_blocked_with_what_to_do(self):
        findings = readiness(None, link="none", family="orlo", now=NOW)
        self.assertEqual(findings[0].level, Level.BLOCKS)
        self.assertIn("pair it", findings[0].says)

    def test_every_family_has_a_guide_for_the_first_time_and_for_not_being_seen(self):
        for family in FAMILIES.values():
            self.assertTrue(family.first_time and family.not_seen, family.code)


class Accounts(TestCase):
    def test_an_account_is_read_and_unknown_kinds_are_left_out(self):
        rows = [
            {"kind": "contacts", "service": "Groupware\u202e", "default": True, "last_sync": "2026-03-01T04:10:00+01:00"},
            {"kind": "dreams", "service": "x"},
            {"kind": "notes", "service": "y", "last_sync": None, "off_by_policy": True},
        ]
        one, two = announced_accounts(rows)
        self.assertEqual((one.service, one.is_default, one.last_sync), ("Groupware", True, datetime(2026, 3, 1, 3, 10, tzinfo=UTC)))
        self.assertEqual((two.off_by_policy, two.last_sync), (True, None))

    def test_rubbish_is_a_lie(self):
        for case in (None, {}, ["x"], [{"kind": "notes", "last_sync": "soon"}], [{"kind": "notes", "last_sync": "2026-01-01"}], [{}] * 201):
            with self.assertRaises(DeviceLied):
                announced_accounts(case)
