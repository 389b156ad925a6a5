"""What services that speak S3 answer, code by code, without a wire: names of codes from the public API reference, Error Responses."""

from types import SimpleNamespace
from typing import Any
from unittest import TestCase, mock

from botocore.exceptions import (
    ClientError,
    ConnectTimeoutError,
    EndpointConnectionError,
    NoCredentialsError,
    ParamValidationError,
    ReadTimeoutError,
    SSLError,
)

from adapters.stores import s3_versions
from adapters.stores.s3 import Bucket, S3Blobs
from adapters.stores.s3_versions import Version, keeps
from core.vault.blobs import Keeps
from core.vault.errors import BlobExists, BlobMissing, StoreFull, StoreHolds, StoreMissing, StoreReadOnly, StoreUnreachable


def answer(code: str, status: int = 400) -> ClientError:
    error = {"Code": code} if code else {}
    return ClientError({"Error": error, "ResponseMetadata": {"HTTPStatusCode": status}}, "Anything")  # type: ignore[typeddict-item]


def client(**says: Any) -> Any:
    """One whose methods answer, or raise, this."""
    return SimpleNamespace(
        **{
            name: mock.Mock(**({"side_effect": value} if isinstance(value, BaseException) else {"return_value": value}))
            for name, value in says.items()
        }
    )


class WhatABucketKeeps(TestCase):
    def kept(self, versioning: object, lock: object = None) -> Keeps:
        return keeps(client(get_bucket_versioning=versioning, get_object_lock_configuration=lock), "b")

    def test_by_what_it_says_of_versions(self) -> None:
        self.assertEqual([self.kept({}), self.kept({"Status": "Off"})], [Keeps.NOTHING] * 2)
        for code in ("NotImplemented", "MethodNotAllowed"):
            self.assertEqual(self.kept(answer(code)), Keeps.NOTHING, code)
        for code, status in (("", 501), ("", 405)):
            self.assertEqual(self.kept(answer(code, status)), Keeps.NOTHING, status)
        for one in (answer("AccessDenied"), answer("AllAccessDisabled"), answer("", 403)):
            self.assertEqual(self.kept(one), Keeps.UNKNOWN)
        with self.assertRaises(ClientError):
            self.kept(answer("InternalError", 500))

    def test_by_what_it_says_of_locks(self) -> None:
        for status in ("Enabled", "Suspended"):
            rule = {"ObjectLockConfiguration": {"ObjectLockEnabled": "Enabled"}}
            self.assertEqual(self.kept({"Status": status}, rule), Keeps.LOCKED)
            self.assertEqual(self.kept({"Status": status}, {"ObjectLockConfiguration": {}}), Keeps.VERSIONS)
            for code in (
                "ObjectLockConfigurationNotFoundError",
                "NoSuchObjectLockConfiguration",
                "NotImplemented",
                "InvalidRequest",
                "AccessDenied",
            ):
                self.assertEqual(self.kept({"Status": status}, answer(code)), Keeps.VERSIONS, code)
            self.assertEqual(self.kept({"Status": status}, answer("", 404)), Keeps.VERSIONS)
            with self.assertRaises(ClientError):
                self.kept({"Status": status}, answer("SlowDown", 503))


class Removing(TestCase):
    VERSIONS = (
        Version(key="a", id="", size=0, content=False),
        Version(key="a", id="2", size=5, content=True),
        Version(key="a", id="1", size=4, content=True),
        Version(key="ab", id="9", size=7, content=True),
    )

    def test_takes_every_version_and_marker_of_this_key_alone(self) -> None:
        bucket = client(delete_object={})
        with mock.patch.object(s3_versions, "versions", lambda *_: iter(self.VERSIONS)):
            s3_versions.remove(bucket, "b", "a")
            self.assertEqual(s3_versions.newest(bucket, "b", "a"), {"a": self.VERSIONS[1], "ab": self.VERSIONS[3]})
        self.assertEqual([call.kwargs["VersionId"] for call in bucket.delete_object.call_args_list], ["", "2", "1"])

    def test_what_is_held_is_said_and_anything_else_is_not_mistaken_for_it(self) -> None:
        for error in (
            answer("AccessDenied"),
            answer("ObjectLocked"),
            answer("InvalidRequest"),
            answer("MethodNotAllowed"),
            answer("", 405),
            answer("", 403),
        ):
            with mock.patch.object(s3_versions, "versions", lambda *_: iter(self.VERSIONS)), self.assertRaises(StoreHolds):
                s3_versions.remove(client(delete_object=error), "b", "a")
        with mock.patch.object(s3_versions, "versions", lambda *_: iter(self.VERSIONS)), self.assertRaises(ClientError):
            s3_versions.remove(client(delete_object=answer("SlowDown", 503)), "b", "a")


class ABucket(TestCase):
    def blobs(self, **says: Any) -> S3Blobs:
        """Opened, and then talking with this."""
        with mock.patch("adapters.stores.s3.boto3.session.Session") as session, mock.patch("adapters.stores.s3.guard"):
            session.return_value.region_name = None
            session.return_value.client.return_value = client(head_bucket={})
            blobs = S3Blobs(Bucket(endpoint="http://127.0.0.1:9", bucket="b", access_key="k", secret_key="s"))  # noqa: S106
        blobs._client = client(**says)
        return blobs

    def test_what_it_refuses_becomes_one_word_of_the_error_tree(self) -> None:
        of_connections = {"endpoint_url": "http://127.0.0.1:9", "error": "no"}
        for error, wanted in (
            (answer("NoSuchBucket", 404), StoreMissing),
            (answer("NoSuchKey", 404), BlobMissing),
            (answer("PreconditionFailed", 412), BlobExists),
            (answer("QuotaExceeded", 403), StoreFull),
            (answer("RequestTimeTooSkewed", 403), StoreReadOnly),
            (answer("SignatureDoesNotMatch", 403), StoreReadOnly),
            (answer("AccessDenied", 403), StoreReadOnly),
            (answer("InternalError", 500), StoreUnreachable),
            (NoCredentialsError(), StoreReadOnly),
            (ParamValidationError(report="no"), StoreMissing),
            (SSLError(**of_connections), StoreUnreachable),
            (ReadTimeoutError(**of_connections), StoreUnreachable),
            (ConnectTimeoutError(**of_connections), StoreUnreachable),
            (EndpointConnectionError(**of_connections), StoreUnreachable),
        ):
            with self.assertRaises(wanted) as raised:
                self.blobs(head_object=error).dated("data/a")
            self.assertIs(type(raised.exception), wanted, error)

    def test_of_one_that_is_not_there_nothing_more_is_asked(self) -> None:
        for error in (answer("NoSuchKey", 404), answer("", 404)):
            self.assertFalse(self.blobs(head_object=error)._exists("data/a"))
        self.assertTrue(self.blobs(head_object={})._exists("data/a"))
        with self.assertRaises(StoreReadOnly):
            self.blobs(head_object=answer("AccessDenied", 403))._exists("data/a")

    def test_its_clock_is_what_its_answers_say(self) -> None:
        for says, hour in (("Mon, 02 Mar 2026 10:00:00 GMT", 10), ("yesterday", None), ("", None)):
            headers = {"ResponseMetadata": {"HTTPHeaders": {"date": says} if says else {}}}
            clock = self.blobs(head_bucket=headers).clock()
            self.assertEqual(clock.hour if clock else None, hour)

    def test_an_object_that_breaks_off_is_no_object(self) -> None:
        body = SimpleNamespace(iter_chunks=lambda _: iter((b"abc",)))
        blobs = self.blobs(get_object={"ContentLength": 3, "Body": body})
        self.assertEqual(b"".join(blobs._body("data/a", 0, None)), b"abc")
        self.assertEqual(blobs._client.get_object.call_args.kwargs["ChecksumMode"], "ENABLED")  # type: ignore[attr-defined]
        self.assertEqual(b"".join(blobs._body("data/a", 2, 3)), b"abc")
        self.assertEqual(blobs._client.get_object.call_args.kwargs["Range"], "bytes=2-4")  # type: ignore[attr-defined]
        self.assertEqual(b"".join(blobs._body("data/a", 2, None)), b"abc")
        self.assertEqual(blobs._client.get_object.call_args.kwargs["Range"], "bytes=2-")  # type: ignore[attr-defined]
        for length in (2, 4):
            with self.assertRaisesRegex(StoreUnreachable, f"broke off after 3 of {length} bytes"):
                list(self.blobs(get_object={"ContentLength": length, "Body": body})._body("data/a", 0, None))
        for error in (answer("InvalidRange", 416), answer("", 416)):
            self.assertEqual(list(self.blobs(get_object=error)._body("data/a", 9, 1)), [])

    def test_an_address_that_is_none(self) -> None:
        with self.assertRaisesRegex(StoreUnreachable, "address of the bucket cannot be used"):
            S3Blobs(Bucket(endpoint="no address", bucket="b", access_key="k", secret_key="s"))  # noqa: S106
