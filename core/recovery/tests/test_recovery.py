from dataclasses import replace
from unittest import TestCase

from core.content.items import Item
from core.content.link import DeviceReport
from core.content.readiness import Level
from core.errors import BadInput
from core.recovery.inside import TextLine, line, matches
from core.recovery.preflight import preflight
from core.recovery.selection import Selection, chosen
from core.vault.tests.bench_of_one import START, Bench, MemoryDevice, phone

STATE = DeviceReport(make="Harrow", model="H1", family="orlo", os_version="9.2", locked=False, data_access=True, finder_lock=False,
                    storage_total_bytes=1000, storage_used_bytes=400, battery_percent=80, on_power=False)  # fmt: skip


class WhatIsChosen(TestCase):
    def setUp(self):
        self.bench = Bench()
        self.manifest = self.bench.capture(MemoryDevice(phone())).manifest
        self.vault = self.bench.again()
        self.vault.refresh()

    def names(self, **selection: object) -> dict[str, int]:
        return {kind: len(one) for kind, one in chosen(self.vault, self.manifest, Selection(**selection))}

    def test_everything_kinds_or_single_items(self):
        self.assertEqual(self.names(everything=True), {"app_data": 1, "contacts": 150, "documents": 1, "photos": 6})
        self.assertEqual(self.names(kinds=frozenset({"photos"})), {"photos": 6})
        self.assertEqual(self.names(items=frozenset({("contacts", "c007"), ("photos", "c007")})), {"contacts": 1})

    def test_nothing_is_no_choice(self):
        with self.assertRaises(BadInput):
            Selection()
        with self.assertRaises(BadInput):
            Selection(kinds=frozenset({"smoke"}))


class BeforeARestore(TestCase):
    """What blocks a restore: common practice, no published source."""

    def codes(self, state: DeviceReport = STATE, kinds: tuple[str, ...] = ("contacts",), **more: object) -> list[str]:
        fields = {"source_family": "orlo", "source_version": "9.2", "needed_bytes": 100} | more
        return [finding.code for finding in preflight(state, kinds=kinds, **fields)]  # type: ignore[arg-type]

    def test_nothing_in_the_way(self):
        self.assertEqual(self.codes(), [])

    def test_each_blocker(self):
        cases = {
            "locked": {"locked": True},
            "finder_lock": {"finder_lock": True},
            "data_access": {"data_access": False},
            "older_system": {"os_version": "9.1.9"},
        }
        for code, change in cases.items():
            self.assertEqual(self.codes(replace(STATE, **change)), [code])
        self.assertEqual(self.codes(needed_bytes=601), ["space"])
        self.assertEqual(self.codes(needed_bytes=600), [])

    def test_across_families_photos_stay_behind_and_contacts_travel(self):
        self.assertEqual(self.codes(replace(STATE, family="brenta", os_version="3"), kinds=("contacts", "photos")), ["family"])
        self.assertEqual(self.codes(replace(STATE, family="brenta", os_version="3")), [])

    def test_another_persons_device_in_use_is_said_where_it_would_be_readable_there(self):
        fields = {"kinds": ("messages", "photos"), "holders": ("L. Pellow", "E. Brandt")}
        findings = preflight(STATE, source_family="orlo", source_version="9.2", needed_bytes=1, **fields)
        self.assertEqual([(one.code, one.level) for one in findings], [("other_holder", Level.WARNS)])
        self.assertIn("messages of L. Pellow", findings[0].says)
        self.assertEqual(self.codes(kinds=("photos",), holders=("L. Pellow", "E. Brandt")), [])

    def test_a_place_that_keeps_files_says_that_records_arrive_as_files(self):
        self.assertEqual(self.codes(replace(STATE, family="folder"), kinds=("contacts", "photos")), ["open_files"])
        self.assertEqual(self.codes(replace(STATE, family="folder", free_bytes=10), kinds=("photos",)), ["space"])

    def test_versions_are_compared_as_numbers(self):
        self.assertEqual(self.codes(replace(STATE, os_version="10.0")), [])

    def test_what_is_said_speaks_of_a_restore_and_not_of_a_run(self):
        said = preflight(
            replace(STATE, finder_lock=True, battery_percent=12),
            kinds=("contacts",),
            source_family="orlo",
            source_version="9.2",
            needed_bytes=1,
        )
        self.assertEqual([one.says for one in said], ["Its finder lock is on.", "Its battery is at 12 %."])
        self.assertFalse([one for one in said if "run" in one.step.split() or "backup" in one.says])

    def test_a_low_battery_warns_after_the_blockers(self):
        self.assertEqual(self.codes(replace(STATE, battery_percent=12, locked=True)), ["locked", "battery"])


class LookingInside(TestCase):
    def item(self, kind: str, name: str = "n") -> Item:
        return Item(kind=kind, id="1", name=name, size_bytes=1, modified=START, tag="1")

    def test_a_contact_an_event_and_a_conversation_in_words(self):
        contact = line(self.item("contacts"), b'{"display": "Ann Quay", "phones": [{"number": "117"}]}')
        self.assertEqual((contact.title, contact.detail), ("Ann Quay", "117"))
        event = line(self.item("calendar"), b'{"title": "Tide", "start": "2026-03-28T09:00", "place": "Quay"}')
        self.assertEqual((event.title, event.detail), ("Tide", "2026-03-28 09:00 · Quay"))
        talk = line(self.item("messages"), b'{"with": ["Bo"], "messages": [{"from": "Bo", "text": "low tide"}]}')
        self.assertEqual((talk.title, talk.detail), ("Bo", "1 message · low tide"))
        self.assertTrue(matches(talk, self.item("messages"), ["LOW", "bo"]))
        self.assertFalse(matches(talk, self.item("messages"), ["high"]))

    def test_passwords_do_not_show(self):
        text = line(self.item("wireless", "Harbour"), b'{"security": "wpa3", "password": "hunter2 is mine"}')
        self.assertNotIn("hunter2", str(text))

    def test_a_file_of_cards_or_events_that_a_rule_put_there_tells_what_is_in_it(self):
        cards = b"BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Ann Quay\r\nEND:VCARD\r\nBEGIN:VCARD\r\nVERSION:4.0\r\nFN:Bo\r\nEND:VCARD\r\n"
        file = replace(self.item("contacts", "all.vcf"), attributes={"mode": 0o644})
        self.assertEqual(line(file, cards), TextLine(title="all.vcf", detail="2 contacts: Ann Quay, Bo"))
        self.assertEqual(line(file, b"no card at all").detail, "")

    def test_rubbish_is_shown_by_its_name(self):
        for content in (b"\xff", b"[]", b'{"with": 5, "messages": [1, {"text": []}]}'):
            self.assertEqual(line(self.item("messages", "odd"), content).title in ("odd", "5"), True)
