"""Every finding of a device, whole: its level, what it says, what is to be done; and each bound on both sides."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from unittest import TestCase

from core.content.families import FAMILIES
from core.content.kinds import KINDS
from core.content.link import Card, DeviceReport
from core.content.readiness import CLOCK_SECONDS, LITTLE_ROOM_BYTES, Finding, Level, readiness

NOW = datetime(2026, 3, 2, 7, tzinfo=UTC)
READY = DeviceReport(
    make="Orlo", model="P5", family="orlo", os_version="9.2", storage_total_bytes=1 << 36, storage_used_bytes=1 << 35, battery_percent=80,
    on_power=True, network="office", locked=False, data_access=True, finder_lock=False, accepted=True, card=Card(present=False), clock=NOW,
)  # fmt: skip
GIB = 1 << 30


def finding(code: str, *, needs_bytes: int = 0, **change: object) -> Finding:
    findings = readiness(replace(READY, **change), link="agent", family="orlo", now=NOW, needs_bytes=needs_bytes)  # type: ignore[arg-type]
    (one,) = (one for one in findings if one.code == code)
    return one


class InWords(TestCase):
    def test_room_is_said_as_far_as_it_is_known(self):
        cases = (
            ({}, Level.FINE, "It has 32 GiB free of 64 GiB."),
            ({"free_bytes": 5 * GIB}, Level.FINE, "It has 5 GiB free of 64 GiB."),
            ({"free_bytes": 5 * GIB, "storage_total_bytes": None}, Level.FINE, "It has 5 GiB free."),
            ({"free_bytes": LITTLE_ROOM_BYTES}, Level.FINE, None),
            ({"free_bytes": LITTLE_ROOM_BYTES - 1}, Level.WARNS, None),
            ({"free_bytes": LITTLE_ROOM_BYTES - 1, "family": "folder"}, Level.FINE, None),
            ({"storage_used_bytes": (1 << 36) + 5}, Level.WARNS, "It has 0 bytes free of 64 GiB."),
            ({"storage_used_bytes": None}, Level.UNTOLD, ""),
            ({"storage_total_bytes": None}, Level.UNTOLD, ""),
            ({"free_bytes": 5 * GIB, "needs_bytes": 5 * GIB}, Level.FINE, "It has 5 GiB free of 64 GiB."),
            ({"free_bytes": 5 * GIB, "needs_bytes": 6 * GIB}, Level.BLOCKS, "It has 5 GiB free of 64 GiB. This needs 6 GiB."),
        )
        for change, level, says in cases:
            with self.subTest(change=change):
                one = finding("space", **change)
                self.assertEqual((one.level, one.says if says is not None else None), (level, says))
                self.assertEqual(bool(one.step), level in (Level.WARNS, Level.BLOCKS))

    def test_a_clock_is_right_up_to_its_bound_in_both_directions(self):
        for seconds, level in ((CLOCK_SECONDS, Level.FINE), (-CLOCK_SECONDS, Level.FINE), (CLOCK_SECONDS + 1, Level.WARNS)):
            self.assertEqual(finding("clock", clock=NOW + timedelta(seconds=seconds)).level, level, seconds)
        self.assertEqual(finding("clock", clock=NOW - timedelta(hours=3)).says, "Its clock is 3 hours off.")

    def test_a_card_is_said_with_its_size_where_that_is_known(self):
        cases = (
            (Card(present=False), Level.FINE, "There is no removable card in it."),
            (Card(present=True), Level.FINE, "It holds a removable card, not encrypted."),
            (Card(present=True, size_bytes=32 * GIB), Level.FINE, "It holds a removable card of 32 GiB, not encrypted."),
            (Card(present=True, encrypted=True), Level.WARNS, "Its removable card is encrypted by the device: nothing else can read it."),
            (
                Card(present=True, size_bytes=GIB, encrypted=True),
                Level.WARNS,
                "Its removable card of 1 GiB is encrypted by the device: nothing else can read it.",
            ),
        )
        for card, level, says in cases:
            one = finding("card", card=card)
            self.assertEqual((one.level, one.says, bool(one.step)), (level, says, level is Level.WARNS))

    def test_a_finder_lock_says_what_it_is_in_the_way_of(self):
        one = finding("finder_lock", finder_lock=True)
        says = "Its finder lock is on. A backup needs nothing of that; a restore and a reset do."
        self.assertEqual((one.level, one.says, one.step), (Level.WARNS, says, FAMILIES["orlo"].finder))
        self.assertEqual(finding("finder_lock", finder_lock=False).says, "Its finder lock is off.")

    def test_a_battery_and_a_network_say_how_it_stands(self):
        low = finding("battery", battery_percent=12, on_power=False)
        self.assertEqual((low.level, low.says), (Level.WARNS, "Its battery is at 12 %."))
        self.assertEqual(low.step, "Put it on power, or it may stop in the middle.")
        self.assertEqual(finding("battery").says, "Its battery is at 80 %.")
        self.assertEqual(finding("network").says, "It is on the office wireless.")
        self.assertEqual(finding("network", network="elsewhere").says, "It is not on the office wireless.")
        self.assertEqual(finding("power").says, "It is on power.")
        self.assertEqual(finding("power", on_power=False).says, "It runs on its battery.")


class OfKinds(TestCase):
    def test_what_is_secret_crosses_is_often_only_in_step_or_comes_back_by_itself(self):
        def those(what: str) -> set[str]:
            return {code for code, kind in KINDS.items() if getattr(kind, what)}

        self.assertEqual(those("secret"), {"wireless", "logins", "health"})
        self.assertEqual(those("crosses"), {"contacts", "calendar"})
        self.assertEqual(those("often_in_step"), {"contacts", "calendar", "photos", "videos", "notes", "mail", "documents"})
        self.assertEqual(those("regained"), {"apps"})
