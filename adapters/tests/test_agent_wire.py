"""What comes over the wire around an answer of a paired device: refusals, packing, pace; and what the office's network announces."""

from collections.abc import Iterator
from unittest import TestCase, mock

import httpx
import zstandard

from adapters.links.agent_http import _steady, _unpacked, refusal
from adapters.links.agent_pairing import offers
from core.content.errors import DataAccessOff, DeviceAway, DeviceLied, ItemNotTaken, LinkSlow, PairingRefused


class OverTheWire(TestCase):
    def test_what_a_refusal_means(self):
        for body, error in (
            ({"error": "wrong_code", "tries_left": 2}, PairingRefused),
            ({"error": "data_access"}, DataAccessOff),
            ({"error": "gone"}, ItemNotTaken),
            ({"error": "no such word"}, DeviceLied),
            ({}, DeviceLied),
            ([], DeviceLied),
        ):
            self.assertIsInstance(refusal(httpx.Response(409, json=body)), error, body)
        self.assertIn("HTTP status 502", refusal(httpx.Response(502, content=b"<html>")).message)
        for left, words in (
            (1, "1 more try before"),
            (2, "2 more tries before"),
            (0, "now shows a new code"),
            (None, "now shows a new code"),
        ):
            self.assertIn(words, refusal(httpx.Response(403, json={"error": "wrong_code", "tries_left": left})).message)

    def test_a_packed_answer_is_unpacked_and_ends_with_its_stream(self):
        content = bytes(range(256)) * 1000
        packed = zstandard.ZstdCompressor().compress(content)
        self.assertEqual(b"".join(_unpacked(iter([packed[:9], packed[9:]]))), content)
        with self.assertRaisesRegex(DeviceLied, "after its end"):
            list(_unpacked(iter([packed, b"", b"more"])))
        for pieces in ([packed, b"more"], [packed + b"more"], [b"no stream at all"]):
            with self.assertRaisesRegex(DeviceLied, "cannot be unpacked"):
                list(_unpacked(iter(pieces)))

    def test_a_device_that_was_quick_once_may_not_drip_from_then_on(self):
        now = [0.0]

        def arriving() -> Iterator[bytes]:
            yield bytes(1 << 20)
            for _ in range(50):
                now[0] += 1
                yield b"x"

        with mock.patch("adapters.links.agent_http.time.monotonic", lambda: now[0]), self.assertRaises(LinkSlow):
            list(_steady(arriving(), 20))
        self.assertLessEqual(now[0], 43, "a megabyte at the beginning pays for one round of patience")


class Announced(TestCase):
    ENTRY = {
        "device": "p1",
        "name": "n" * 201,
        "family": "x",
        "make": "m",
        "model": "o",
        "os_version": "1",
        "address": "http://127.0.0.1:1",
        "paired": 0,
        "serial": "s" * 101,
    }

    def offers(self, content: object) -> list[object]:
        entry = self.ENTRY | {"family": "orlo"}
        body = {"devices": [entry | one for one in content]} if isinstance(content, list) else content
        with mock.patch("adapters.links.agent_pairing.httpx.get", lambda *_, **__: httpx.Response(200, json=body)):
            return offers("http://127.0.0.1:9/announcements")

    def test_are_cut_to_length_and_left_when_nobody_could_reach_or_know_them(self):
        (offer,) = self.offers([{}])
        self.assertEqual((len(offer.name), len(offer.serial), offer.paired), (200, 100, False))
        self.assertEqual(self.offers([{"serial": None}])[0].serial, "")
        self.assertEqual(
            len(self.offers([{}, {"family": "toaster"}, {"address": "ftp://127.0.0.1"}, {"address": "https://p1.example"}])), 2
        )

    def test_that_cannot_be_read(self):
        for body in ({}, 5, {"devices": 5}, {"devices": [5]}, {"devices": [{"device": "p1"}]}):
            with self.assertRaises(DeviceLied):
                self.offers(body)
        with self.assertRaises(DeviceAway), mock.patch("adapters.links.agent_pairing.httpx.get", side_effect=httpx.ConnectError("no")):
            offers("http://127.0.0.1:9/announcements")
