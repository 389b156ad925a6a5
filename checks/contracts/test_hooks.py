"""Webhooks over real sockets: signed by open standards, never led astray, never kept waiting for ever."""

import json
import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from types import SimpleNamespace
from unittest import TestCase, mock

from http_message_signatures import HTTPMessageVerifier, HTTPSignatureKeyResolver, InvalidSignature, algorithms

from adapters.hooks import http as hooks
from adapters.hooks.http import HookFailed, checked_address, post, resolved
from adapters.hooks.signing import COVERED, content_digest, sign, signature_base, signed_headers
from core.errors import BadInput

SECRET = b"s" * 32


class TheStandard(TestCase):
    def test_another_implementation_of_rfc_9421_verifies_it_and_refuses_what_was_changed(self):
        address, body = "https://desk.example/attic?x=1", b'{"event": "test"}'
        headers = signed_headers(address, body, key=SECRET, key_id="hook-1", created=int(time.time()))

        class Keys(HTTPSignatureKeyResolver):
            def resolve_public_key(self, key_id: str) -> bytes:
                return SECRET if key_id == "hook-1" else b"?"

        verifier = HTTPMessageVerifier(signature_algorithm=algorithms.HMAC_SHA256, key_resolver=Keys())
        verified = verifier.verify(SimpleNamespace(method="POST", url=address, headers=headers))
        self.assertEqual([name.strip('"') for name in verified[0].covered_components][: len(COVERED)], list(COVERED))
        changed = headers | {"content-digest": content_digest(b"{}")}
        for request in (
            SimpleNamespace(method="PUT", url=address, headers=headers),
            SimpleNamespace(method="POST", url=address + "2", headers=headers),
            SimpleNamespace(method="POST", url=address, headers=changed),
        ):
            with self.assertRaises(InvalidSignature):
                verifier.verify(request)

    def test_the_example_of_rfc_9530_for_a_digest(self):
        # RFC 9530 §2 and appendix B: `{"hello": "world"}` followed by a line feed
        self.assertEqual(content_digest(b'{"hello": "world"}\n'), "sha-256=:RK/0qy18MlBSVnWgjwz6lZEWjP/lF5HF9bvEF8FabDg=:")


class Receiver(BaseHTTPRequestHandler):
    """Keeps what it is given; its path says how it behaves."""

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["Content-Length"]))
        self.server.taken.append((dict(self.headers.items()), body))  # type: ignore[attr-defined]
        if self.path == "/hangs":
            time.sleep(3)
        status = {"/redirects": 302, "/fails": 500}.get(self.path, 200)
        self.send_response(status)
        if status == 302:
            self.send_header("Location", "http://127.0.0.1:9/inside")
        self.send_header("Content-Length", "0")
        self.end_headers()

    def log_message(self, format: str, *args: object) -> None:
        """Quiet."""


@contextmanager
def receiver() -> Iterator[ThreadingHTTPServer]:
    server = ThreadingHTTPServer(("127.0.0.1", 0), Receiver)
    server.taken = []  # type: ignore[attr-defined]
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield server
    finally:
        server.shutdown()
        server.server_close()


class OverSockets(TestCase):
    def tell(self, server: ThreadingHTTPServer, path: str = "/", *, inside: bool = True) -> int:
        address = f"http://localhost:{server.server_address[1]}{path}"
        return post(address, b'{"event": "test"}', key=SECRET, key_id="hook-1", inside=inside, created=1_700_000_000)

    def test_what_arrives_can_be_proven_with_the_secret(self):
        with receiver() as server:
            self.assertEqual(self.tell(server, "/attic?x=1"), 200)
            headers, body = server.taken[0]  # type: ignore[attr-defined]
        by_key = {name.lower(): value for name, value in headers.items()}
        self.assertEqual(json.loads(body), {"event": "test"})
        self.assertEqual(by_key["content-digest"], content_digest(body))
        self.assertEqual(by_key["host"], f"localhost:{server.server_address[1]}")
        label, _, parameters = by_key["signature-input"].partition("=")
        values = by_key | {"@method": "POST", "@target-uri": f"http://localhost:{server.server_address[1]}/attic?x=1"}
        base = signature_base([(name, values[name]) for name in COVERED], parameters)
        self.assertEqual(by_key["signature"], f"{label}={sign(base, SECRET)}")
        self.assertNotEqual(by_key["signature"], f"{label}={sign(base, b'x' * 32)}")

    def test_a_redirect_is_not_followed(self):
        with receiver() as server, self.assertRaises(HookFailed) as caught:
            self.tell(server, "/redirects")
        self.assertIn("elsewhere", caught.exception.message)

    def test_a_failure_and_a_closed_port_are_told(self):
        with receiver() as server:
            with self.assertRaisesRegex(HookFailed, "answered 500"):
                self.tell(server, "/fails")
        with self.assertRaisesRegex(HookFailed, "did not take it"):
            self.tell(server)

    def test_one_that_hangs_is_left(self):
        began = time.monotonic()
        with receiver() as server, mock.patch.object(hooks, "TIMEOUT_SECONDS", 0.4), self.assertRaises(HookFailed):
            self.tell(server, "/hangs")
        self.assertLess(time.monotonic() - began, 2.5)

    def test_the_offices_own_network_only_where_that_is_meant(self):
        with receiver() as server, self.assertRaises(HookFailed) as caught:
            self.tell(server, inside=False)
        self.assertIn("lies inside", caught.exception.message)
        self.assertEqual(server.taken, [])  # type: ignore[attr-defined]


class Addresses(TestCase):
    def resolving_to(self, *addresses: str) -> object:
        entries = [(socket.AF_INET, socket.SOCK_STREAM, 6, "", (address, 443)) for address in addresses]
        return mock.patch.object(hooks.socket, "getaddrinfo", return_value=entries)

    def test_names_that_lead_inside_are_refused_even_beside_good_ones(self):
        for address in ("127.0.0.1", "10.1.2.3", "192.168.0.9", "::1", "fd00::1", "::ffff:10.0.0.1", "100.64.0.1"):
            with self.subTest(address), self.resolving_to("93.184.216.34", address), self.assertRaises(HookFailed):
                resolved("https://desk.example/", inside=False)

    def test_addresses_that_nobody_may_name(self):
        for address in ("169.254.169.254", "0.0.0.0", "224.0.0.1", "fe80::1"):
            with self.subTest(address), self.resolving_to(address), self.assertRaises(HookFailed):
                resolved("https://desk.example/", inside=True)

    def test_a_good_one_is_what_is_connected_to(self):
        with self.resolving_to("93.184.216.34"):
            self.assertEqual(resolved("https://desk.example/", inside=False), "93.184.216.34")

    def test_the_port_is_the_one_that_is_named_or_that_of_the_scheme(self):
        for address, port in (("https://desk.example/", 443), ("http://desk.example/", 80), ("https://desk.example:8443/", 8443)):
            with self.resolving_to("93.184.216.34") as asked:
                resolved(address, inside=False)
            asked.assert_called_once_with("desk.example", port, type=socket.SOCK_STREAM)

    def test_a_name_that_nobody_knows(self):
        for error in (socket.gaierror(-2, "Name or service not known"), UnicodeError("label too long")):
            unknown = mock.patch.object(hooks.socket, "getaddrinfo", side_effect=error)
            with unknown, self.assertRaisesRegex(HookFailed, "no machine called desk.example"):
                resolved("https://desk.example/", inside=False)

    def test_it_goes_to_the_address_that_was_looked_at_and_to_no_other(self):
        for ip, address, target in (
            ("fd00::1", "http://desk.example", "http://[fd00::1]/"), ("127.0.0.1", "https://desk.example:8443/a?b=1", "https://127.0.0.1:8443/a?b=1"),
        ):  # fmt: skip
            with self.resolving_to(ip), mock.patch.object(hooks.httpx, "Client") as client:
                opened = client.return_value.__enter__.return_value
                opened.stream.return_value.__enter__.return_value.status_code = 204
                self.assertEqual(post(address, b"{}", key=SECRET, key_id="h", inside=True, created=1), 204)
            self.assertEqual(opened.stream.call_args.args, ("POST", target))
            self.assertEqual(opened.stream.call_args.kwargs["extensions"], {"sni_hostname": "desk.example"})
            self.assertEqual((client.call_args.kwargs["follow_redirects"], client.call_args.kwargs["trust_env"]), (False, False))

    def test_what_is_an_address(self):
        longest = "https://desk.example/" + "x" * (500 - 21)
        for address in (" https://desk.example/a ", "http://10.0.0.1:8080", longest):
            self.assertEqual(checked_address(address), address.strip())
        with self.assertRaises(BadInput):
            checked_address(longest + "x")

    def test_what_is_no_address(self):
        for address in ("", "desk.example", "file:///etc/passwd", "https://a:b@desk.example/", "http://[::1", "https://desk.example/#x"):
            with self.subTest(address), self.assertRaises(BadInput) as caught:
                checked_address(address)
            self.assertEqual(caught.exception.field, "address")
