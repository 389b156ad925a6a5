"""A blob store in an S3-compatible bucket, below a prefix.

`create` asks the service to refuse a name that is taken (`If-None-Match: *`); a service that does not know the
condition is asked beforehand whether the name is free. Names are random, so the gap between the two only
incidents for the header. Large objects go up in parts, several at once; what fails half-way is aborted. What
arrives is compared with its checksum, and a download that breaks off goes on where it stopped. Back-off with
jitter and answers that ask to slow down are botocore's standard retry mode.
"""

import base64
import contextlib
import hashlib
import random
import time
import zlib
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from email.utils import parsedate_to_datetime
from typing import TYPE_CHECKING, Any

import boto3
from botocore.config import Config
from botocore.exceptions import (
    BotoCoreError,
    ClientError,
    FlexibleChecksumError,
    HTTPClientError,
    NoCredentialsError,
    ParamValidationError,
    SSLError,
)

from adapters.guard import port
from adapters.stores import s3_versions
from adapters.stores.s3_doors import guard, trusted
from adapters.stores.s3_versions import code_of
from core.vault.blobs import Content, Keeps, joined
from core.vault.errors import (
    BlobExists,
    BlobMissing,
    StoreError,
    StoreFault,
    StoreForbidden,
    StoreFull,
    StoreMissing,
    StoreReadOnly,
    StoreUnreachable,
)

if TYPE_CHECKING:
    from mypy_boto3_s3 import S3Client

WHOLE_BYTES = 32 << 20
"""Up to this an object goes up in one request: a pack does, and several of them are under way at once anyway."""
PART_BYTES = 8 << 20
_READ_ATTEMPTS = 5
_MISSING = ("NoSuchKey", "404", "NotFound")
_TAKEN = ("PreconditionFailed", "412", "ConditionalRequestConflict", "409")
_UNKNOWN_CONDITION = ("NotImplemented", "501", "InvalidArgument")
_FULL = ("QuotaExceeded", "XMinioStorageFull", "InsufficientStorage", "507", "EntityTooLarge")
_SKEWED = ("RequestTimeTooSkewed", "RequestExpired")
_FORBIDDEN = ("AccessDenied", "403", "SignatureDoesNotMatch", "InvalidAccessKeyId", "AllAccessDisabled")


@dataclass(frozen=True, slots=True, kw_only=True)
class Bucket:
    """Where a store lies."""

    bucket: str
    prefix: str = ""
    endpoint: str | None = None
    access_key: str | None = None
    """None: from the environment or the usual files."""
    secret_key: str | None = field(default=None, repr=False)
    region: str | None = None
    inside: bool = True
    """Whether the service may lie on this computer or in its own network."""
    connect_seconds: float = 5
    read_seconds: float = 30
    attempts: int = 6
    """Of one request, the first one included."""


@port(StoreFault, "The bucket")
class S3Blobs:
    """Objects below one prefix of an existing bucket."""

    parallel = 8

    def __init__(self, where: Bucket) -> None:
        """Raises StoreMissing, StoreUnreachable, StoreReadOnly."""
        self._where = where
        self._prefix = where.prefix.strip("/") + "/" if where.prefix.strip("/") else ""
        self._conditional = True
        self._keeps: Keeps | None = None
        config = Config(
            connect_timeout=where.connect_seconds,
            read_timeout=where.read_seconds,
            retries={"mode": "standard", "total_max_attempts": where.attempts},
            max_pool_connections=self.parallel * 2,
            s3={"addressing_style": "path" if where.endpoint else "auto"},
        )
        try:
            session = boto3.session.Session()
            self._client: S3Client = session.client(
                "s3",
                endpoint_url=where.endpoint,
                aws_access_key_id=where.access_key,
                aws_secret_access_key=where.secret_key,
                region_name=where.region or session.region_name or "us-east-1",
                config=config,
                verify=trusted(),
            )
            guard(self._client, inside=where.inside)
        except (BotoCoreError, ValueError) as error:
            raise StoreUnreachable(f"The address of the bucket cannot be used: {error}") from None
        with self._wrapped(""):
            self._client.head_bucket(Bucket=where.bucket)

    def create(self, name: str, content: Content) -> None:
        whole = joined(content)
        if not self._conditional and self._exists(name):
            raise BlobExists(f"Object {name} exists.")
        with self._wrapped(name):
            try:
                self._put(name, whole)
            except ClientError as error:
                if not (self._conditional and code_of(error) in _UNKNOWN_CONDITION):
                    raise
                self._conditional = False
                self.create(name, whole)

    def _put(self, name: str, whole: bytes) -> None:
        if len(whole) > WHOLE_BYTES:
            self._put_parts(name, whole)
            return
        condition: dict[str, Any] = {"IfNoneMatch": "*"} if self._conditional else {}
        digest = _md5(whole)
        answer = self._client.put_object(
            Bucket=self._where.bucket, Key=self._key(name), Body=whole, ContentMD5=_text(digest), **_crc(whole), **condition
        )
        self._compare(name, answer.get("ETag"), [digest], parts=False)

    def _put_parts(self, name: str, whole: bytes) -> None:
        """Several parts at once; nothing is left behind when one fails."""
        where: Any = {"Bucket": self._where.bucket, "Key": self._key(name)}
        upload = self._client.create_multipart_upload(**where, ChecksumAlgorithm="CRC32")["UploadId"]
        view = memoryview(whole)
        parts = [bytes(view[at : at + PART_BYTES]) for at in range(0, len(whole), PART_BYTES)]

        digests = [b""] * len(parts)

        def send(number: int) -> dict[str, Any]:
            part, sum_ = parts[number], _crc(parts[number])
            digests[number] = _md5(part)
            md5 = _text(digests[number])
            answer = self._client.upload_part(**where, UploadId=upload, PartNumber=number + 1, Body=part, ContentMD5=md5, **sum_)
            return {"PartNumber": number + 1, "ETag": answer["ETag"], "ChecksumCRC32": sum_["ChecksumCRC32"]}

        try:
            with ThreadPoolExecutor(min(self.parallel, len(parts))) as pool:
                sent: Any = list(pool.map(send, range(len(parts))))
            condition: dict[str, Any] = {"IfNoneMatch": "*"} if self._conditional else {}
            answer = self._client.complete_multipart_upload(**where, UploadId=upload, MultipartUpload={"Parts": sent}, **condition)
        except BaseException:
            with contextlib.suppress(ClientError, BotoCoreError):
                self._client.abort_multipart_upload(**where, UploadId=upload)
            raise
        self._compare(name, answer.get("ETag"), digests, parts=True)

    def _compare(self, name: str, etag: str | None, digests: list[bytes], *, parts: bool) -> None:
        """A service whose entity tags are MD5 sums tells by them what it received."""
        bare = (etag or "").strip('"')
        expected = hashlib.md5(b"".join(digests), usedforsecurity=False).hexdigest() + f"-{len(digests)}" if parts else digests[0].hex()
        if len(bare) == len(expected) and bare.replace("-", "").isalnum() and bare != expected and self._tags_are_sums(name):
            self.delete(name)
            raise StoreUnreachable(f"Object {name} arrived damaged; it was removed again.")

    def _tags_are_sums(self, name: str) -> bool:
        """Encrypted buckets have other entity tags; then the stored length has to do."""
        answer = self._client.head_object(Bucket=self._where.bucket, Key=self._key(name))
        return not answer.get("ServerSideEncryption") and not answer.get("SSEKMSKeyId")

    def read(self, name: str, *, offset: int = 0, length: int | None = None) -> bytes:
        if length is not None and length <= 0:
            return b""
        parts: list[bytes] = []
        got, failed = 0, 0
        while True:
            try:
                with self._wrapped(name):
                    for piece in self._body(name, offset + got, None if length is None else length - got):
                        parts.append(piece)
                        got += len(piece)
                    return b"".join(parts)
            except StoreUnreachable as error:
                failed += 1
                if isinstance(error.__cause__, FlexibleChecksumError):
                    parts, got = [], 0  # all of it came, and it is not what was stored: nothing of it may stay
                if failed >= _READ_ATTEMPTS:
                    raise
                time.sleep(random.uniform(0, min(4.0, 0.1 * 2**failed)))  # noqa: S311  # jitter, no secret

    def _body(self, name: str, offset: int, length: int | None) -> Iterator[bytes]:
        asked: Any = {"Bucket": self._where.bucket, "Key": self._key(name)}
        if offset or length is not None:
            asked["Range"] = f"bytes={offset}-" if length is None else f"bytes={offset}-{offset + length - 1}"
        else:
            asked["ChecksumMode"] = "ENABLED"
        try:
            answer = self._client.get_object(**asked)
        except ClientError as error:
            if code_of(error) in ("InvalidRange", "416"):
                return
            if code_of(error) not in _MISSING or not self._has_versions:
                raise
            # somebody has laid a marker over it: what it was is still there
            below = s3_versions.newest(self._client, self._where.bucket, asked["Key"]).get(asked["Key"])
            if below is None:
                raise
            answer = self._client.get_object(**asked, VersionId=below.id)
        expected, got = answer["ContentLength"], 0
        for piece in answer["Body"].iter_chunks(1 << 20):
            got += len(piece)
            yield piece
        if got != expected:
            raise StoreUnreachable(f"Object {name} broke off after {got} of {expected} bytes.")

    def delete(self, name: str) -> None:
        with self._wrapped(name):
            if self._has_versions:
                s3_versions.remove(self._client, self._where.bucket, self._key(name))
            else:
                self._client.delete_object(Bucket=self._where.bucket, Key=self._key(name))

    def list(self, prefix: str) -> Iterator[tuple[str, int]]:
        where, below = self._where.bucket, self._prefix + prefix
        with self._wrapped(prefix):
            if self._has_versions:
                newest = s3_versions.newest(self._client, where, below)
                yield from [(key[len(self._prefix) :], version.size) for key, version in newest.items()]
                return
            pages = self._client.get_paginator("list_objects_v2").paginate(Bucket=where, Prefix=below)
            listed = [(entry["Key"][len(self._prefix) :], entry["Size"]) for page in pages for entry in page.get("Contents", [])]
        yield from listed

    def dated(self, name: str) -> datetime | None:
        """By the service's clock."""
        with self._wrapped(name):
            moment: datetime = self._client.head_object(Bucket=self._where.bucket, Key=self._key(name))["LastModified"]
        return moment

    def clock(self) -> datetime | None:
        with self._wrapped(self._where.bucket):
            date = self._client.head_bucket(Bucket=self._where.bucket)["ResponseMetadata"]["HTTPHeaders"].get("date", "")
        try:
            return parsedate_to_datetime(date)
        except (ValueError, TypeError):
            return None

    def keeps(self) -> Keeps:
        """Asked once; a bucket does not change its kind while it is used."""
        if self._keeps is None:
            with self._wrapped(""):
                self._keeps = s3_versions.keeps(self._client, self._where.bucket)
        return self._keeps

    @property
    def _has_versions(self) -> bool:
        return self.keeps() in (Keeps.VERSIONS, Keeps.LOCKED)

    def free_bytes(self) -> int | None:
        return None

    def _exists(self, name: str) -> bool:
        with self._wrapped(name):
            try:
                self._client.head_object(Bucket=self._where.bucket, Key=self._key(name))
            except ClientError as error:
                if code_of(error) in _MISSING:
                    return False
                raise
            return True

    def _key(self, name: str) -> str:
        return self._prefix + name

    @contextlib.contextmanager
    def _wrapped(self, name: str) -> Iterator[None]:
        """Foreign errors become the port's, once and here."""
        try:
            yield
        except ClientError as error:
            raise self._named(error, name) from error
        except NoCredentialsError as error:
            raise StoreReadOnly("There are no credentials for this bucket.", remedy="Set its access key and secret key.") from error
        except ParamValidationError as error:
            raise StoreMissing(f"{self._where.bucket!r} cannot be the name of a bucket.", remedy="Correct it.") from error
        except SSLError as error:
            remedy = (
                "Give the service a certificate of an authority that this computer trusts, or add its authority to the computer's "
                "trusted ones (on Debian: a .crt file in /usr/local/share/ca-certificates, then update-ca-certificates)."
            )
            raise StoreUnreachable(f"{self._where.endpoint} shows a certificate that cannot be trusted.", remedy=remedy) from error
        except HTTPClientError as error:
            if forbidden := _forbidden(error):
                raise forbidden from None
            raise StoreUnreachable(f"The bucket {self._where.bucket} does not answer as it should: {type(error).__name__}.") from error
        except BotoCoreError as error:
            raise StoreUnreachable(f"The bucket {self._where.bucket} does not answer as it should: {type(error).__name__}.") from error

    def _named(self, error: ClientError, name: str) -> StoreError | BlobMissing | BlobExists:
        code, bucket = code_of(error), self._where.bucket
        if code == "NoSuchBucket" or (not name and code in _MISSING):
            return StoreMissing(f"There is no bucket {bucket}.", remedy="Make it, or correct its name.")
        if code in _MISSING:
            return BlobMissing(f"Object {name} is missing.")
        if code in _TAKEN:
            return BlobExists(f"Object {name} exists.")
        if code in _FULL:
            return StoreFull(f"The bucket {bucket} takes no more.")
        if code in _SKEWED:
            remedy = "Set this computer's clock: the service refuses requests whose time is more than a quarter of an hour from its own."
            return StoreReadOnly(f"The bucket {bucket} does not take our requests: the clocks are too far apart.", remedy=remedy)
        if code in _FORBIDDEN:
            return StoreReadOnly(f"The bucket {bucket} does not let us in ({code}).", remedy="Correct the access key, or its rights.")
        return StoreUnreachable(f"The bucket {bucket} answers with an error ({code}).")


def _forbidden(error: BaseException | None) -> StoreForbidden | None:
    """What a connection refused to do, below what the library makes of it."""
    while error is not None and not isinstance(error, StoreForbidden):
        error = error.__cause__ or error.__context__
    return error


def _md5(content: bytes) -> bytes:
    return hashlib.md5(content, usedforsecurity=False).digest()


def _text(digest: bytes) -> str:
    return base64.b64encode(digest).decode()


def _crc(content: bytes) -> dict[str, Any]:
    return {"ChecksumCRC32": base64.b64encode(zlib.crc32(content).to_bytes(4, "big")).decode()}
