"""Old backups at their bounds: sizes, names, dates and packings that archives may claim, and folders that cannot be read."""

import bz2
import gzip
import io
import lzma
import os
import stat
import tarfile
import tempfile
import zipfile
from collections.abc import Callable
from datetime import UTC, datetime, timedelta, timezone
from pathlib import Path
from unittest import TestCase, mock

from adapters.links import sources
from adapters.links.sources import Entry, Source, pieces, source_at
from core.content.errors import DeviceAway, DeviceLied
from core.content.items import MAX_ITEM_BYTES

AT = datetime(2026, 3, 2, tzinfo=UTC)
ZONE = timezone(timedelta(hours=5, minutes=45))


def never() -> io.BytesIO:
    raise AssertionError("nobody reads it")


class Adding(TestCase):
    def setUp(self) -> None:
        self.source = Source()

    def add(self, name: str, size_bytes: int = 1, **more: int) -> list[str]:
        self.source.add(name, size_bytes, AT, never, **more)
        return [one.why for one in self.source.left_aside]

    def test_of_a_size_that_can_be(self) -> None:
        for size in (0, MAX_ITEM_BYTES):
            self.assertEqual(self.add(f"{size}", size), [])
        for size in (-1, MAX_ITEM_BYTES + 1):
            self.assertIn("it claims an impossible size", self.add(f"{size}", size))
        self.assertEqual(len(self.source.entries), 2)

    def test_that_unpacks_to_no_more_than_so_many_times_its_size(self) -> None:
        most = sources.EXPLODES_FROM_BYTES
        self.assertEqual(self.add("small and dense", most, packed_bytes=0), [])
        self.assertEqual(self.add("dense enough", 300 * most, packed_bytes=most), [])
        self.assertEqual(self.add("plain", 300 * most), [])
        self.assertIn("it would unpack to several hundred times its size", self.add("too dense", 300 * most + 1, packed_bytes=most))
        self.assertEqual(len(self.add("of nothing", most + 1, packed_bytes=0)), 2)
        self.assertEqual(self.add("barely", 300 * most, packed_bytes=most)[2:], [])

    def test_whose_name_stays_inside(self) -> None:
        for name in ("/etc/x", "../x", "a/../x", "", ".", "./", "C:\\x", "c:/x", "a\0b", "\ud800", "x" * 501, "\\\\x"):
            self.assertEqual(set(self.add(name)), {"its name leads outside of the archive"}, name)
        self.assertEqual(self.source.entries, [])
        for name, path in (("a\\b", "a/b"), ("./a//c", "a/c"), ("ab:c", "ab:c"), ("x" * 500, "x" * 500), ("..a", "..a"), ("1:", None)):
            self.source.entries.clear()
            self.add(name)
            self.assertEqual([one.path for one in self.source.entries], [path] if path else [], name)

    def test_of_one_name_are_numbered(self) -> None:
        for _ in range(3):
            self.add("a.txt")
        self.assertEqual([one.path for one in self.source.entries], ["a.txt", "a.txt (2)", "a.txt (3)"])

    def test_no_more_than_a_device_may_have(self) -> None:
        with mock.patch.object(sources, "MAX_ITEMS", 2):
            self.add("a"), self.add("b")
            with self.assertRaisesRegex(DeviceLied, "more than 2 files"):
                self.add("c")

    def test_what_was_left_and_came_after_all_is_not_called_left(self) -> None:
        self.source.leave("a\nb" + "x" * 400, "odd")
        self.source.leave("c", "odd")
        self.assertEqual(len(self.source.left_aside[0].name), 300)
        self.source.taken_after_all("a\nb" + "x" * 400)
        self.assertEqual([one.name for one in self.source.left_aside], ["c"])


class Pieces(TestCase):
    def entry(self, size_bytes: int, opening: Callable[[], io.BytesIO]) -> Entry:
        return Entry(path="a", size_bytes=size_bytes, modified=AT, open=opening)  # type: ignore[arg-type]

    def test_end_one_byte_after_what_was_claimed(self) -> None:
        with mock.patch.object(sources, "PIECE_BYTES", 4):
            for claimed, there, comes in ((10, 10, 10), (10, 9, 9), (10, 11, 11), (10, 100, 11), (0, 0, 0), (0, 5, 1), (8, 8, 8)):
                read = list(pieces(self.entry(claimed, lambda there=there: io.BytesIO(b"x" * there))))  # type: ignore[misc]
                self.assertEqual(len(b"".join(read)), comes, (claimed, there))
                self.assertLessEqual(max(map(len, read), default=0), 4)

    def test_of_one_that_is_broken_are_no_content(self) -> None:
        for error in (zipfile.BadZipFile("x"), EOFError(), OSError("x"), RuntimeError("x"), ValueError("x")):
            with self.assertRaisesRegex(DeviceLied, "damaged inside"):
                list(pieces(self.entry(1, mock.Mock(side_effect=error))))


class Lying(TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)

    def source(self, path: Path) -> Source:
        source = source_at(path, zone=ZONE)
        self.addCleanup(source.close)
        return source

    def left(self, path: Path) -> dict[str, str]:
        return {one.name: one.why for one in self.source(path).left_aside}

    def test_at_a_place_that_may_not_be_read_or_is_none(self) -> None:
        with self.assertRaisesRegex(DeviceAway, "nothing at"):
            self.source(self.root / "gone")
        (self.root / "a").write_text("x")
        with (
            mock.patch.object(sources.zipfile, "is_zipfile", side_effect=PermissionError),
            self.assertRaisesRegex(DeviceAway, "may not read"),
        ):
            self.source(self.root / "a")

    def test_in_a_folder_of_which_something_cannot_be_read(self) -> None:
        (self.root / "fine.txt").write_text("x")
        (self.root / "link").symlink_to("fine.txt")
        (self.root / "folder").symlink_to("/etc")
        os.mkfifo(self.root / "pipe")
        Path(os.fsdecode(os.fsencode(self.root) + b"/bad-\xff.txt")).write_text("x")
        left = self.left(self.root)
        no_file = "it is a link or no ordinary file"
        self.assertEqual(
            left, {"link": no_file, "folder": no_file, "pipe": no_file, "bad-?.txt": "it cannot be read, or its name is not UTF-8"}
        )
        (entry,) = self.source(self.root).entries
        self.assertEqual((entry.path, entry.size_bytes, b"".join(pieces(entry))), ("fine.txt", 1, b"x"))
        real = os.scandir

        def closed(path: object) -> object:
            if str(path).endswith("shut"):
                raise PermissionError(13, "Permission denied", str(path))
            return real(path)  # type: ignore[call-overload]

        (self.root / "shut").mkdir()
        with mock.patch("os.scandir", closed):
            self.assertEqual(self.left(self.root)["shut"], "the folder cannot be read: Permission denied")

    def test_in_an_archive_with_entries_that_are_no_files(self) -> None:
        made = self.root / "a.zip"
        with zipfile.ZipFile(made, "w") as archive:
            archive.writestr("folder/", b"")
            archive.writestr(zipfile.ZipInfo("noon.txt", (2026, 3, 2, 12, 0, 0)), b"x")
            link = zipfile.ZipInfo("link")
            link.external_attr = (stat.S_IFLNK | 0o777) << 16
            archive.writestr(link, b"noon.txt")
        (entry,) = self.source(made).entries
        self.assertEqual(
            (entry.path, entry.modified), ("noon.txt", datetime(2026, 3, 2, 6, 15, tzinfo=UTC)), "a ZIP knows the clock on the wall"
        )
        self.assertEqual(self.left(made), {"link": "it is a link or no ordinary file"})
        content = bytearray(made.read_bytes())
        at = content.index(b"PK\1\2", content.index(b"PK\1\2") + 1)
        content[at + 14 : at + 16] = (0).to_bytes(2, "little")  # month and day nought
        made.write_bytes(content)
        self.assertEqual(self.source(made).entries[0].modified, datetime(1980, 1, 1, tzinfo=UTC))

    def packed(self, name: str, how: Callable[[bytes], bytes]) -> Path:
        out = io.BytesIO()
        with tarfile.open(fileobj=out, mode="w") as archive:
            for name_of, kind, mtime in (
                ("folder", tarfile.DIRTYPE, 0),
                ("a.txt", tarfile.REGTYPE, -5),
                ("link", tarfile.SYMTYPE, 0),
                ("b.txt", tarfile.REGTYPE, 1 << 36),
            ):
                member = tarfile.TarInfo(name_of)
                member.type, member.mtime = kind, mtime
                member.size = 3 if kind == tarfile.REGTYPE else 0
                archive.addfile(member, io.BytesIO(b"abc"))
        path = self.root / name
        path.write_bytes(how(out.getvalue()))
        return path

    def test_in_tapes_plain_and_packed(self) -> None:
        for name, how in (("a.tar", bytes), ("a.tgz", gzip.compress), ("a.tbz2", bz2.compress), ("a.txz", lzma.compress)):
            path = self.packed(name, how)
            entries = self.source(path).entries
            self.assertEqual(
                [(one.path, one.modified.year, b"".join(pieces(one))) for one in entries],
                [("a.txt", 1970, b"abc"), ("b.txt", 3058, b"abc")],
                name,
            )
            self.assertEqual(self.left(path), {"link": "it is a link or no ordinary file"})

    def test_a_tape_that_explodes_is_not_unpacked_and_leaves_nothing_open(self) -> None:
        path = self.packed("a.tgz", gzip.compress)
        open_before = len(os.listdir("/proc/self/fd"))
        for bounds in ({"MAX_UNPACKED_BYTES": 100}, {"EXPLODES_FROM_BYTES": 100, "EXPLODES_AT_RATIO": 1}):
            with mock.patch.multiple(sources, **bounds), self.assertRaisesRegex(DeviceLied, "several hundred times"):
                source_at(path, zone=ZONE)
        self.assertEqual(len(os.listdir("/proc/self/fd")), open_before)
        with mock.patch.multiple(sources, EXPLODES_FROM_BYTES=100, EXPLODES_AT_RATIO=1000):
            self.assertEqual(len(self.source(path).entries), 2)

    def test_one_that_is_cut_off_is_said_to_be_broken_by_its_name_or_by_how_it_begins(self) -> None:
        whole = {
            name: self.packed(name, how).read_bytes()
            for name, how in (("a.tgz", gzip.compress), ("a.tbz2", bz2.compress), ("a.txz", lzma.compress))
        }
        for name, content in whole.items():
            for called in (name, "notes"):
                (self.root / called).write_bytes(content[: len(content) // 2])
                with self.assertRaises(DeviceLied):
                    self.source(self.root / called)
        for name, content in (("a.zip", b"nothing of it"), ("b", b"PK\3\4 and then nothing"), ("c", bytes(257) + b"ustar" + bytes(300))):
            (self.root / name).write_bytes(content)
            with self.assertRaisesRegex(DeviceLied, "cut off or broken|damaged"):
                self.source(self.root / name)
        (self.root / "plain").write_bytes(bytes(257) + b"usta")
        self.assertEqual([one.path for one in self.source(self.root / "plain").entries], ["plain"])
