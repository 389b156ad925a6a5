"""One request answered: which operation of the protocol it is, and what the shelf says to it."""

import base64
import hashlib
import zlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from email.utils import format_datetime
from xml.etree import ElementTree

from standins.cloud.answers import Refused, tag, written
from standins.cloud.shelf import Held, Shelf
from standins.cloud.uploads import Uploads

MOST_KEYS = 1000


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    method: str
    bucket: str
    key: str
    query: Mapping[str, str]
    headers: Mapping[str, str]
    body: bytes
    now: datetime
    lies: bool = False
    """Whether this one answer is not to be trusted."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    status: int = 200
    body: bytes = b""
    headers: Mapping[str, str] = field(default_factory=dict)
    length: int | None = None
    """Told where there is no body to count."""


def answer(asked: Asked, shelf: Shelf, uploads: Uploads, *, allowance: int) -> tuple[str, Answer]:
    """(name of the operation, its answer). Raises Refused."""
    if not asked.bucket:
        raise Refused("NotImplemented", "Buckets are not listed.")
    if not asked.key:
        return _of_bucket(asked, shelf)
    match asked.method, "uploads" in asked.query, "uploadId" in asked.query:
        case "POST", True, _:
            shelf.bucket(asked.bucket)
            id = uploads.begin(asked.bucket, asked.key)
            return "begin", Answer(body=written("InitiateMultipartUploadResult", tag("UploadId", id)))
        case "PUT", _, True:
            _proven(asked)
            etag = uploads.part(asked.query["uploadId"], asked.bucket, asked.key, int(asked.query.get("partNumber", 0)), asked.body)
            return "part", Answer(headers={"ETag": _tagged(etag, asked)})
        case "POST", _, True:
            return "complete", _complete(asked, shelf, uploads, allowance)
        case "DELETE", _, True:
            uploads.drop(asked.query["uploadId"], asked.bucket, asked.key)
            return "abort", Answer(status=204)
        case "PUT", _, _:
            return "put", _put(asked, shelf, allowance)
        case (("GET" | "HEAD"), _, _):
            return asked.method.lower(), _get(asked, shelf)
        case "DELETE", _, _:
            return "delete", _delete(asked, shelf)
    raise Refused("NotImplemented")


def _of_bucket(asked: Asked, shelf: Shelf) -> tuple[str, Answer]:
    if asked.method == "PUT" and not asked.query:
        shelf.make_bucket(asked.bucket, locks=asked.headers.get("x-amz-bucket-object-lock-enabled", "").lower() == "true")
        return "make", Answer(headers={"Location": f"/{asked.bucket}"})
    versions, locks = shelf.bucket(asked.bucket)
    match asked.method, next((name for name in ("versioning", "object-lock", "versions") if name in asked.query), ""):
        case "HEAD", _:
            return "ask", Answer()
        case "PUT", "versioning":
            status = ElementTree.fromstring(asked.body).find("{*}Status")  # noqa: S314  # signed by one of our own keys
            shelf.keep_versions(asked.bucket, status.text or "" if status is not None else "")
            return "set", Answer()
        case "GET", "versioning":
            return "ask", Answer(body=written("VersioningConfiguration", *([tag("Status", versions)] if versions else [])))
        case "GET", "object-lock":
            if not locks:
                raise Refused("ObjectLockConfigurationNotFoundError")
            return "ask", Answer(body=written("ObjectLockConfiguration", tag("ObjectLockEnabled", "Enabled")))
        case "GET", "versions":
            return "list", _versions(asked, shelf)
        case "GET", "":
            return "list", _list(asked, shelf)
    raise Refused("NotImplemented")


def _list(asked: Asked, shelf: Shelf) -> Answer:
    prefix, count = asked.query.get("prefix", ""), min(MOST_KEYS, int(asked.query.get("max-keys", MOST_KEYS)))
    after = _plain(asked.query.get("continuation-token", "")) or asked.query.get("start-after", "")
    held_parts = shelf.listed(asked.bucket, prefix, after, count + 1)
    more, held_parts = len(held_parts) > count, held_parts[:count]
    rows = "".join(_row("Contents", tag("Key", held.key), tag("LastModified", _iso(held.modified)), *_content(held)) for held in held_parts)
    token = tag("NextContinuationToken", base64.urlsafe_b64encode(held_parts[-1].key.encode()).decode()) if more else ""
    tags = [tag("Name", asked.bucket), tag("Prefix", prefix), tag("KeyCount", len(held_parts)), tag("IsTruncated", str(more).lower())]
    return Answer(body=written("ListBucketResult", *tags, token, rows))


def _versions(asked: Asked, shelf: Shelf) -> Answer:
    prefix, count = asked.query.get("prefix", ""), min(MOST_KEYS, int(asked.query.get("max-keys", MOST_KEYS)))
    marker = asked.query.get("version-id-marker", "")
    after = (asked.query.get("key-marker", ""), int(marker) if marker.isdigit() else (0 if asked.query.get("key-marker") else 1 << 62))
    versions = shelf.versions(asked.bucket, prefix, after, count + 1)
    more, versions = len(versions) > count, versions[:count]
    rows = []
    for _, newest, held in versions:
        tags = [tag("Key", held.key), tag("VersionId", held.version), tag("IsLatest", str(newest).lower())]
        tags += [tag("LastModified", _iso(held.modified))]
        tags += [] if held.marker else _content(held)
        rows.append(_row("DeleteMarker" if held.marker else "Version", *tags))
    goes_on = [tag("NextKeyMarker", versions[-1][2].key), tag("NextVersionIdMarker", versions[-1][0])] if more else []
    return Answer(body=written("ListVersionsResult", tag("Name", asked.bucket), tag("IsTruncated", str(more).lower()), *goes_on, *rows))


def _row(name: str, *parts: str) -> str:
    return f"<{name}>{''.join(parts)}</{name}>"


def _content(held: Held) -> list[str]:
    return [tag("ETag", f'"{held.etag}"'), tag("Size", held.size)]


def _put(asked: Asked, shelf: Shelf, allowance: int) -> Answer:
    crc32 = _proven(asked)
    until = asked.headers.get("x-amz-object-lock-retain-until-date", "")
    held = shelf.put(
        asked.bucket, asked.key, asked.body, now=asked.now, crc32=crc32, only_new=asked.headers.get("if-none-match") == "*",
        mode=asked.headers.get("x-amz-object-lock-mode", ""), until=datetime.fromisoformat(until) if until else None, allowance=allowance,
    )  # fmt: skip
    return Answer(headers=_facts(held, etag=_tagged(held.etag, asked)))


def _complete(asked: Asked, shelf: Shelf, uploads: Uploads, allowance: int) -> Answer:
    try:
        parts = ElementTree.fromstring(asked.body).findall("{*}Part")  # noqa: S314  # signed by one of our own keys
        wanted = [(int(part.findtext("{*}PartNumber") or 0), part.findtext("{*}ETag") or "") for part in parts]
    except (ElementTree.ParseError, ValueError):
        raise Refused("MalformedXML") from None
    if not wanted:
        raise Refused("MalformedXML", "No part is named.")
    id = asked.query["uploadId"]
    content, etag = uploads.whole(id, asked.bucket, asked.key, wanted)
    only_new = asked.headers.get("if-none-match") == "*"
    held = shelf.put(asked.bucket, asked.key, content, now=asked.now, etag=etag, only_new=only_new, allowance=allowance)
    uploads.drop(id, asked.bucket, asked.key)
    return Answer(body=written("CompleteMultipartUploadResult", tag("Key", asked.key), tag("ETag", _tagged(held.etag, asked))))


def _get(asked: Asked, shelf: Shelf) -> Answer:
    shelf.bucket(asked.bucket)
    version = asked.query.get("versionId", "")
    held = shelf.find(asked.bucket, asked.key, version)
    if held is None:
        raise Refused("NoSuchVersion" if version else "NoSuchKey")
    if held.marker:
        raise Refused("MethodNotAllowed" if version else "NoSuchKey")
    headers = dict(_facts(held, etag=f'"{held.etag}"'))
    if asked.method == "HEAD":
        return Answer(headers=headers, length=held.size)
    content = shelf.content(held)
    if asked.lies and content:
        content = bytes([content[0] ^ 1]) + content[1:]
    if (wanted := asked.headers.get("range", "")).startswith("bytes="):
        first, _, last = wanted.removeprefix("bytes=").partition("-")
        begin, end = int(first), min(int(last) if last else held.size - 1, held.size - 1)
        if begin >= held.size:
            raise Refused("InvalidRange")
        headers["Content-Range"] = f"bytes {begin}-{end}/{held.size}"
        return Answer(status=206, body=content[begin : end + 1], headers=headers)
    if held.crc32 and asked.headers.get("x-amz-checksum-mode") == "ENABLED":
        headers["x-amz-checksum-crc32"] = held.crc32
    return Answer(body=content, headers=headers)


def _delete(asked: Asked, shelf: Shelf) -> Answer:
    bypass = asked.headers.get("x-amz-bypass-governance-retention", "").lower() == "true"
    marker = shelf.remove(asked.bucket, asked.key, asked.query.get("versionId", ""), now=asked.now, bypass=bypass)
    return Answer(status=204, headers={} if marker is None else {"x-amz-delete-marker": "true", "x-amz-version-id": marker.version})


def _proven(asked: Asked) -> str:
    """The CRC-32 that was told with the body, once every sum that was told is right. Raises Refused."""
    headers, body = asked.headers, asked.body
    if (md5 := headers.get("content-md5")) and md5 != base64.b64encode(hashlib.md5(body, usedforsecurity=False).digest()).decode():
        raise Refused("BadDigest")
    crc32 = headers.get("x-amz-checksum-crc32", "")
    if crc32 and crc32 != base64.b64encode(zlib.crc32(body).to_bytes(4, "big")).decode():
        raise Refused("BadDigest")
    return crc32


def _facts(held: Held, *, etag: str) -> dict[str, str]:
    headers = {"ETag": etag, "Last-Modified": format_datetime(held.modified, usegmt=True)}
    return headers | ({} if held.version == "null" else {"x-amz-version-id": held.version})


def _tagged(etag: str, asked: Asked) -> str:
    """In quotes; of an answer that lies the sum of something else."""
    return f'"{etag[1:] + etag[0]}"' if asked.lies and "-" not in etag else f'"{etag}"'


def _plain(token: str) -> str:
    return base64.urlsafe_b64decode(token).decode() if token else ""


def _iso(at: datetime) -> str:
    return at.strftime("%Y-%m-%dT%H:%M:%S.000Z")
