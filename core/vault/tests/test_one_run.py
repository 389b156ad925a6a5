"""One run, looked at closely: what it says of a device that lies, when it stops, what it tells on its way, and what a reader keeps."""

import random
from collections.abc import Iterator
from dataclasses import replace
from unittest import TestCase

from core.content.errors import ItemNotTaken
from core.content.items import Item
from core.errors import BadInput
from core.vault.address import SftpAddress, address_of
from core.vault.capture import KindProgress, Progress, Skipped, Stage, Stopped
from core.vault.memory import MemoryBlobs
from core.vault.tests.bench_of_one import SMALL, Bench, MemoryDevice, contents

SOURCE = random.Random(5)


class Endless(MemoryDevice):
    """Sends what it was not asked for; counts what was taken of it."""

    taken = 0

    def read(self, item: Item) -> Iterator[bytes]:
        content = self.content[item.kind, item.id]
        yield content
        while item.id in self.lies:
            self.taken += 1
            yield b"more"


class Counting(MemoryBlobs):
    reads = 0

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        self.reads += 1
        return super().read(name, offset=offset, length=length)


class ADeviceThatLies(TestCase):
    def test_is_not_read_further_than_it_announced_and_the_item_is_named(self):
        for size in (100, 50_000):
            bench, device = Bench(), Endless({("documents", "a"): SOURCE.randbytes(size), ("documents", "b"): b"b"})
            device.lies["a"] = size
            (skipped,) = bench.capture(device).skipped
            self.assertEqual((skipped.kind, skipped.name, skipped.code), ("documents", "a", "lied"))
            self.assertEqual(skipped.detail, f"The device sent more than the {size} bytes that it announced.")
            self.assertEqual(device.taken, 1)

    def test_one_that_ends_early_is_named_with_what_came(self):
        for size in (100, 50_000):
            bench, device = Bench(), MemoryDevice({("documents", "a"): SOURCE.randbytes(size)})
            device.lies["a"] = size + 1
            (skipped,) = bench.capture(device).skipped
            self.assertEqual(skipped.detail, f"The device sent {size} bytes where it announced {size + 1}.")

    def test_exactly_what_was_announced_is_right_at_every_size_around_the_bounds(self):
        tiny = SMALL.tiny_bytes
        content = {
            ("documents", f"{size}"): SOURCE.randbytes(size) for size in (0, 1, tiny - 1, tiny, tiny + 1, 9_999, 10_000, 10_001, 130_000)
        }
        bench = Bench()
        captured = bench.capture(MemoryDevice(dict(content)))
        self.assertEqual((captured.skipped, contents(bench.again(), captured.manifest)), ((), content))

    def test_a_tiny_item_may_come_in_any_pieces(self):
        class InPieces(MemoryDevice):
            def read(self, item: Item) -> Iterator[bytes]:
                content = self.content[item.kind, item.id]
                yield from (content[at : at + 3] for at in range(0, len(content), 3))

        content = {("documents", f"{size}"): SOURCE.randbytes(size) for size in (0, 3, 4, 6, 10)}
        bench = Bench()
        captured = bench.capture(InPieces(dict(content)))
        self.assertEqual((captured.skipped, contents(bench.again(), captured.manifest)), ((), content))

    def test_what_it_does_not_give_is_left_out_with_its_reason(self):
        class Refuses(MemoryDevice):
            def read(self, item: Item) -> Iterator[bytes]:
                if item.id == "b":
                    raise ItemNotTaken("It is in use.", why="in_use")
                yield from super().read(item)

        captured = Bench().capture(Refuses({("documents", name): name.encode() for name in "abc"}))
        self.assertEqual(captured.skipped, (Skipped(kind="documents", name="b", code="in_use", detail="It is in use."),))
        self.assertEqual(captured.manifest.summary("documents").items, 2)


class Stopping(TestCase):
    def test_among_tiny_items_too(self):
        device = MemoryDevice({("notes", f"n{n:03}"): b'{"n": 1}' for n in range(200)})
        asked: list[int] = []

        def stop() -> bool:
            asked.append(device.sent_bytes)
            return device.sent_bytes >= 80

        with self.assertRaises(Stopped) as caught:
            Bench().capture(device, should_stop=stop)
        self.assertEqual((device.sent_bytes, caught.exception.message), (80, "The run was stopped by hand."))

    def test_without_room_for_the_first_of_its_kinds_nothing_is_kept(self):
        bench, device = Bench(), MemoryDevice({("contacts", "c"): b"{}", ("contacts", "d"): b"{}", ("photos", "p"): b"p"})
        with self.assertRaises(Stopped) as caught:
            bench.capture(device, is_over=lambda: device.sent_bytes > 0)
        self.assertEqual(caught.exception.message, "There was no room for the first of its kinds.")
        self.assertEqual(bench.again().manifests(), [])

    def test_without_room_for_a_later_one_those_before_are_kept_and_it_is_named(self):
        bench, device = Bench(), MemoryDevice({("contacts", "c"): b"{}", ("photos", "p"): SOURCE.randbytes(20_000), ("videos", "v"): b"v"})
        captured = bench.capture(device, is_over=lambda: device.sent_bytes > 2)
        self.assertEqual(
            [(one.kind, one.code, one.name) for one in captured.skipped], [("photos", "no_room", ""), ("videos", "no_room", "")]
        )
        self.assertEqual([summary.kind for summary in captured.manifest.kinds], ["contacts"])


class OnItsWay(TestCase):
    def test_counts_begin_at_nothing_and_what_is_unchanged_is_said(self):
        bench, device = Bench(), MemoryDevice({("photos", f"p{n}"): SOURCE.randbytes(9_000) for n in range(3)})
        first = bench.capture(device)
        device.content["photos", "p9"] = SOURCE.randbytes(7_000)
        seen: list[Progress] = []
        bench.capture(device, first.manifest, on_progress=seen.append)
        self.assertEqual(seen[0].kinds, {})
        told = [one.kinds["photos"] for one in seen if one.stage is Stage.READING]
        begins = KindProgress(items=4, size_bytes=34_000, unchanged=3, to_read_bytes=7_000, read_items=0, read_bytes=0)
        self.assertEqual((told[0], told[-1]), (begins, replace(begins, read_items=1, read_bytes=7_000)))
        self.assertEqual((KindProgress(items=1, size_bytes=1).unchanged, Progress().to_read_bytes, Progress().read_bytes), (0, 0, 0))


class AReader(TestCase):
    def test_keeps_what_it_opened_at_hand_up_to_its_limit(self):
        blobs = Counting()
        bench = Bench(blobs, replace(SMALL, cached_bytes=25_000))
        manifest = bench.capture(MemoryDevice({("photos", f"p{n}"): SOURCE.randbytes(10_000) for n in range(3)})).manifest
        vault = bench.again()
        vault.refresh()
        chunks = [span.chunk for stored in vault.items(manifest, "photos") for span in stored.spans]
        self.assertEqual(len(chunks), 3)
        vault.refresh()

        def read(number: int) -> int:
            before = blobs.reads
            vault.chunk(chunks[number])
            return blobs.reads - before

        vault._cache.clear()
        vault._cached_bytes = 0
        self.assertEqual([read(number) for number in (0, 1, 0, 1)], [1, 1, 0, 0])
        self.assertEqual(vault._cached_bytes, 20_000)
        vault.remember(chunks[0], vault.chunk(chunks[0]))
        self.assertEqual(vault._cached_bytes, 20_000)
        self.assertEqual([read(number) for number in (0, 2, 0, 1)], [0, 1, 0, 1])
        self.assertEqual((vault._cached_bytes, len(vault._cache)), (20_000, 2))


class Addresses(TestCase):
    def test_a_port_is_from_1_to_65535(self):
        given = {"host": "Shed.example.net", "username": "attic", "folder": "/srv/attic", "host_key": "ssh-ed25519 " + "A" * 68}
        for port, right in (("1", True), ("22", True), ("65535", True), ("0", False), ("65536", False), ("-1", False), ("2.2", False)):
            if right:
                address = address_of("sftp", given | {"port": port})
                assert isinstance(address, SftpAddress)
                self.assertEqual((address.port, address.host), (port, "shed.example.net"))
            else:
                with self.assertRaises(BadInput) as caught:
                    address_of("sftp", given | {"port": port})
                self.assertEqual((caught.exception.field, caught.exception.message), ("port", f"{port!r} is no port."))

    def test_what_is_missing_says_what_to_do_about_it(self):
        given = {"host": "shed", "username": "attic", "folder": "/srv/attic", "host_key": "ssh-ed25519 " + "A" * 68}
        for field, says, remedy in (
            ("host_key", "The store has no host key.", "Ask the server for its key and compare it there."),
            ("host", "The store has no host.", "Say where it lies."),
        ):
            with self.assertRaises(BadInput) as caught:
                address_of("sftp", given | {field: " "})
            self.assertEqual((caught.exception.message, caught.exception.remedy), (says, remedy))
