"""The agent protocol against another side written from its page: a proof that is none, answers that end or change on their way."""

import hashlib
import hmac
import json
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, HTTPServer
from unittest import TestCase, mock

from cryptography.hazmat.primitives.asymmetric.x25519 import X25519PrivateKey, X25519PublicKey
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

from adapters.links.agent import TOGETHER_BYTES, TOGETHER_ITEMS, _parted
from adapters.links.agent_http import SLOWEST_BYTES_PER_SECOND, _steady
from adapters.links.agent_pairing import pair
from adapters.links.agent_seal import opened, sealed
from core.content.errors import DeviceLied, LinkCut, LinkSlow, PairingRefused

KEY, NONCE = b"k" * 32, b"n" * 16


def hkdf(secret: bytes, salt: bytes, info: bytes) -> bytes:
    """RFC 5869 with SHA-256, of 32 bytes, as the page of the protocol wants it."""
    return HKDF(algorithm=SHA256(), length=32, salt=salt, info=info).derive(secret)


class Screen:
    """A device that is being paired: `typed` is the code that it believes in, `says` what it answers instead."""

    def __init__(self, typed: str, **says: object) -> None:
        self.typed, self.says, self.told = typed, says, {}
        screen = self

        class Answers(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                content = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
                body = json.dumps(screen.begin(content) if self.path.endswith("begin") else screen.finish(content)).encode()
                self.send_response(200)
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            def log_message(self, *_: object) -> None:
                """Quiet."""

        self.server = HTTPServer(("127.0.0.1", 0), Answers)
        threading.Thread(target=self.server.serve_forever, args=(0.02,), daemon=True).start()
        self.address = f"http://127.0.0.1:{self.server.server_port}"

    def begin(self, body: dict[str, str]) -> dict[str, object]:
        private = X25519PrivateKey.generate()
        public, theirs = private.public_key().public_bytes_raw(), bytes.fromhex(body["public"])
        shared = private.exchange(X25519PublicKey.from_public_bytes(theirs))
        self.key = hkdf(shared, self.typed.encode(), b"old attic pairing 1" + theirs + public)
        return {"device": "p1", "session": "s", "public": public.hex()} | self.says

    def finish(self, body: dict[str, str]) -> dict[str, object]:
        self.told = body
        return {"proof": hmac.new(self.key, b"device", hashlib.sha256).hexdigest(), "accepted": False} | self.says

    def close(self) -> None:
        self.server.shutdown()
        self.server.server_close()


class Pairing(TestCase):
    def screen(self, typed: str = "ABCD2345", **says: object) -> Screen:
        screen = Screen(typed, **says)
        self.addCleanup(screen.close)
        return screen

    def test_both_sides_come_to_the_same_key_and_prove_it_to_one_another(self):
        screen = self.screen()
        paired = pair(screen.address, " abcd 2345", server_name="Old Attic")
        self.assertEqual((paired.device, paired.accepted), ("p1", False))
        self.assertEqual(paired.key, hkdf(screen.key, b"", b"old attic device key 1"))
        self.assertEqual(screen.told["proof"], hmac.new(screen.key, b"server", hashlib.sha256).hexdigest())

    def test_a_device_that_does_not_know_the_code_is_not_believed(self):
        """Whoever stands in between and says yes to everything."""
        cases = ({"typed": "ZZZZ9999"}, {"proof": ""}, {"proof": None}, {"proof": "é"}, {"proof": "0" * 64})
        for case in cases:
            with self.subTest(case=case), self.assertRaises(PairingRefused):
                pair(self.screen(**case).address, "ABCD2345", server_name="Old Attic")

    def test_an_answer_that_nobody_can_read_is_a_lie(self):
        for says in ({"public": "xx"}, {"public": "00"}, {"public": None}):
            with self.subTest(says=says), self.assertRaises(DeviceLied):
                pair(self.screen(**says).address, "ABCD2345", server_name="Old Attic")


def answer(*pieces: bytes, nonce: bytes = NONCE) -> list[bytes]:
    """Frames of a sealed answer, as the page of the protocol describes them."""
    cipher = AESGCM(hkdf(KEY, nonce, b"old attic response"))
    frames = []
    for number, piece in enumerate(pieces):
        content = cipher.encrypt(number.to_bytes(12, "big"), piece, b"last" if number == len(pieces) - 1 else b"more")
        frames.append(len(content).to_bytes(4, "big") + content)
    return frames


class SealedAnswers(TestCase):
    PIECES = (b"one " * 50, b"two", b"", b"four" * 10)

    def test_are_read_however_they_are_cut_into_pieces(self):
        whole = b"".join(answer(*self.PIECES))
        for step in (1, 7, len(whole)):
            arriving = [whole[at : at + step] for at in range(0, len(whole), step)]
            self.assertEqual(b"".join(opened(KEY, NONCE, arriving)), b"".join(self.PIECES))

    def test_one_that_ends_anywhere_before_its_last_frame_was_cut(self):
        whole = b"".join(answer(*self.PIECES))
        for end in range(len(whole)):
            read = []
            with self.assertRaises(LinkCut):
                for piece in opened(KEY, NONCE, [whole[:end]]):
                    read.append(piece)
            self.assertTrue(b"".join(self.PIECES).startswith(b"".join(read)))

    def test_one_that_was_changed_is_a_lie_and_nothing_of_it_is_told(self):
        frames = answer(*self.PIECES)
        whole = bytearray(b"".join(frames))
        for at in range(4, len(frames[0])):
            changed = bytes(whole[:at]) + bytes([whole[at] ^ 1]) + bytes(whole[at + 1 :])
            with self.assertRaises(DeviceLied):
                self.fail(str(next(opened(KEY, NONCE, [changed]))))

    def test_frames_out_of_order_doubled_left_out_or_after_the_end_are_lies(self):
        frames = answer(*self.PIECES)
        for order in ((1, 0, 2, 3), (0, 0, 1, 2, 3), (0, 2, 3), (3,), (0, 1, 2, 3, 3), (0, 1, 2, 3, 0)):
            with self.subTest(order=order), self.assertRaises(DeviceLied):
                list(opened(KEY, NONCE, [b"".join(frames[at] for at in order)]))

    def test_one_to_another_question_or_from_another_device_is_a_lie(self):
        for key, nonce in ((KEY, b"m" * 16), (b"j" * 32, NONCE)):
            with self.assertRaises(DeviceLied):
                list(opened(key, nonce, answer(*self.PIECES)))

    def test_a_frame_that_would_not_end_is_refused_before_it_has_come(self):
        with self.assertRaises(DeviceLied):
            list(opened(KEY, NONCE, [(1 << 20 | 1).to_bytes(4, "big")]))

    def test_a_question_opens_with_the_key_that_was_agreed_on_and_tells_its_end(self):
        cipher = AESGCM(hkdf(KEY, NONCE, b"old attic request"))
        read = []
        for number, content in enumerate(sealed(KEY, NONCE, [b"a", b"b" * 70_000])):
            self.assertEqual(int.from_bytes(content[:4], "big"), len(content) - 4)
            read.append(cipher.decrypt(number.to_bytes(12, "big"), content[4:], b"last" if number else b"more"))
        self.assertEqual(read, [b"a", b"b" * 70_000])


class ASteadyAnswer(TestCase):
    """On a clock of the test's own: what counts is the device's time, and not the reader's."""

    def read(self, *, device_seconds: float, reader_seconds: float, pieces: int = 10, size: int = 1) -> int:
        now = [0.0]

        def arriving() -> Iterator[bytes]:
            for _ in range(pieces):
                now[0] += device_seconds
                yield b"x" * size

        taken = 0
        with mock.patch("adapters.links.agent_http.time.monotonic", lambda: now[0]):
            for _ in _steady(arriving(), 20):
                taken += 1
                now[0] += reader_seconds
        return taken

    def test_a_reader_that_takes_its_time_is_not_the_devices_slowness(self):
        self.assertEqual(self.read(device_seconds=1, reader_seconds=600), 10)

    def test_a_device_that_is_slow_and_steady_is_heard_out(self):
        self.assertEqual(self.read(device_seconds=7, reader_seconds=0, pieces=40, size=SLOWEST_BYTES_PER_SECOND * 7), 40)
        with self.assertRaises(LinkSlow):
            self.read(device_seconds=7, reader_seconds=0, pieces=40, size=SLOWEST_BYTES_PER_SECOND * 7 - 1)

    def test_a_device_that_drips_is_given_up(self):
        with self.assertRaises(LinkSlow):
            self.read(device_seconds=5, reader_seconds=0)


def lot(*items: tuple[dict[str, object], bytes]) -> bytes:
    """Items in one answer, as the page of the protocol lays them out."""
    heads = [(json.dumps(head).encode(), content) for head, content in items]
    return b"".join(len(head).to_bytes(4, "big") + head + content for head, content in heads)


def head_of(length: int, size_bytes: int) -> dict[str, object]:
    """One that takes so many bytes."""
    head: dict[str, object] = {"size_bytes": size_bytes, "id": ""}
    return head | {"id": "x" * (length - len(json.dumps(head)))}


class ManyInOneAnswer(TestCase):
    def test_are_taken_apart_however_they_are_cut(self):
        items = [({"id": str(number), "size_bytes": number}, b"c" * number) for number in (0, 1, 300)]
        whole = lot(*items)
        for piece in (1, 7, len(whole)):
            parts = list(_parted(whole[at : at + piece] for at in range(0, len(whole), piece)))
            self.assertEqual(parts, items)

    def test_a_head_and_a_content_have_a_greatest_length(self):
        longest = head_of(4096, 1)
        self.assertEqual(list(_parted([lot((longest, b"c"))])), [(longest, b"c")])
        with self.assertRaisesRegex(DeviceLied, "cannot be read"):
            list(_parted([lot((head_of(4097, 1), b"c"))]))
        most = 2 * TOGETHER_BYTES
        self.assertEqual(len(next(iter(_parted([lot(({"size_bytes": most}, bytes(most)))])))[1]), most)
        for size in (-1, most + 1):
            with self.assertRaisesRegex(DeviceLied, "more than it was asked for"):
                list(_parted([lot(({"size_bytes": size}, b"c"))]))

    def test_an_answer_that_does_not_end_is_refused(self):
        enough = lot(*[({"size_bytes": 0}, b"")] * 4)
        most = 2 * TOGETHER_BYTES + TOGETHER_ITEMS * 2048
        with self.assertRaisesRegex(DeviceLied, "more than it was asked for"):
            list(_parted(enough for _ in range(most // len(enough) + 1)))
