"""Where the simulated cloud keeps its objects: contents as files, what is known of them in one SQLite file. Persists.

A bucket may keep versions, and may lock them. Without versions a key has one version called `null`.
"""

import hashlib
import secrets
import sqlite3
import threading
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from standins.cloud.answers import Refused

_TABLES = """
create table if not exists buckets (name text primary key, versions text not null default '', locks integer not null default 0);
create table if not exists objects (
    number integer primary key autoincrement, bucket text not null, key text not null, version text not null, marker integer not null,
    size integer not null, etag text not null, crc32 text not null, modified text not null, mode text not null, until text not null,
    file text not null);
create unique index if not exists by_key on objects (bucket, key, version);
create index if not exists by_order on objects (bucket, key, number desc);
"""


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """One version of an object, or a marker that says that it was removed."""

    key: str
    version: str
    marker: bool
    size: int
    etag: str
    crc32: str
    modified: datetime
    mode: str
    """GOVERNANCE, COMPLIANCE or empty."""
    until: datetime | None
    file: str


class Shelf:
    def __init__(self, folder: Path) -> None:
        self._content = folder / "content"
        self._content.mkdir(parents=True, exist_ok=True)
        self._lock = threading.RLock()
        self._known = sqlite3.connect(folder / "index.sqlite", check_same_thread=False, isolation_level=None)
        self._known.executescript("pragma journal_mode=wal; pragma synchronous=off;" + _TABLES)

    # -- buckets

    def make_bucket(self, name: str, *, locks: bool = False) -> None:
        with self._lock:
            if self._known.execute("select 1 from buckets where name = ?", [name]).fetchone():
                raise Refused("BucketAlreadyOwnedByYou")
            self._known.execute("insert into buckets values (?, ?, ?)", [name, "Enabled" if locks else "", locks])

    def bucket(self, name: str) -> tuple[str, bool]:
        """(what it says of versions, whether it can lock). Raises Refused."""
        row = self._known.execute("select versions, locks from buckets where name = ?", [name]).fetchone()
        if not row:
            raise Refused("NoSuchBucket")
        return str(row[0]), bool(row[1])

    def keep_versions(self, name: str, status: str) -> None:
        self.bucket(name)
        self._known.execute("update buckets set versions = ? where name = ?", [status, name])

    def buckets(self) -> list[str]:
        return [str(row[0]) for row in self._known.execute("select name from buckets order by name")]

    # -- objects

    def put(
        self, bucket: str, key: str, content: bytes, *, now: datetime, etag: str = "", crc32: str = "", only_new: bool = False,
        mode: str = "", until: datetime | None = None, allowance: int = 0,
    ) -> Held:  # fmt: skip
        """Raises Refused."""
        with self._lock:
            versions, locks = self.bucket(bucket)
            if mode and not locks:
                raise Refused("InvalidRequest", "This bucket cannot lock.")
            newest = self.find(bucket, key)
            if only_new and newest is not None and not newest.marker:
                raise Refused("PreconditionFailed")
            if allowance and self.stored_bytes() + len(content) > allowance:
                raise Refused("QuotaExceeded", "The allowance of this account is used up.")
            version = secrets.token_hex(16) if versions == "Enabled" else "null"
            if version == "null":
                self._forget(bucket, key, "null", now=now, bypass=True)
            file = secrets.token_hex(16)
            (self._content / file).write_bytes(content)
            rows = [
                bucket, key, version, False, len(content), etag or hashlib.md5(content, usedforsecurity=False).hexdigest(), crc32,
                now.isoformat(), mode, until.isoformat() if until else "", file,
            ]  # fmt: skip
            self._known.execute("insert into objects values (null, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", rows)
            held = self.find(bucket, key, version)
            assert held is not None
            return held

    def content(self, held: Held) -> bytes:
        return (self._content / held.file).read_bytes()

    def find(self, bucket: str, key: str, version: str = "") -> Held | None:
        """The newest version, which may be a marker, or that one."""
        sql = "select key, version, marker, size, etag, crc32, modified, mode, until, file from objects where bucket = ? and key = ?"
        if version:
            row = self._known.execute(sql + " and version = ?", [bucket, key, version]).fetchone()
        else:
            row = self._known.execute(sql + " order by number desc limit 1", [bucket, key]).fetchone()
        return _held(row) if row else None

    def remove(self, bucket: str, key: str, version: str, *, now: datetime, bypass: bool) -> Held | None:
        """A version for good; or, of a bucket with versions and without one named, a marker over all of them. Raises Refused."""
        with self._lock:
            versions, _ = self.bucket(bucket)
            if version or not versions:
                self._forget(bucket, key, version or "null", now=now, bypass=bypass)
                return None
            marker = secrets.token_hex(16) if versions == "Enabled" else "null"
            if marker == "null":
                self._forget(bucket, key, "null", now=now, bypass=bypass)
            self._known.execute(
                "insert into objects values (null, ?, ?, ?, 1, 0, '', '', ?, '', '', '')", [bucket, key, marker, now.isoformat()]
            )
            return self.find(bucket, key, marker)

    def _forget(self, bucket: str, key: str, version: str, *, now: datetime, bypass: bool) -> None:
        held = self.find(bucket, key, version)
        if held is None:
            return
        if held.until is not None and held.until > now and (held.mode == "COMPLIANCE" or not bypass):
            raise Refused("AccessDenied", "This version is locked.")
        self._known.execute("delete from objects where bucket = ? and key = ? and version = ?", [bucket, key, version])
        if held.file:
            (self._content / held.file).unlink(missing_ok=True)

    def listed(self, bucket: str, prefix: str, after: str, count: int) -> list[Held]:
        """The newest version of each key behind `after`, markers left out, in the order of the keys."""
        sql = """select key, version, marker, size, etag, crc32, modified, mode, until, file from objects as one
                 where bucket = ? and key >= ? and key < ? and key > ? and marker = 0
                 and number = (select max(number) from objects where bucket = one.bucket and key = one.key) order by key limit ?"""
        rows = self._known.execute(sql, [bucket, prefix, prefix + "\U0010ffff", after, count])
        return [_held(row) for row in rows]

    def versions(self, bucket: str, prefix: str, after: tuple[str, int], count: int) -> list[tuple[int, bool, Held]]:
        """(number, whether it is the newest, the version) of every version and marker, by key, newest first."""
        sql = """select number, number = (select max(number) from objects where bucket = one.bucket and key = one.key),
                 key, version, marker, size, etag, crc32, modified, mode, until, file from objects as one
                 where bucket = ? and key >= ? and key < ? and (key > ? or (key = ? and number < ?))
                 order by key, number desc limit ?"""
        key, number = after
        rows = self._known.execute(sql, [bucket, prefix, prefix + "\U0010ffff", key, key, number, count])
        return [(int(row[0]), bool(row[1]), _held(row[2:])) for row in rows]

    def stored_bytes(self) -> int:
        return int(self._known.execute("select coalesce(sum(size), 0) from objects").fetchone()[0])

    def counts(self) -> Iterator[tuple[str, int, int]]:
        """(bucket, versions, bytes)."""
        yield from self._known.execute("select bucket, count(*), sum(size) from objects group by bucket order by bucket")

    def close(self) -> None:
        self._known.close()


def _held(row: tuple[str, str, int, int, str, str, str, str, str, str]) -> Held:
    key, version, marker, size, etag, crc32, modified, mode, until, file = row
    return Held(
        key=key, version=version, marker=bool(marker), size=size, etag=etag, crc32=crc32, modified=datetime.fromisoformat(modified),
        mode=mode, until=datetime.fromisoformat(until).astimezone(UTC) if until else None, file=file,
    )  # fmt: skip
