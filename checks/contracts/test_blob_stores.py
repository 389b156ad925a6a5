"""What every blob store promises, run over each implementation. Arranged and inspected through the back door.

The S3 store is run against two independent servers: one in memory (moto), and a real object store (SeaweedFS).
"""

import errno
import os
import tempfile
import threading
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import TestCase, mock

from adapters.stores.folder import FolderBlobs
from adapters.stores.s3 import PART_BYTES, WHOLE_BYTES, Bucket, S3Blobs
from checks.contracts.s3_servers import KEY, SECRET, Flaky, Moto, SeaweedFS, StandIn, a_bucket
from core.vault.blobs import BlobStore, Keeps
from core.vault.errors import BlobExists, BlobMissing, StoreFull, StoreHolds, StoreMissing, StoreReadOnly, StoreUnreachable
from core.vault.memory import MemoryBlobs
from standins.cloud.service import Cloud


class Promises:
    """Mixed into a TestCase that makes `self.blobs`."""

    blobs: BlobStore

    def test_what_was_created_is_read_whole_and_in_parts(self):
        self.blobs.create("packs/aa/1", b"0123456789")
        self.assertEqual(self.blobs.read("packs/aa/1"), b"0123456789")
        self.assertEqual(self.blobs.read("packs/aa/1", offset=3, length=4), b"3456")
        self.assertEqual(self.blobs.read("packs/aa/1", offset=8), b"89")
        self.assertEqual(self.blobs.read("packs/aa/1", offset=8, length=100), b"89")
        self.assertEqual(self.blobs.read("packs/aa/1", offset=10), b"")
        self.assertEqual(self.blobs.read("packs/aa/1", offset=2, length=0), b"")

    def test_content_in_several_pieces_is_one_object(self):
        pieces = [b"abc", b"", *(bytes([n % 256]) * (n % 7) for n in range(2500)), b"z"]
        self.blobs.create("packs/aa/2", pieces)
        self.assertEqual(self.blobs.read("packs/aa/2"), b"".join(pieces))

    def test_nothing_is_ever_overwritten(self):
        self.blobs.create("a", b"first")
        with self.assertRaises(BlobExists):
            self.blobs.create("a", b"second")
        self.assertEqual(self.blobs.read("a"), b"first")

    def test_of_many_writers_of_one_name_exactly_one_succeeds(self):
        won = []

        def write(n: int) -> None:
            try:
                self.blobs.create("one", bytes([n]) * 1000)
                won.append(n)
            except BlobExists:
                pass

        threads = [threading.Thread(target=write, args=(n,)) for n in range(12)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(len(won), 1)
        self.assertEqual(self.blobs.read("one"), bytes(won) * 1000)

    def test_listing_by_prefix_with_sizes(self):
        for name in ("packs/aa/1", "packs/ab/2", "indexes/1", "header"):
            self.blobs.create(name, b"x" * len(name))
        self.assertEqual(sorted(self.blobs.list("packs/")), [("packs/aa/1", 10), ("packs/ab/2", 10)])
        self.assertEqual({name for name, _ in self.blobs.list("")}, {"packs/aa/1", "packs/ab/2", "indexes/1", "header"})
        self.assertEqual(list(self.blobs.list("nothing/")), [])

    def test_missing_objects(self):
        for attempt in (lambda: self.blobs.read("gone"), lambda: self.blobs.read("gone", offset=3, length=2)):
            with self.assertRaises(BlobMissing):
                attempt()
        self.blobs.delete("gone")

    def test_deleted_objects_are_gone_and_their_names_free(self):
        self.blobs.create("a", b"1")
        self.blobs.delete("a")
        with self.assertRaises(BlobMissing):
            self.blobs.read("a")
        self.blobs.create("a", b"2")
        self.assertEqual(list(self.blobs.list("a")), [("a", 1)])

    def test_empty_objects(self):
        self.blobs.create("empty", b"")
        self.assertEqual((self.blobs.read("empty"), list(self.blobs.list("empty"))), (b"", [("empty", 0)]))

    def test_free_room_is_a_number_or_unknown(self):
        free = self.blobs.free_bytes()
        self.assertTrue(free is None or free >= 0)


class InMemory(Promises, TestCase):
    def setUp(self):
        self.blobs = MemoryBlobs()


class InAFolder(Promises, TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)
        self.blobs = FolderBlobs(self.root)

    def files(self) -> list[str]:
        return sorted(path.relative_to(self.root).as_posix() for path in self.root.rglob("*") if path.is_file())

    def test_a_full_medium_leaves_nothing_half_written(self):
        real = os.writev

        def full(descriptor: int, parts: list[bytes]) -> int:
            if sum(map(len, parts)) > 10:
                return real(descriptor, [bytes(parts[0])[:10]])
            raise OSError(errno.ENOSPC, "No space left on device")

        def never(descriptor: int, content: bytes) -> int:
            raise OSError(errno.ENOSPC, "No space left on device")

        for content in (b"x" * 20, [b"x" * 10, b"y" * 10]):
            with mock.patch("os.writev", full), mock.patch("os.write", never), self.assertRaises(StoreFull) as caught:
                self.blobs.create("packs/aa/1", content)
            self.assertTrue(caught.exception.remedy)
            self.assertEqual(self.files(), [])

    def test_writes_that_take_only_a_part_are_gone_on_with(self):
        real_v, real = os.writev, os.write
        content = [bytes([n]) * 1000 for n in range(50)]
        with (
            mock.patch("os.writev", lambda descriptor, parts: real_v(descriptor, [bytes(parts[0])[:333]])),
            mock.patch("os.write", lambda descriptor, rest: real(descriptor, bytes(rest)[:100])),
        ):
            self.blobs.create("packs/aa/1", content)
        self.assertEqual(self.blobs.read("packs/aa/1"), b"".join(content))

    def test_an_object_is_flushed_before_it_gets_its_name_and_its_folder_after(self):
        calls: list[str] = []
        real_fsync, real_link = os.fsync, os.link

        def fsync(descriptor: int) -> None:
            calls.append("folder" if os.path.isdir(f"/proc/self/fd/{descriptor}") else "file")
            real_fsync(descriptor)

        def link(*arguments: object) -> None:
            calls.append("name")
            real_link(*arguments)

        self.blobs.create("packs/aa/0", b"x")
        with mock.patch("os.fsync", fsync), mock.patch("os.link", link):
            self.blobs.create("packs/aa/1", b"x")
            self.blobs.create("packs/ab/2", b"x")
        self.assertEqual(calls, ["file", "name", "folder", "folder", "file", "name", "folder"])

    def test_a_read_only_medium_is_named_as_such(self):
        for number in (errno.EROFS, errno.EACCES):
            with mock.patch("os.open", side_effect=OSError(number, "no")), self.assertRaises(StoreReadOnly):
                self.blobs.create("packs/aa/1", b"x")

    def test_a_folder_that_was_unmounted_is_missing_and_not_empty(self):
        self.blobs.create("a", b"1")
        moved = self.root.rename(self.root.with_name(self.root.name + "-away"))
        self.addCleanup(lambda: moved.rename(self.root))
        for attempt in (lambda: self.blobs.create("b", b""), lambda: self.blobs.read("a"), lambda: list(self.blobs.list(""))):
            with self.assertRaises(StoreMissing):
                attempt()
        with self.assertRaises(StoreMissing):
            FolderBlobs(self.root)

    def test_what_a_crash_left_is_no_object_and_goes_after_a_day(self):
        left = self.root / ".unfinished-1"
        left.write_bytes(b"half")
        self.assertEqual(list(self.blobs.list("")), [])
        self.assertTrue(left.exists())
        os.utime(left, (0, 0))
        list(self.blobs.list(""))
        self.assertFalse(left.exists())


class OnS3(Promises):
    """More promises of a bucket."""

    server: Moto | SeaweedFS

    @classmethod
    def setUpClass(cls):
        super().setUpClass()  # type: ignore[misc]
        cls.server = cls.make_server()
        cls.addClassCleanup(cls.server.stop)  # type: ignore[attr-defined]

    def setUp(self):
        self.where = a_bucket(self.server)
        self.blobs = S3Blobs(self.where)

    def test_an_object_of_several_parts(self):
        content = os.urandom(WHOLE_BYTES + 12345)
        self.blobs.create("packs/aa/1", [content[:100], content[100:]])
        self.assertEqual(self.blobs.read("packs/aa/1"), content)
        self.assertEqual(self.blobs.read("packs/aa/1", offset=PART_BYTES - 3, length=7), content[PART_BYTES - 3 : PART_BYTES + 4])
        with self.assertRaises(BlobExists):
            self.blobs.create("packs/aa/1", content)

    def test_more_objects_than_one_answer_lists(self):
        client = self.server.client()
        for n in range(1005):
            client.put_object(Bucket=self.where.bucket, Key=f"{self.where.prefix}/seen/{n:04}", Body=b"")
        self.assertEqual(len(list(self.blobs.list("seen/"))), 1005)

    def test_two_prefixes_of_a_bucket_know_nothing_of_each_other(self):
        other = S3Blobs(Bucket(**{**_fields(self.where), "prefix": self.where.prefix + "-2"}))
        self.blobs.create("header", b"one")
        self.assertEqual(list(other.list("")), [])
        other.create("header", b"two")
        self.assertEqual(self.blobs.read("header"), b"one")

    def test_a_bucket_that_is_not_there(self):
        with self.assertRaises(StoreMissing) as caught:
            S3Blobs(Bucket(**{**_fields(self.where), "bucket": "no-such-bucket"}))
        self.assertTrue(caught.exception.remedy)

    def test_nobody_answers(self):
        with self.assertRaises(StoreUnreachable):
            S3Blobs(Bucket(**{**_fields(self.where), "endpoint": "http://127.0.0.1:9", "attempts": 1}))

    def test_a_service_without_conditions_still_never_overwrites(self):
        from botocore.exceptions import ClientError

        real = self.blobs._client.put_object

        def refuse(**asked: object) -> object:
            if "IfNoneMatch" in asked:
                raise ClientError({"Error": {"Code": "NotImplemented"}}, "PutObject")
            return real(**asked)

        with mock.patch.object(self.blobs._client, "put_object", refuse):
            self.blobs.create("a", b"first")
            with self.assertRaises(BlobExists):
                self.blobs.create("a", b"second")
        self.assertEqual(self.blobs.read("a"), b"first")

    def test_through_a_bad_line_everything_still_arrives(self):
        with Flaky(self.server.port) as line:
            blobs = S3Blobs(Bucket(**{**_fields(self.where), "endpoint": line.url, "attempts": 8}))
            content = os.urandom(3 << 20)
            line.trouble = ["slow down", "cut", "slow down"]
            blobs.create("packs/aa/1", content)
            line.trouble = ["cut in the middle", "slow down", "cut", "cut in the middle"]
            self.assertEqual(blobs.read("packs/aa/1"), content)
            self.assertEqual(line.trouble, [])
            line.trouble = ["slow down"]
            self.assertEqual(list(blobs.list("packs/")), [("packs/aa/1", len(content))])

    def test_a_store_that_asks_to_slow_down_for_ever_is_given_up(self):
        with Flaky(self.server.port) as line:
            blobs = S3Blobs(Bucket(**{**_fields(self.where), "endpoint": line.url, "attempts": 2}))
            line.trouble = ["slow down"] * 100
            with self.assertRaises(StoreUnreachable):
                blobs.create("a", b"1")


class OnMoto(OnS3, TestCase):
    make_server = Moto


class OnSeaweedFS(OnS3, TestCase):
    make_server = SeaweedFS

    def test_wrong_credentials_are_told_from_a_missing_bucket(self):
        with self.assertRaises(StoreReadOnly) as caught:
            S3Blobs(Bucket(**{**_fields(self.where), "secret_key": "wrong" * 8}))
        self.assertTrue(caught.exception.remedy)
        self.assertNotIn("wrong" * 8, str(caught.exception) + repr(self.where))

    def test_content_that_changed_on_the_way_is_refused(self):
        with Flaky(self.server.port) as line:
            blobs = S3Blobs(Bucket(**{**_fields(self.where), "endpoint": line.url, "attempts": 1}))
            line.trouble = ["flip a byte"]
            with self.assertRaises(StoreUnreachable):
                blobs.create("packs/aa/1", b"x" * 100_000)
        self.assertEqual(list(self.blobs.list("")), [])


def _fields(where: Bucket) -> dict[str, object]:
    return {name: getattr(where, name) for name in Bucket.__dataclass_fields__}


__all__ = ["KEY", "SECRET"]


class OnTheStandIn(OnS3, TestCase):
    make_server = StandIn

    def test_wrong_keys_and_a_wrong_clock_are_named(self):
        for changes in ({"secret_key": "wrong" * 8}, {"access_key": "nobody"}):
            with self.assertRaises(StoreReadOnly) as caught:
                S3Blobs(Bucket(**{**_fields(self.where), **changes}))
            self.assertIn("key", caught.exception.remedy)
        self.turn("clock_off_seconds", 1200)
        with self.assertRaises(StoreReadOnly) as caught:
            self.blobs.create("seen/1", b"x")
        self.assertIn("clock", caught.exception.remedy)

    def turn(self, knob: str, value: int) -> None:
        self.server.cloud.troubles.turn({knob: value})
        self.addCleanup(self.server.cloud.troubles.turn, {knob: 0})

    def test_an_allowance_that_is_used_up_is_a_full_store(self):
        self.turn("allowance_bytes", self.server.cloud.shelf.stored_bytes() + 100)
        self.blobs.create("seen/1", b"x" * 90)
        with self.assertRaises(StoreFull):
            self.blobs.create("seen/2", b"x" * 90)

    def test_a_service_that_lies_in_a_checksum_is_found_out(self):
        self.blobs.create("seen/1", b"truly")
        self.turn("lie_every", 1)
        with self.assertRaises(StoreUnreachable):
            self.blobs.read("seen/1")
        with self.assertRaises(StoreUnreachable):
            self.blobs.create("seen/2", b"x")
        self.turn("lie_every", 0)
        self.assertEqual([name for name, _ in self.blobs.list("seen/")], ["seen/1"])

    def test_it_persists(self):
        self.blobs.create("seen/1", b"kept")
        again = Cloud(self.server._folder, keys={KEY: SECRET})
        self.addCleanup(again.close)
        where = Bucket(**{**_fields(self.where), "endpoint": f"http://127.0.0.1:{again.listen()}"})
        self.assertEqual(S3Blobs(where).read("seen/1"), b"kept")


class OnVersions:
    """A bucket that keeps versions and can lock them."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.server = cls.make_server()
        cls.addClassCleanup(cls.server.stop)

    def setUp(self):
        self.where = a_bucket(self.server, ObjectLockEnabledForBucket=True)
        self.client, self.blobs = self.server.client(), S3Blobs(self.where)

    def versions(self, name: str) -> list[str]:
        answer = self.client.list_object_versions(Bucket=self.where.bucket, Prefix=f"{self.where.prefix}/{name}")
        return [one["VersionId"] for one in [*answer.get("Versions", []), *answer.get("DeleteMarkers", [])]]

    def test_it_says_what_it_keeps(self):
        self.assertEqual(self.blobs.keeps(), Keeps.LOCKED)
        self.assertEqual(S3Blobs(a_bucket(self.server)).keeps(), Keeps.NOTHING)

    def test_removing_takes_every_version(self):
        self.blobs.create("seen/1", b"first")
        self.client.put_object(Bucket=self.where.bucket, Key=f"{self.where.prefix}/seen/1", Body=b"a stranger's")
        self.blobs.create("seen/12", b"another")
        self.blobs.delete("seen/1")
        self.assertEqual(self.versions("seen/1"), self.versions("seen/12"))
        self.assertEqual(list(self.blobs.list("seen/")), [("seen/12", 7)])
        self.blobs.delete("seen/1")

    def test_a_plain_delete_by_somebody_else_hides_nothing(self):
        self.blobs.create("seen/1", b"first")
        self.client.delete_object(Bucket=self.where.bucket, Key=f"{self.where.prefix}/seen/1")
        self.assertEqual(list(self.blobs.list("seen/")), [("seen/1", 5)])
        self.assertEqual(self.blobs.read("seen/1"), b"first")
        self.assertEqual(self.blobs.read("seen/1", offset=1, length=2), b"ir")
        self.blobs.delete("seen/1")
        self.assertEqual(self.versions("seen/1"), [])
        with self.assertRaises(BlobMissing):
            self.blobs.read("seen/1")

    def test_what_is_locked_is_not_said_to_be_gone(self):
        until = datetime.now(UTC) + timedelta(days=2)
        key = f"{self.where.prefix}/seen/1"
        self.client.put_object(
            Bucket=self.where.bucket, Key=key, Body=b"kept", ObjectLockMode="COMPLIANCE", ObjectLockRetainUntilDate=until
        )
        with self.assertRaises(StoreHolds) as caught:
            self.blobs.delete("seen/1")
        self.assertIn("lock", caught.exception.remedy)
        self.assertEqual((self.blobs.read("seen/1"), list(self.blobs.list("seen/"))), (b"kept", [("seen/1", 4)]))


class VersionsOnSeaweedFS(OnVersions, TestCase):
    make_server = SeaweedFS


class VersionsOnTheStandIn(OnVersions, TestCase):
    make_server = StandIn
