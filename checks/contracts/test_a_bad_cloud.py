"""A day of copying into a cloud that fails, throttles, lies and goes away; and signatures judged by those who defined them."""

import random
import secrets
from datetime import UTC, datetime, timedelta
from unittest import TestCase, mock
from urllib.parse import unquote

from botocore.auth import S3SigV4Auth
from botocore.awsrequest import AWSRequest
from botocore.credentials import Credentials

from adapters.stores.s3 import S3Blobs
from checks.contracts.s3_servers import KEY, SECRET, StandIn, a_bucket
from core.errors import AtticError
from core.vault.check import check
from core.vault.copying import copy
from core.vault.opening import create_vault, open_vault
from core.vault.tests.bench_of_one import LENIENT, PASSPHRASE, SMALL, START, Bench, MemoryDevice, contents, phone
from standins.cloud.answers import Refused
from standins.cloud.signature import check as check_signature

HOURS = 24


class ADayOfCopying(TestCase):
    """The clock of the cloud is the test's: an hour passes with each round."""

    def setUp(self):
        self.hours = 0
        real = datetime.now(UTC)
        begins = real.replace(hour=0, minute=5)
        # signed requests carry this machine's time, so only the hour is the test's own
        self.server = StandIn()
        self.addCleanup(self.server.stop)
        troubles = self.server.cloud.troubles
        troubles.away = lambda now: (begins + timedelta(hours=self.hours)).hour % 3 == 2  # type: ignore[method-assign]
        self.where = a_bucket(self.server)
        # a request that is to be tried again is tried again at once: what is held here is what comes of it, not how long it takes
        patch = mock.patch("time.sleep", lambda seconds: None)
        patch.start()
        self.addCleanup(patch.stop)

    def test_nothing_is_lost_every_copy_is_whole_and_the_requests_are_counted(self):
        bench, draw = Bench(), random.Random(4)
        device = MemoryDevice(phone())
        create_vault(
            S3Blobs(self.where), passphrase=PASSPHRASE, now=START, random=secrets.token_bytes, limits=SMALL, policy=LENIENT,
            same_key_as=bench.vault,
        )  # fmt: skip
        self.server.cloud.troubles.turn({"fail_every": 20, "slow_down_every": 33, "lie_every": 100, "cut_every": 47})
        self.server.cloud.requests.clear()
        made, previous, failures = dict[bytes, dict[tuple[str, str], bytes]](), None, 0
        for hour in range(HOURS):
            self.hours = hour
            for n in range(8):
                device.content["photos", f"{hour}-{n}"] = draw.randbytes(draw.randrange(1000, 120_000))
            previous = bench.capture(device, previous).manifest
            made[previous.id] = dict(device.content)
            failures += not self.carried(bench.again(), set(made))
        self.hours = 0
        self.server.cloud.troubles.turn({"fail_every": 0, "slow_down_every": 0, "lie_every": 0, "cut_every": 0})
        self.assertTrue(self.carried(bench.again(), set(made)))
        self.assertGreaterEqual(failures, HOURS // 3, "the cloud was not away at all")
        there = self.opened()
        self.assertEqual(set(there.backup_ids()), set(made))
        report = check(there, percent=100)
        self.assertTrue(report.ok, report.damaged)
        for id, expected in list(made.items())[::6]:
            self.assertEqual(contents(there, there.manifest(id)), expected)
        stored, requests = there.stored_bytes(), sum(self.server.cloud.requests.values())
        self.assertEqual(self.server.cloud.uploads.count(), 0, "half an upload was left behind")
        packs = sum(name.startswith("packs/") for name, _ in there.blobs.list(""))
        # which requests fail depends on the order of threads: 1,860 to 2,010 were seen
        self.assertLess(requests, 66 * HOURS + 4 * packs, f"{requests} requests for {stored} bytes in {packs} packs")

    def opened(self):
        return open_vault(S3Blobs(self.where), passphrase=PASSPHRASE, random=secrets.token_bytes, limits=SMALL, policy=LENIENT)

    def carried(self, source, wanted: set[bytes]) -> bool:
        """Whether all of them lie there, by its own list."""
        try:
            there = self.opened()
            copy(source, there, backups=wanted - set(there.backup_ids()))
            return set(there.backup_ids()) >= wanted
        except AtticError:
            return False


class Signatures(TestCase):
    """AWS Signature Version 4: signed by botocore, which its authors keep, and checked by the simulated cloud."""

    def setUp(self):
        self.now = datetime.now(UTC)

    def signed(self, method: str, url: str, body: bytes = b"", **headers: str) -> tuple[str, str, dict[str, str]]:
        request = AWSRequest(method=method, url=url, data=body, headers=headers)
        S3SigV4Auth(Credentials(KEY, SECRET), "s3", "eu-north-1").add_auth(request)
        prepared = request.prepare()
        by_key = {name.lower(): value if isinstance(value, str) else value.decode() for name, value in prepared.headers.items()}
        by_key.setdefault("host", "127.0.0.1:9000")
        path, _, query = prepared.url.removeprefix("http://127.0.0.1:9000").partition("?")
        return path, query, by_key

    def test_what_botocore_signs_is_taken_and_any_change_to_it_is_refused(self):
        cases = [
            ("GET", "/attic?list-type=2&prefix=a%2Fb&max-keys=7", b""),
            ("PUT", "/attic/packs/3f/3f09", b"content"),
            ("GET", "/attic/a%20name%20with%20blanks%2Band%2Bplus", b""),
            ("DELETE", "/attic/x?versionId=abc", b""),
        ]
        for method, path, body in cases:
            with self.subTest(path=path):
                raw, query, headers = self.signed(method, f"http://127.0.0.1:9000{path}", body)
                fields = {"keys": {KEY: SECRET}, "now": self.now}
                self.assertEqual(check_signature(method, unquote(raw), query, headers, body, **fields), KEY)
                for what, changed in {
                    "SignatureDoesNotMatch": (method, unquote(raw) + "x", query, headers, body),
                    "XAmzContentSHA256Mismatch": (method, unquote(raw), query, headers, body + b"x"),
                    "AccessDenied": (method, unquote(raw), query, headers | {"x-amz-meta-new": "1"}, body),
                }.items():
                    with self.assertRaises(Refused) as caught:
                        check_signature(*changed, **fields)
                    self.assertEqual(caught.exception.code, what)

    def test_somebody_else_and_another_time_are_refused(self):
        raw, query, headers = self.signed("GET", "http://127.0.0.1:9000/attic")
        for keys, now, code in (
            ({"other": SECRET}, self.now, "InvalidAccessKeyId"),
            ({KEY: "another"}, self.now, "SignatureDoesNotMatch"),
            ({KEY: SECRET}, self.now + timedelta(minutes=20), "RequestTimeTooSkewed"),
        ):
            with self.assertRaises(Refused) as caught:
                check_signature("GET", raw, query, headers, b"", keys=keys, now=now)
            self.assertEqual(caught.exception.code, code)
