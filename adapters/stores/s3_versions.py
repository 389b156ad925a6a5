"""What a bucket that keeps versions makes of listing, reading and removing (§1 of the format assumes none).

There an object is its newest version that is content, whatever markers somebody has laid over it; removing takes every
version of the name, since a plain DELETE only lays one more marker and frees nothing. A version that is locked, or
that this key may not remove, is told by `StoreHolds`: nothing may be counted as freed then.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from botocore.exceptions import ClientError

from core.vault.blobs import Keeps
from core.vault.errors import StoreHolds

if TYPE_CHECKING:
    from mypy_boto3_s3 import S3Client

_DENIED = ("AccessDenied", "403", "AllAccessDisabled")
_HELD = (*_DENIED, "InvalidRequest", "ObjectLocked", "MethodNotAllowed", "405")
_NO_LOCK = ("ObjectLockConfigurationNotFoundError", "NoSuchObjectLockConfiguration", "404", "NotImplemented", "501", "InvalidRequest")
_NO_VERSIONS = ("NotImplemented", "501", "MethodNotAllowed", "405")


def code_of(error: ClientError) -> str:
    code = error.response.get("Error", {}).get("Code", "")
    return str(code or error.response.get("ResponseMetadata", {}).get("HTTPStatusCode", ""))


def keeps(client: "S3Client", bucket: str) -> Keeps:
    """What the bucket keeps of what is removed. Raises ClientError."""
    try:
        status = client.get_bucket_versioning(Bucket=bucket).get("Status")
    except ClientError as error:
        if code_of(error) in _DENIED:
            return Keeps.UNKNOWN
        if code_of(error) in _NO_VERSIONS:
            return Keeps.NOTHING
        raise
    if status not in ("Enabled", "Suspended"):
        return Keeps.NOTHING
    try:
        rule = client.get_object_lock_configuration(Bucket=bucket)["ObjectLockConfiguration"]
    except ClientError as error:
        if code_of(error) in (*_NO_LOCK, *_DENIED):
            return Keeps.VERSIONS
        raise
    return Keeps.LOCKED if rule.get("ObjectLockEnabled") == "Enabled" else Keeps.VERSIONS


@dataclass(frozen=True, slots=True, kw_only=True)
class Version:
    key: str
    id: str
    size: int
    content: bool
    """False for a marker that somebody laid over it."""


def versions(client: "S3Client", bucket: str, prefix: str) -> Iterator[Version]:
    """Of every key that begins so; of one key the newest first, as the service lists them. Raises ClientError."""
    for page in client.get_paginator("list_object_versions").paginate(Bucket=bucket, Prefix=prefix):
        for row in page.get("Versions", []):
            yield Version(key=row["Key"], id=row["VersionId"], size=row["Size"], content=True)
        for marker in page.get("DeleteMarkers", []):
            yield Version(key=marker["Key"], id=marker["VersionId"], size=0, content=False)


def newest(client: "S3Client", bucket: str, prefix: str) -> dict[str, Version]:
    """Key → its newest version that is content."""
    newest: dict[str, Version] = {}
    for one in versions(client, bucket, prefix):
        if one.content:
            newest.setdefault(one.key, one)
    return newest


def remove(client: "S3Client", bucket: str, key: str) -> None:
    """Every version and every marker of the key. Raises StoreHolds, ClientError."""
    for one in list(versions(client, bucket, key)):
        if one.key != key:
            continue
        try:
            client.delete_object(Bucket=bucket, Key=key, VersionId=one.id)
        except ClientError as error:
            if code_of(error) in _HELD:
                raise StoreHolds(
                    f"The bucket {bucket} does not let go of an object: it is locked, or this key may not remove it."
                ) from error
            raise
