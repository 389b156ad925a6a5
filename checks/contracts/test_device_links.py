"""What every device link promises, over the folder and over the agent protocol with the simulated device behind it."""

import hashlib
import os
import shutil
import tempfile
from pathlib import Path
from unittest import TestCase, mock

import httpx

from adapters.links.agent import AgentLink
from adapters.links.agent_pairing import offers, pair
from adapters.links.folder import FolderLink
from checks.contracts.fleet_of_one import FleetOfOne
from checks.contracts.promises_of_files import FilePromises
from core.content.errors import (
    DataAccessOff,
    DeviceAway,
    DeviceFull,
    DeviceLied,
    DeviceLocked,
    ItemNotTaken,
    LinkCut,
    NotPaired,
    PairingRefused,
)  # fmt: skip
from core.content.kinds import FOLDERS
from core.content.link import DeviceLink, SmallItem
from core.content.paths import link_of
from core.vault.chunks import VaultLimits
from core.vault.tests.bench_of_one import Bench, contents

SOME = {"a.txt": b"one", "sub/b.txt": b"two", "DCIM/p.jpg": b"\xff\xd8photo" * 100_000, "Voice/v.wav": b"RIFF", "e.txt": b""}
"""Files for a link that sees files only."""


class Promises:
    """Mixed into a TestCase that makes `self.link` and `self.kind`, a kind that it holds some items of."""

    def some(self) -> None:
        """Put `SOME` there, where nothing is yet."""
        for name, content in SOME.items() if hasattr(self, "given") else ():
            self.given(name, content)

    link: DeviceLink
    kind: str

    def read(self, item) -> bytes:
        return b"".join(self.link.read(item))

    def test_every_item_is_as_long_as_announced(self):
        self.some()
        for kind in self.link.kinds():
            for item in self.link.inventory(kind):
                self.assertEqual(len(self.read(item)), item.size_bytes, item)

    def test_inventories_are_sorted_and_repeatable(self):
        self.some()
        first = self.link.inventory(self.kind)
        self.assertEqual([item.id for item in first], sorted(item.id for item in first))
        self.assertEqual(self.link.inventory(self.kind), first)

    def test_an_item_that_is_gone_is_no_crash(self):
        self.some()
        from dataclasses import replace

        gone = replace(self.link.inventory(self.kind)[0], id="gone", size_bytes=3)
        with self.assertRaises(ItemNotTaken):
            self.read(gone)

    def test_a_backup_holds_byte_for_byte_what_the_link_gives(self):
        self.some()
        bench = Bench(limits=VaultLimits())
        captured = bench.capture(self.link)
        self.assertEqual(captured.skipped, ())
        self.assertGreater(captured.manifest.items, 4)
        by_key = {(kind, item.id): self.read(item) for kind in self.link.kinds() if kind != FOLDERS for item in self.link.inventory(kind)}
        self.assertEqual(contents(bench.again(), captured.manifest), by_key)


class ItemPromises:
    """Of a device that keeps items by ids of its own."""

    def test_a_created_item_stands_beside_the_others(self):
        before = self.link.inventory(self.kind)
        id = self.link.create(self.kind, before[0].name, [b"new ", b"content"], size_bytes=11)
        after = {item.id: item for item in self.link.inventory(self.kind)}
        self.assertEqual(set(after), {item.id for item in before} | {id})
        self.assertEqual(self.read(after[id]), b"new content")

    def test_a_replaced_item_changes_its_tag_and_the_others_stay(self):
        before = self.link.inventory(self.kind)
        self.link.replace(self.kind, before[0].id, before[0].name, [b"changed"], size_bytes=7)
        after = self.link.inventory(self.kind)
        self.assertEqual([item.id for item in after], [item.id for item in before])
        self.assertNotEqual(after[0].tag, before[0].tag)
        self.assertEqual(after[1:], before[1:])

    def test_many_items_are_written_at_once_each_whole_and_digests_tell_what_is_there(self):
        before = self.link.inventory(self.kind)
        small = [SmallItem(id=None, name=f"new {n}", content=b"content %d" % n) for n in range(40)]
        small.append(SmallItem(id=before[0].id, name=before[0].name, content=b"changed"))
        ids = self.link.write_many(self.kind, small)
        self.assertEqual(ids[-1], before[0].id)
        after = {item.id: item for item in self.link.inventory(self.kind)}
        self.assertEqual([self.read(after[id]) for id in ids], [item.content for item in small])
        digests = self.link.digests(self.kind, [*ids, "gone"])
        self.assertEqual(digests, [*(hashlib.sha256(item.content).digest() for item in small), None])


class AFolder(Promises, FilePromises, TestCase):
    kind = "documents"

    def setUp(self):
        self.root = Path(tempfile.mkdtemp(prefix="attic-folder-"))
        self.addCleanup(shutil.rmtree, self.root)
        self.link = FolderLink(self.root)

    def given(self, path: str, content: bytes) -> None:
        (self.root / path).parent.mkdir(exist_ok=True)
        (self.root / path).write_bytes(content)

    def test_files_are_sorted_into_kinds(self):
        self.some()
        self.assertEqual(self.link.kinds(), ["photos", "recordings", "documents", "folders"])

    def test_links_out_of_the_folder_are_carried_and_never_followed(self):
        os.symlink("/etc/passwd", self.root / "innocent.txt")
        os.symlink("/etc", self.root / "folder")
        self.assertEqual(self.found(), {b"folder": b"", b"innocent.txt": b""})
        self.assertEqual([link_of(item) for item in self.link.inventory("documents")], ["/etc", "/etc/passwd"])

    def test_its_room_is_told_and_the_disk_of_the_server_is_not_shown_as_its_own(self):
        state = self.link.state()
        self.assertGreater(state.free_bytes, 0)
        self.assertEqual((state.storage_total_bytes, state.storage_used_bytes), (None, None))
        with mock.patch("os.path.ismount", lambda path: True):
            self.assertGreater(self.link.state().storage_total_bytes, 0)

    def test_a_folder_that_is_not_there_is_an_away_device(self):
        with self.assertRaises(DeviceAway):
            FolderLink(self.root / "gone").state()


class AnAgent(Promises, ItemPromises, FleetOfOne):
    kind = "documents"

    def setUp(self):
        super().setUp()
        self.link = self.paired()


class Pairing(FleetOfOne):
    def test_a_wrong_code_counts_the_tries_that_are_left(self):
        with self.assertRaises(PairingRefused) as caught:
            pair(self.address, "WRONGCOD", server_name="test")
        self.assertIn("4 more tries", str(caught.exception))
        self.assertFalse(self.simulated.paired)

    def test_after_five_wrong_tries_the_code_is_another_one(self):
        code = self.simulated.code
        for _ in range(5):
            with self.assertRaises(PairingRefused):
                pair(self.address, "WRONGCOD", server_name="test")
        self.assertNotEqual(self.simulated.code, code)
        with self.assertRaises(PairingRefused):
            pair(self.address, code, server_name="test")

    def test_a_code_works_once(self):
        code = self.simulated.code
        pair(self.address, code, server_name="test")
        with self.assertRaises(PairingRefused):
            pair(self.address, code, server_name="other")

    def test_the_code_never_crosses_the_wire(self):
        sent: list[bytes] = []
        real = httpx.HTTPTransport.handle_request

        def listening(transport, request):
            sent.append(request.read() + str(request.headers).encode())
            return real(transport, request)

        httpx.HTTPTransport.handle_request = listening
        try:
            pair(self.address, self.simulated.code, server_name="test")
        finally:
            httpx.HTTPTransport.handle_request = real
        self.assertTrue(sent)
        self.assertFalse([body for body in sent if self.simulated.code.encode() in body])


class TroublesOfAnAgent(FleetOfOne):
    def setUp(self):
        super().setUp()
        self.link = self.paired()
        self.item = self.link.inventory("photos")[0]

    def test_away(self):
        self.simulated.turn({"away": True})
        with self.assertRaises((DeviceAway, LinkCut)):
            self.link.state()
        with self.assertRaises(DeviceAway):
            self.fresh().state()
        self.simulated.turn({"away": False})
        self.assertEqual(self.fresh().state().model, "P1")

    def fresh(self) -> AgentLink:
        return self.linked(self.key)

    def test_locked_and_without_data_access(self):
        for knobs, error in (({"locked": True}, DeviceLocked), ({"locked": False, "data_access": False}, DataAccessOff)):
            self.simulated.turn(knobs)
            with self.assertRaises(error):
                b"".join(self.link.read(self.item))

    def test_a_device_that_is_unplugged_in_the_middle(self):
        self.simulated.turn({"unplug_at_byte": self.item.size_bytes // 2})
        with self.assertRaises((LinkCut, DeviceAway)):
            b"".join(self.link.read(self.item))
        self.simulated.turn({"away": False})
        self.assertEqual(len(b"".join(self.fresh().read(self.item))), self.item.size_bytes)

    def test_no_room_for_a_restore(self):
        self.simulated.turn({"full": True})
        with self.assertRaises(DeviceFull):
            self.link.create("photos", "x.jpg", [b"x"], size_bytes=1)

    def test_a_server_that_has_itself_forgotten_is_told_to_pair_again(self):
        self.fresh().unpair()
        with self.assertRaises(NotPaired):
            self.link.state()

    def test_a_stranger_with_another_key_gets_nothing(self):
        stranger = AgentLink(self.address, b"x" * 32, random=os.urandom)
        self.addCleanup(stranger.close)
        with self.assertRaises(NotPaired):
            stranger.state()

    def test_a_request_that_came_before_is_refused(self):
        replayed = AgentLink(self.address, self.key, random=lambda count: b"\x01" * count)
        self.addCleanup(replayed.close)
        replayed.state()
        with self.assertRaises(NotPaired):
            replayed.state()

    def test_a_changed_answer_is_found(self):
        from standins import agent

        real = agent.sealed

        def tampering(*arguments):
            for frame in real(*arguments):
                yield frame[:-1] + bytes([frame[-1] ^ 1])

        agent.sealed = tampering
        try:
            with self.assertRaises(DeviceLied):
                self.link.state()
        finally:
            agent.sealed = real

    def test_sizes_that_lie_leave_the_items_out_and_the_rest_is_saved(self):
        self.simulated.turn({"lie_about_sizes": True})
        captured = Bench(limits=VaultLimits()).capture(self.link)
        self.assertEqual([skipped.kind for skipped in captured.skipped], ["photos"])
        self.assertEqual(captured.manifest.summary("photos").items, len(self.life.inventory("photos")) - 1)

    def test_strange_names_stay_names(self):
        self.simulated.turn({"strange_names": True})
        names = [item.name for item in self.link.inventory("photos")]
        self.assertEqual(names[0], "../../etc/passwd")
        self.assertNotIn("\u202e", names[1])


class TheNetwork(FleetOfOne):
    def test_announcements_are_read_with_suspicion(self):
        from standins.control import ControlServer

        control = ControlServer(0, [self.simulated])
        import threading

        threading.Thread(target=control.serve_forever, daemon=True).start()
        self.addCleanup(control.server_close)
        self.addCleanup(control.shutdown)
        base = f"http://127.0.0.1:{control.server_address[1]}"
        self.assertEqual([offer.device for offer in offers(base + "/announcements")], ["test-phone"])
        with self.assertRaises(DeviceLied):
            offers(base + "/control/")
        with self.assertRaises(DeviceAway):
            offers("http://127.0.0.1:9/announcements")
