"""How the agent link moves bytes: on after a cut, many small items at once, packed, in parts, and never for ever."""

import contextlib
import os
import random
import threading
import time
from datetime import UTC, datetime
from unittest import mock

import zstandard

from adapters.links import agent as agent_link
from adapters.links.agent_http import MAX_WINDOW_BYTES, _unpacked
from checks.contracts.fleet_of_one import FleetOfOne
from core.content.errors import DeviceLied, ItemNotTaken, LinkSlow, NotAccepted, PairingRefused
from core.vault.chunks import VaultLimits
from core.vault.tests.bench_of_one import Bench, contents
from standins import device as standin_device


class Cuts(FleetOfOne):
    def setUp(self):
        super().setUp()
        self.link = self.paired()
        self.big = os.urandom(900_000)
        self.id = self.link.create("documents", "plan.bin", [self.big], size_bytes=len(self.big))
        self.item = next(item for item in self.link.inventory("documents") if item.id == self.id)

    def test_a_read_goes_on_at_the_byte_where_it_was_cut(self):
        self.simulated.turn({"drop_at_byte": self.simulated.sent_bytes + 400_000})
        before = self.simulated.sent_bytes
        self.assertEqual(b"".join(self.link.read(self.item)), self.big)
        self.assertEqual(self.simulated.knobs.drop_at_byte, 0, "the cable never came loose")
        self.assertLess(self.simulated.sent_bytes - before, 1.3 * len(self.big), "it began again from the start")

    def test_an_item_that_changed_meanwhile_is_not_put_together_from_two(self):
        self.simulated.turn({"drop_at_byte": self.simulated.sent_bytes + 400_000})
        pieces = self.link.read(self.item)
        next(pieces)
        self.life.write("documents", self.id, "plan.bin", os.urandom(900_000), at=self.item.modified)
        with self.assertRaises(ItemNotTaken):
            b"".join(pieces)

    def test_a_device_that_dribbles_for_ever_is_given_up(self):
        link = self.linked(self.key, patience_seconds=1)
        self.simulated.turn({"slow_bytes_per_second": 60_000})
        with mock.patch("adapters.links.agent_http.SLOWEST_BYTES_PER_SECOND", 1_000_000), self.assertRaises(LinkSlow):
            b"".join(link.read(self.item))

    def test_a_reader_that_takes_its_time_is_not_the_device_being_slow(self):
        link = self.linked(self.key, patience_seconds=0.2)
        pieces = link.read(self.item)
        held = bytearray(next(pieces))
        time.sleep(0.5)
        for piece in pieces:
            held += piece
        self.assertEqual(bytes(held), self.big)

    def test_what_nobody_reads_the_device_does_not_send(self):
        huge = os.urandom(1 << 20) * 40
        id = self.link.create("documents", "huge.bin", [huge], size_bytes=len(huge))
        item = next(item for item in self.link.inventory("documents") if item.id == id)
        before = self.simulated.sent_bytes
        pieces = self.link.read(item)
        next(pieces)
        time.sleep(0.6)
        self.assertLess(self.simulated.sent_bytes - before, 24 << 20)
        pieces.close()


class ManyAtOnce(FleetOfOne):
    def setUp(self):
        super().setUp()
        self.link = self.paired()
        self.items = self.link.inventory("contacts")
        self.asked = []
        real = self.link._exchange.ask
        self.link._exchange.ask = lambda method, target, body=None: (
            self.asked.append(target.partition("?")[0]) or real(method, target, body)
        )

    def read(self, item):
        return b"".join(self.link.read(item))

    def test_expected_items_come_in_one_answer_and_are_the_same(self):
        alone = {item.id: self.read(item) for item in self.items}
        self.asked.clear()
        self.link.expect(iter(self.items))
        self.assertEqual({item.id: self.read(item) for item in self.items}, alone)
        self.assertEqual(self.asked, ["/agent/v1/read"])

    def test_they_are_there_as_they_come_and_not_when_the_last_has_come(self):
        self.simulated.turn({"slow_bytes_per_second": 2_000})
        with mock.patch("standins.agent.WORTH_PACKING_BYTES", 1 << 30), mock.patch("standins.protocol.FRAME_BYTES", 256):
            self.link.expect(iter(self.items))
            began = time.monotonic()
            self.read(self.items[0])
            first = time.monotonic() - began
            for item in self.items[1:]:
                self.read(item)
            whole = time.monotonic() - began
        self.assertEqual(self.asked, ["/agent/v1/read"])
        self.assertLess(first, whole / 2)

    def test_items_may_be_left_out_and_others_read_between(self):
        self.link.expect(iter(self.items))
        photo = self.link.inventory("photos")[0]
        got = []
        for number, item in enumerate(self.items):
            if number % 3 == 0:
                continue
            got.append(len(self.read(item)) == item.size_bytes and len(self.read(photo)) == photo.size_bytes)
        self.assertTrue(all(got))

    def test_one_that_is_gone_or_changed_is_named_and_the_others_come(self):
        self.life.forget("contacts", self.items[1].id)
        self.life.write("contacts", self.items[2].id, "x", b"{}", at=self.items[2].modified)
        self.link.expect(iter(self.items))
        self.assertEqual(len(self.read(self.items[0])), self.items[0].size_bytes)
        for item, word in ((self.items[1], "gone"), (self.items[2], "changed")):
            with self.assertRaisesRegex(ItemNotTaken, word):
                self.read(item)
        self.assertEqual(len(self.read(self.items[3])), self.items[3].size_bytes)

    def test_a_whole_backup_holds_what_single_reads_give_and_asks_far_less(self):
        by_key = {(kind, item.id): self.read(item) for kind in self.link.kinds() for item in self.link.inventory(kind)}
        self.asked.clear()
        bench = Bench(limits=VaultLimits())
        captured = bench.capture(self.link)
        self.assertEqual(contents(bench.again(), captured.manifest), by_key)
        self.assertLess(len(self.asked), len(by_key) / 2)

    def test_a_lot_that_is_cut_in_the_middle_loses_nothing(self):
        self.simulated.turn({"drop_at_byte": self.simulated.sent_bytes + 1000})
        with mock.patch("standins.agent.WORTH_PACKING_BYTES", 1 << 30):
            self.link.expect(iter(self.items))
            for item in self.items:
                self.assertEqual(len(self.read(item)), item.size_bytes)
        self.assertEqual(self.simulated.knobs.drop_at_byte, 0)

    def test_an_answer_with_more_than_was_asked_for_is_refused(self):
        def endless(device, request):
            while True:
                yield b"\x00\x00\x00\x20" + b'{"kind":"x","id":"y","size_bytes"' + b":1048576}" + bytes(1 << 20)

        with mock.patch.object(standin_device.SimulatedDevice, "read_many", endless), self.assertRaises(DeviceLied):
            self.link.expect(iter(self.items))
            self.read(self.items[0])


class Inventories(FleetOfOne):
    def answering(self, *pages):
        """A link whose device gives these pages of photos, whatever it holds."""
        link, answers = self.paired(), iter(pages)
        patch = mock.patch.object(standin_device.SimulatedDevice, "inventory", lambda device, kind, after: next(answers))
        patch.start()
        self.addCleanup(patch.stop)
        return link

    def entry(self, id="p1", **changes):
        return {"id": id, "name": "a.jpg", "size_bytes": 3, "modified": "2026-03-02T07:00:00+00:00", "tag": "t"} | changes

    def test_one_that_stands_twice_on_one_page_or_on_two_is_named(self):
        self.simulated.turn({"announce_twice": True})
        link = self.paired()
        with self.assertRaisesRegex(DeviceLied, "twice"):
            link.inventory("photos")
        link = self.answering({"items": [self.entry("p1"), self.entry("p2")], "next": "p2"}, {"items": [self.entry("p2")], "next": None})
        with self.assertRaisesRegex(DeviceLied, "'p2' of photos twice"):
            link.inventory("photos")

    def test_more_items_than_any_device_holds_and_pages_without_end_are_refused(self):
        pages = ({"items": [self.entry(f"p{n:06}")], "next": f"p{n:06}"} for n in range(1000))
        link = self.answering(*pages)
        with mock.patch.object(agent_link, "MAX_ITEMS", 50), self.assertRaisesRegex(DeviceLied, "more than 50 items"):
            link.inventory("photos")
        link = self.answering({"items": [], "next": "b"}, {"items": [], "next": "a"})
        with self.assertRaisesRegex(DeviceLied, "does not end"):
            link.inventory("photos")

    def test_impossible_sizes_times_ids_and_shapes_are_named(self):
        for changes in (
            {"size_bytes": -1}, {"size_bytes": 1 << 60}, {"size_bytes": True}, {"size_bytes": "3"}, {"modified": "2026-03-02"},
            {"modified": "soon"}, {"modified": None}, {"id": ""}, {"id": "x" * 600}, {"tag": ""}, {"name": 7}, {"name": "x" * 2000},
        ):  # fmt: skip
            with self.subTest(changes=changes), self.assertRaises(DeviceLied):
                self.answering({"items": [self.entry(**changes)], "next": None}).inventory("photos")
        for page in ({}, {"items": 3, "next": None}, {"items": [3], "next": None}, {"items": [], "next": 3}):
            with self.subTest(page=page), self.assertRaises(DeviceLied):
                self.answering(page).inventory("photos")

    def test_names_in_either_composition_stay_two_items(self):
        entries = [
            self.entry("1", name="gr\u00fcn.jpg"),
            self.entry("2", name="gru\u0308n.jpg"),
            self.entry("3", name="CON"),
            self.entry("4", name="\u202egpj.exe"),
        ]
        answer = self.answering({"items": entries, "next": None}).inventory("photos")
        self.assertEqual([item.name for item in answer], ["gr\u00fcn.jpg", "gru\u0308n.jpg", "CON", "gpj.exe"])


class Packing(FleetOfOne):
    def test_text_comes_packed_and_pictures_do_not(self):
        link = self.paired()
        item = link.inventory("app_data")[0]
        photo = link.inventory("photos")[0]
        with mock.patch("adapters.links.agent_http._unpacked", side_effect=_unpacked) as unpack:
            b"".join(link.read(item))
            self.assertEqual(unpack.call_count, 1)
            b"".join(link.read(photo))
            self.assertEqual(unpack.call_count, 1)

    def test_a_bomb_comes_out_in_small_pieces_and_is_stopped_by_the_reader(self):
        bomb = zstandard.ZstdCompressor(level=19).compress(bytes(1 << 30))
        self.assertLess(len(bomb), 200_000)
        pieces = _unpacked(iter([bomb]))
        largest = max(len(next(pieces)) for _ in range(50))
        self.assertLessEqual(largest, 64 * 1024)
        pieces.close()

    def test_windows_that_need_much_memory_are_refused(self):
        params = zstandard.ZstdCompressionParameters(window_log=27, enable_ldm=True)
        packer = zstandard.ZstdCompressor(compression_params=params).compressobj()
        content = packer.compress(random.Random(1).randbytes(1 << 20)) + packer.flush()
        self.assertGreater(zstandard.get_frame_parameters(content).window_size, MAX_WINDOW_BYTES)
        with self.assertRaises(DeviceLied):
            list(_unpacked(iter([content])))

    def test_rubbish_and_a_tail_are_refused(self):
        good = zstandard.ZstdCompressor().compress(b"tide tables " * 100)
        self.assertEqual(b"".join(_unpacked(iter([good[:7], good[7:]]))), b"tide tables " * 100)
        for content in (b"rubbish", [good, b"tail"]):
            with self.assertRaises(DeviceLied):
                list(_unpacked(iter(content if isinstance(content, list) else [content])))


class WritesInParts(FleetOfOne):
    def setUp(self):
        super().setUp()
        self.link = self.paired()
        self.content = os.urandom(3_000_000)
        patch = mock.patch.object(agent_link, "PART_BYTES", 700_000)
        patch.start()
        self.addCleanup(patch.stop)

    def pieces(self):
        return (self.content[at : at + 50_000] for at in range(0, len(self.content), 50_000))

    def test_a_large_item_arrives_whole_beside_the_others_and_over_one(self):
        id = self.link.create("photos", "sea.jpg", self.pieces(), size_bytes=len(self.content))
        self.assertEqual(self.life.content("photos", id), self.content)
        old = self.link.inventory("photos")[0].id
        self.link.replace("photos", old, "sea.jpg", self.pieces(), size_bytes=len(self.content))
        self.assertEqual(self.life.content("photos", old), self.content)

    def test_what_is_as_large_as_a_part_needs_none(self):
        real, asked = self.link._exchange.ask, []
        self.link._exchange.ask = lambda method, target, body=None: asked.append(target) or real(method, target, body)
        id = self.link.create("photos", "sea.jpg", iter([self.content[:700_000]]), size_bytes=700_000)
        self.assertEqual(asked, ["/agent/v1/items/photos"])
        self.assertEqual(self.life.content("photos", id), self.content[:700_000])

    def test_a_cut_costs_one_part_and_not_the_whole(self):
        real, sent = self.link._exchange.ask, []

        def cutting(method, target, body=None):
            if method == "PUT":
                sent.append(sum(map(len, body)))
                if len(sent) == 3:
                    self.simulated.turn({"drop_at_byte": 1})
                    self.simulated.sent_bytes = 0
            return real(method, target, body)

        self.link._exchange.ask = cutting
        id = self.link.create("photos", "sea.jpg", self.pieces(), size_bytes=len(self.content))
        self.assertEqual(self.life.content("photos", id), self.content)
        self.assertLess(sum(sent), len(self.content) + 800_000)
        self.assertGreater(len(sent), 5, "nothing was cut")

    def test_what_is_not_finished_is_not_there(self):
        before = self.life.inventory("photos")

        def breaking():
            yield self.content[:1_500_000]
            raise DeviceLied("the store gave up")

        with self.assertRaises(DeviceLied):
            self.link.create("photos", "sea.jpg", breaking(), size_bytes=len(self.content))
        self.assertEqual(self.life.inventory("photos"), before)


class Acceptance(FleetOfOne):
    def test_until_its_holder_says_yes_a_device_tells_who_it_is_and_nothing_else(self):
        self.simulated.turn({"asks_holder": True})
        link = self.paired()
        self.assertIs(link.state().accepted, False)
        for ask in (lambda: link.inventory("contacts"), lambda: link.create("contacts", "x", [b"{}"], size_bytes=2)):
            with self.assertRaises(NotAccepted):
                ask()
        self.simulated.accept(True)
        self.assertTrue(link.inventory("contacts"))
        self.simulated.accept(False)  # as after an update
        with self.assertRaises(NotAccepted):
            Bench().capture(link)

    def test_an_old_code_is_refused_and_a_new_one_is_shown(self):
        code = self.simulated.code
        self.simulated.code_from -= standin_device.CODE_SECONDS + 1
        with self.assertRaisesRegex(PairingRefused, "too old"):
            agent_link_pair(self.address, code)
        self.assertNotEqual(self.simulated.shown_code(), code)
        self.assertTrue(agent_link_pair(self.address, self.simulated.shown_code()).accepted)

    def test_after_ten_wrong_codes_it_takes_none_for_a_while(self):
        for _ in range(10):
            with self.assertRaisesRegex(PairingRefused, "does not know"):
                agent_link_pair(self.address, "WRONGCOD")
        with self.assertRaisesRegex(PairingRefused, "waits"):
            agent_link_pair(self.address, self.simulated.shown_code())
        self.simulated.closed_until = 0
        agent_link_pair(self.address, self.simulated.shown_code())

    def test_two_who_pair_at_once_do_not_share_a_code(self):
        code, won = self.simulated.code, []

        def trying():
            with contextlib.suppress(PairingRefused):
                won.append(agent_link_pair(self.address, code))

        threads = [threading.Thread(target=trying) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertLessEqual(len(won), 1)

    def test_accounts_and_card_and_clock_are_told(self):
        link = self.paired()
        state = link.state()
        self.assertEqual((state.serial, state.card.present), ("OR-1", False))
        self.assertLess(abs((state.clock - datetime.now(UTC)).total_seconds()), 5)
        self.assertEqual(link.accounts(), [])


def agent_link_pair(address, code):
    from adapters.links.agent_pairing import pair

    return pair(address, code, server_name="test")
