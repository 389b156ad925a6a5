"""Restoring to a device that keeps items: the same item is one with the same content, and the report is counted from content."""

import json
import random
from dataclasses import replace
from unittest import TestCase, mock

from core.content.errors import DeviceFull, LinkCut
from core.recovery.conflicts import WhenThere
from core.recovery.extract import Unwritable, extract
from core.recovery.into_items import IntoItems
from core.recovery.restore import Going, MemoryIntents, restore
from core.recovery.selection import Selection, chosen
from core.vault.tests.bench_of_one import Bench, MemoryDevice, phone


def contact(name: str, number: str, **more: object) -> bytes:
    return json.dumps({"display": name, "phones": [{"label": "cell", "number": number}]} | more).encode()


class ADevice(TestCase):
    content: dict[tuple[str, str], bytes] = phone()

    def setUp(self):
        self.bench, self.device = Bench(), MemoryDevice(dict(self.content))
        self.before = dict(self.device.content)
        self.manifest = self.bench.capture(self.device).manifest
        self.vault = self.bench.again()
        self.vault.refresh()

    def restore(self, when_there: WhenThere, device: MemoryDevice | None = None, *, same: bool = True, intents=None):
        kinds, going, device = list(chosen(self.vault, self.manifest, Selection(everything=True))), Going(), device or self.device
        place = IntoItems(self.vault, device, when_there=when_there, same_device=same, going=going)
        return restore(self.vault, device, place, kinds, intents=intents, going=going)


class TheSameDevice(ADevice):
    def test_an_emptied_device_holds_every_byte_again(self):
        for protocol in (1, 2):
            self.device.content.clear()
            self.device.protocol = protocol
            report = self.restore(WhenThere.SKIP)
            self.assertEqual(self.device.content, self.before)
            self.assertEqual((report["contacts"].written, report["contacts"].expected, report["contacts"].found), (150, 150, 150))
            self.assertEqual(report["contacts"].proven_by, "content")
            self.assertEqual(report["app_data"].proven_by, "content" if protocol == 2 else "size")

    def test_what_is_there_already_is_not_written_again(self):
        report = self.restore(WhenThere.REPLACE)
        self.assertEqual((report["photos"].same, report["photos"].found, self.device.requests), (6, 6, 0))
        self.assertEqual(self.device.content, self.before)

    def test_keep_both_replace_and_skip(self):
        newer = b"x" * len(self.before["photos", "p1"])  # of the same size, as a corrupted photo is
        for choice, expected in (
            (WhenThere.KEEP_BOTH, {"p1": newer, "p1 2": self.before["photos", "p1"]}),
            (WhenThere.REPLACE, {"p1": self.before["photos", "p1"]}),
            (WhenThere.SKIP, {"p1": newer}),
        ):
            device = MemoryDevice({**self.before, ("photos", "p1"): newer})
            report = self.restore(choice, device)
            by_key = {id: content for (kind, id), content in device.content.items() if kind == "photos" and id.startswith("p1")}
            self.assertEqual(by_key, expected, choice)
            self.assertEqual(report["photos"].expected, report["photos"].found)

    def test_keeping_both_once_more_writes_nothing_more(self):
        self.device.content["photos", "p1"] = b"newer"
        self.restore(WhenThere.KEEP_BOTH)
        held = dict(self.device.content)
        report = self.restore(WhenThere.KEEP_BOTH)
        self.assertEqual((report["photos"].added, report["photos"].same), (0, 6))
        self.assertEqual(self.device.content, held)

    def test_what_was_added_since_stays(self):
        self.device.content["photos", "new"] = b"new"
        self.restore(WhenThere.REPLACE)
        self.assertEqual(self.device.content["photos", "new"], b"new")

    def test_a_device_that_swallows_what_is_written_is_found_out_and_what_is_missing_is_named(self):
        class Forgetful(MemoryDevice):
            def replace(self, kind, id, name, pieces, *, size_bytes):
                if id != "c007":
                    super().replace(kind, id, name, pieces, size_bytes=size_bytes)

        report = self.restore(WhenThere.REPLACE, Forgetful({}))
        self.assertEqual((report["contacts"].expected, report["contacts"].found, report["contacts"].missing), (150, 149, ["c007"]))
        self.assertFalse(report["contacts"].whole)

    def test_a_device_that_writes_other_bytes_of_the_same_length_is_found_out(self):
        class Careless(MemoryDevice):
            def replace(self, kind, id, name, pieces, *, size_bytes):
                content = b"".join(pieces)
                super().replace(kind, id, name, [content[:-1] + b"!" if id == "p3" else content], size_bytes=size_bytes)

        report = self.restore(WhenThere.REPLACE, Careless({}))
        self.assertEqual((report["photos"].expected, report["photos"].found, report["photos"].missing), (6, 5, ["p3"]))

    def test_a_damaged_item_is_named_and_the_rest_is_restored(self):
        photo = next(stored for stored in self.vault.items(self.manifest, "photos") if stored.item.id == "p2")
        place = self.vault.index.place(photo.spans[0].chunk)
        name = next(name for name in self.bench.blobs.held if name.endswith(place.pack.hex()))
        bad = bytearray(self.bench.blobs.held[name])
        bad[place.offset + 50] ^= 1
        self.bench.blobs.held[name] = bytes(bad)
        self.device.content.clear()
        report = self.restore(WhenThere.REPLACE)
        self.assertEqual((report["photos"].damaged, report["photos"].found), (["p2"], 5))
        self.assertNotIn(("photos", "p2"), self.device.content)
        for id in ("p0", "p1", "p3", "p4", "p5"):
            self.assertEqual(self.device.content["photos", id], self.before["photos", id])

    def test_a_device_without_room_is_refused_before_anything_is_written(self):
        other = MemoryDevice({})
        other.told = replace(other.told, storage_total_bytes=1000, storage_used_bytes=900)
        with self.assertRaises(DeviceFull):
            self.restore(WhenThere.REPLACE, other)
        self.assertEqual(other.content, {})

    def test_small_items_go_many_in_one_request_and_a_device_may_take_fewer(self):
        self.device.content.clear()
        self.device.takes_at_once = 40
        self.restore(WhenThere.SKIP)
        self.assertEqual(self.device.content, self.before)
        self.assertLess(self.device.requests, 0.2 * 150)


class AnotherDevice(ADevice):
    """Ids of another device mean other things; names and sizes are no evidence."""

    content = {
        ("contacts", "c1"): contact("Ann Quay", "117"), ("contacts", "c2"): contact("Bo Spit", "118"),
        ("contacts", "c3"): contact("Cay Ness", "119", emails=[]), ("photos", "p1"): b"sea" * 1000, ("photos", "p2"): b"sky" * 1000,
        ("settings", "s0"): b'{"value": "low"}', ("calls", "k1"): b'{"number": "117", "seconds": 4}',
    }  # fmt: skip

    def setUp(self):
        super().setUp()
        self.other = MemoryDevice({
            ("contacts", "c1"): contact("Dee Holm", "120"), ("contacts", "c9"): contact("Bo Spit", "999"),
            ("contacts", "c8"): b'{"phones": [{"number": "119", "label": "cell"}], "display": "Cay Ness"}',
            ("photos", "p1"): b"SEA" * 1000, ("settings", "s0"): b'{"value": "high"}',
        })  # fmt: skip
        self.other.names = {("contacts", "c1"): "Dee Holm", ("contacts", "c9"): "c2", ("contacts", "c8"): "c3"}

    def test_replacing_replaces_what_is_known_again_and_leaves_other_people_alone(self):
        report = self.restore(WhenThere.REPLACE, self.other, same=False)
        held = self.other.content
        self.assertEqual(held["contacts", "c1"], contact("Dee Holm", "120"))
        self.assertEqual(held["contacts", "c9"], contact("Bo Spit", "118"))
        self.assertEqual((held["photos", "p1"], held["settings", "s0"]), (b"sea" * 1000, b'{"value": "low"}'))
        self.assertEqual((report["contacts"].replaced, report["contacts"].same, report["contacts"].written), (1, 1, 1))
        counted = {kind: (entry.expected, entry.found) for kind, entry in report.items()}
        self.assertEqual(counted, {"calls": (1, 1), "contacts": (3, 3), "photos": (2, 2), "settings": (1, 1)})
        self.assertEqual(len([id for kind, id in held if kind == "settings"]), 1)

    def test_skipping_leaves_both_versions_of_what_differs_as_it_is(self):
        report = self.restore(WhenThere.SKIP, self.other, same=False)
        self.assertEqual(self.other.content["photos", "p1"], b"SEA" * 1000)
        self.assertEqual((report["photos"].left, report["photos"].written, report["photos"].found), (1, 1, 1))

    def test_a_second_time_everything_is_the_same(self):
        self.restore(WhenThere.KEEP_BOTH, self.other, same=False)
        held = dict(self.other.content)
        report = self.restore(WhenThere.KEEP_BOTH, self.other, same=False)
        self.assertEqual({kind: entry.same for kind, entry in report.items()}, {"calls": 1, "contacts": 3, "photos": 2, "settings": 1})
        self.assertEqual(self.other.content, held)

    def test_a_device_that_tells_no_digests_is_read_back_where_that_is_cheap(self):
        self.other.protocol = 1
        report = self.restore(WhenThere.REPLACE, self.other, same=False)
        self.assertEqual(self.other.content["photos", "p1"], b"sea" * 1000)
        self.assertEqual((report["photos"].replaced, report["photos"].proven_by), (1, "content"))

    def test_a_device_that_keeps_records_in_another_order_has_them_all_the_same(self):
        class Turning(MemoryDevice):
            def create(self, kind, name, pieces, *, size_bytes):
                content = json.loads(b"".join(pieces)) if kind == "contacts" else None
                turned = [json.dumps({name: content[name] for name in reversed(content)}, indent=2).encode()] if content else pieces
                return super().create(kind, name, turned, size_bytes=size_bytes)

        report = self.restore(WhenThere.SKIP, Turning({}), same=False)
        self.assertEqual((report["contacts"].found, report["contacts"].expected), (3, 3))


class TakenUpAgain(ADevice):
    """Its writer died, or the cable came loose: nothing is there twice."""

    def test_after_a_cut_at_any_request_nothing_is_there_twice(self):
        for protocol, step in ((1, 20), (2, 1)):
            cuts = 0
            for last in range(1, 400, step):
                device, intents = _Cut({}), MemoryIntents()
                device.protocol, device.requests_left, device.takes_at_once = protocol, last, 30
                try:
                    self.restore(WhenThere.KEEP_BOTH, device, same=False, intents=intents)
                    break
                except LinkCut:
                    cuts += 1
                device.requests_left = 10_000
                report = self.restore(WhenThere.KEEP_BOTH, device, same=False, intents=intents)
                self.assertEqual(sorted(device.content.values()), sorted(self.before.values()), (protocol, last))
                self.assertTrue(all(entry.whole and entry.expected == entry.chosen for entry in report.values()), report)
            self.assertGreater(cuts, 6)


class _Cut(MemoryDevice):
    """Carries out the last request, and the answer never comes."""

    requests_left = 0

    def create(self, kind, name, pieces, *, size_bytes):
        id = super().create(kind, name, pieces, size_bytes=size_bytes)
        if self.protocol == 1 or (size_bytes > 64 * 1024 and kind != "contacts"):
            self._count()
        return id

    def write_many(self, kind, items):
        ids = super().write_many(kind, items)
        self._count()
        return ids

    def _count(self):
        self.requests_left -= 1
        if self.requests_left <= 0:
            raise LinkCut("The cable came loose.")


class ManyItems(TestCase):
    def test_no_more_than_some_are_held_at_a_time(self):
        bench = Bench()
        content = {("documents", f"d{n:03}"): f"document {n}".encode() for n in range(95)}
        manifest = bench.capture(MemoryDevice(content)).manifest
        vault = bench.again()
        vault.refresh()
        asked, most, got = 0, 0, dict[str, bytes]()

        def items():
            nonlocal asked, most
            for stored in vault.items(manifest, "documents"):
                asked += 1
                most = max(most, asked - len(got))
                yield stored.item.id, stored

        class Place:
            def file(self, path, item, pieces, *, over=False):
                got[path] = b"".join(pieces)

        with mock.patch("core.recovery.extract._AT_ONCE", 10):
            self.assertEqual(extract(vault, items(), [], Place()).items, 95)
        self.assertEqual((got, most), ({id: held for (_, id), held in content.items()}, 10))


class OneThatThePlaceRefuses(TestCase):
    """Chunks come in the order of the store: whoever follows an item that was given up gets its own."""

    def test_before_it_was_read_takes_nothing_from_its_neighbours(self):
        content = {
            ("photos", f"p{n}"): random.Random(n).randbytes(30_000) for n in range(6)
        }  # of one length: a neighbour's bytes would fit
        bench = Bench()
        manifest = bench.capture(MemoryDevice(dict(content))).manifest
        vault = bench.again()
        vault.refresh()
        got: dict[str, bytes] = {}

        class Place:
            def file(self, path, item, pieces, *, over=False):
                if path == "p2":
                    raise Unwritable("not here")
                got[path] = b"".join(pieces)

        extracted = extract(vault, [(stored.item.id, stored) for stored in vault.items(manifest, "photos")], [], Place())
        self.assertEqual([lost.path for lost in extracted.lost], ["p2"])
        self.assertEqual(got, {id: held for (_, id), held in content.items() if id != "p2"})
