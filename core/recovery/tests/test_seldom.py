"""What a restore meets seldom: damage in what it compares, records that are none, a place that holds a thing not, batches at their bounds."""

from dataclasses import replace
from unittest import TestCase, mock

from core.content.errors import ItemNotTaken
from core.content.items import Item
from core.content.records import MAX_RECORD_BYTES
from core.exchange.containers import NotHeld
from core.recovery.comparing import Comparison
from core.recovery.conflicts import ConflictStep
from core.recovery.drill import DrillReport, Findings
from core.recovery.extract import Unwritable
from core.recovery.inside import TextLine, line
from core.recovery.into_folder import InFolder
from core.recovery.placing import converted
from core.recovery.restore import BATCH_BYTES, BATCH_ITEMS, Going, Planned, _batches
from core.vault.errors import Stopped
from core.vault.manifests import Stored
from core.vault.tests.bench_of_one import START, Bench, MemoryDevice


def item(kind: str = "contacts", **more: object) -> Item:
    return replace(Item(kind=kind, id="1", name="n", size_bytes=1, modified=START, tag="1"), **more)  # type: ignore[arg-type]


class Seldom(TestCase):
    def test_as_many_lost_as_differing_is_no_right_drill(self):
        report = DrillReport(of_items=9, of_bytes=9, lost=Findings(count=2), differing=Findings(count=2))
        self.assertEqual((report.wrong_count, report.right), (4, False))

    def test_a_file_of_events_that_a_rule_put_there_tells_the_first_twelve(self):
        event = b"BEGIN:VEVENT\r\nUID:u\r\nDTSTART:20260101T000000Z\r\n%bEND:VEVENT\r\n"
        parts = [b"SUMMARY:Tide %d\r\n" % n for n in range(12)]
        for more, ends in (([], "Tide 11"), ([b""], "Tide 11 …")):
            file = b"BEGIN:VCALENDAR\r\nVERSION:2.0\r\n" + b"".join(event % part for part in [*parts, *more]) + b"END:VCALENDAR\r\n"
            shown = line(item("calendar", name="all.ics", attributes={"mode": 0o644}), file)
            self.assertTrue(shown.detail.endswith(ends), shown)
        odd = line(item("calendar", name="odd.ics", attributes={"mode": 0o644}), b"BEGIN:VEVENT\r\nUID:u\r\nEND:VEVENT\r\n" + event % b"")
        self.assertIn("(no title)", odd.detail)
        self.assertEqual(line(item("photos", name="p", attributes={"mode": 0o644}), b"x"), TextLine(title="p", detail=""))

    def test_records_that_are_too_long_damaged_or_none_are_empty(self):
        bench = Bench()
        device = MemoryDevice({("contacts", "good"): b'{"display":"Ada"}', ("contacts", "odd"): b"no record"})
        manifest = bench.capture(device).manifest
        vault = bench.again()
        vault.refresh()
        good, odd = vault.items(manifest, "contacts")
        looks = Comparison(vault, device, "contacts", [], [], on_item=lambda: None)
        self.assertEqual([looks.record_of(one) for one in (good, odd)], [{"display": "Ada"}, {}])
        self.assertEqual([looks.record_there(one.item) for one in (good, odd)], [{"display": "Ada"}, {}])
        long = replace(good.item, size_bytes=MAX_RECORD_BYTES + 1)
        self.assertEqual([looks.record_of(replace(good, item=long)), looks.record_there(long)], [{}, {}])
        with mock.patch.object(device, "read", side_effect=ItemNotTaken("It is gone.")):
            self.assertEqual(looks.record_there(good.item), {})
        unread = bench.again()
        unread.refresh()
        bench.blobs.held = {name: content for name, content in bench.blobs.held.items() if not name.startswith("packs/")}
        self.assertEqual(Comparison(unread, device, "contacts", [], [], on_item=list).record_of(good), {})
        self.assertEqual(converted(odd.item, b"no record"), b"no record")

    def test_a_folder_that_does_not_hold_a_thing_says_so_in_the_words_of_exports(self):
        place = InFolder(
            mock.Mock(**{f"{what}.side_effect": Unwritable("Its name is too long.") for what in ("file", "link", "folder")}), close=list
        )
        for attempt in (lambda: place.file("a", item(), []), lambda: place.link("a", item()), lambda: place.folder("a", item())):
            with self.assertRaisesRegex(NotHeld, "too long"):
                attempt()

    def test_batches_end_at_their_bounds_and_hold_everything_once(self):
        def sizes(*each: int) -> list[int]:
            plan = [Planned(stored=Stored(item(size_bytes=size), (), None), step=ConflictStep.WRITE) for size in each]
            batches = list(_batches(plan))
            self.assertEqual([one for batch in batches for one in batch], plan)
            return [len(batch) for batch in batches]

        self.assertEqual(sizes(*[1] * (BATCH_ITEMS * 2 + 1)), [BATCH_ITEMS, BATCH_ITEMS, 1])
        self.assertEqual(sizes(BATCH_BYTES - 1, 1, 5), [2, 1])
        self.assertEqual([sizes(BATCH_BYTES, 5), sizes()], [[1, 1], []])

    def test_who_wants_it_to_stop_is_heard_before_anything_is_told(self):
        told: list[object] = []
        with self.assertRaises(Stopped):
            Going(tell=lambda *all: told.append(all), should_stop=lambda: True)()
        Going(tell=lambda *all: told.append(all), kind="photos", done_bytes=3, total_bytes=7)()
        self.assertEqual(told, [("photos", 3, 7)])
