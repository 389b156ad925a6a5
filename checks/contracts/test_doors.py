"""Where a bucket's client connects to, and whom it trusts there: over real sockets, with certificates made for the test."""

import socket
import ssl
import tempfile
import threading
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

from cryptography import x509
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.serialization import Encoding, NoEncryption, PrivateFormat

from adapters.stores import s3_doors
from adapters.stores.s3 import Bucket, S3Blobs
from core.vault.errors import StoreForbidden, StoreUnreachable


class _Service(BaseHTTPRequestHandler):
    asked: list[str]

    def do_HEAD(self) -> None:
        self.asked.append(self.path)
        self.send_response(200)
        self.send_header("Content-Length", "0")
        self.end_headers()

    def log_message(self, format: str, *args: Any) -> None:
        """Quiet."""


class Doors(TestCase):
    def setUp(self):
        self.asked: list[str] = []

    def serve(self, *, certificate: Path | None = None) -> str:
        server = HTTPServer(("127.0.0.1", 0), type("Service", (_Service,), {"asked": self.asked}))
        if certificate is not None:
            context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
            context.load_cert_chain(certificate)
            server.socket = context.wrap_socket(server.socket, server_side=True)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        return f"http{'s' if certificate else ''}://localhost:{server.server_address[1]}"

    def bucket(self, endpoint: str, *, inside: bool) -> Bucket:
        return Bucket(bucket="attic", endpoint=endpoint, access_key="k", secret_key="s", inside=inside, attempts=2, connect_seconds=2)

    def refused(self, endpoint: str, *, inside: bool = False) -> StoreForbidden:
        with self.assertRaises(StoreForbidden) as caught:
            S3Blobs(self.bucket(endpoint, inside=inside))
        self.assertTrue(caught.exception.remedy)
        return caught.exception

    def test_inside_is_refused_unless_it_is_meant(self):
        url = self.serve()
        for name in (url, url.replace("localhost", "127.0.0.1"), url.replace("localhost", "[::ffff:127.0.0.1]")):
            self.assertIn("inside", self.refused(name).message)
        self.assertEqual(self.asked, [])
        S3Blobs(self.bucket(url, inside=True))
        self.assertEqual(self.asked, ["/attic"])

    def test_what_is_no_server_is_refused_even_where_inside_is_meant(self):
        for host in ("169.254.169.254", "[fe80::1]", "0.0.0.0", "224.0.0.1"):
            self.assertIn("no address", self.refused(f"http://{host}:80", inside=True).message)

    def test_one_bad_address_of_several_is_enough(self):
        both = [(socket.AF_INET, socket.SOCK_STREAM, 6, "", (ip, 80)) for ip in ("8.8.8.8", "10.0.0.7")]
        with mock.patch.object(s3_doors.socket, "getaddrinfo", return_value=both):
            self.assertIn("10.0.0.7", self.refused("http://cloud.example.net").message)

    def test_a_name_that_leads_elsewhere_the_second_time_is_found_at_the_connection(self):
        """The first answer is harmless, the connection goes inside: nothing is said there."""
        url = self.serve()
        outer = [(socket.AF_INET, socket.SOCK_STREAM, 6, "", ("8.8.8.8", 80))]
        real, calls = socket.getaddrinfo, []

        def turning(*asked: Any, **more: Any) -> Any:
            calls.append(asked)
            return outer if len(calls) == 1 else real(*asked, **more)

        with mock.patch("socket.getaddrinfo", turning):
            self.refused(url)
        self.assertGreater(len(calls), 1)
        self.assertEqual(self.asked, [])

    def test_a_certificate_that_nobody_vouches_for_is_refused_with_what_to_do_and_doing_it_helps(self):
        certificate = self.certificate()
        url = self.serve(certificate=certificate)
        with self.assertRaises(StoreUnreachable) as caught:
            S3Blobs(self.bucket(url, inside=True))
        self.assertIn("certificate", caught.exception.message)
        self.assertIn("update-ca-certificates", caught.exception.remedy)
        self.assertEqual(self.asked, [])
        with mock.patch.object(s3_doors, "_SYSTEMS_TRUST", certificate):  # as after that command
            S3Blobs(self.bucket(url, inside=True))
        self.assertEqual(self.asked, ["/attic"])

    def certificate(self) -> Path:
        """Self-signed, for localhost; with its key in one file."""
        key, now = ec.generate_private_key(ec.SECP256R1()), datetime.now(UTC)
        name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "localhost")])
        made = (
            x509.CertificateBuilder()
            .subject_name(name)
            .issuer_name(name)
            .public_key(key.public_key())
            .serial_number(x509.random_serial_number())
            .not_valid_before(now - timedelta(days=1))
            .not_valid_after(now + timedelta(days=1))
            .add_extension(x509.SubjectAlternativeName([x509.DNSName("localhost")]), critical=False)
            .sign(key, SHA256())
        )
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        file = folder / "service.pem"
        file.write_bytes(made.public_bytes(Encoding.PEM) + key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()))
        return file
