"""Each way in which an operating system refuses, at each place that meets it: it becomes one word of the error tree, with what to do."""

import errno
import os
import stat
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from types import SimpleNamespace
from unittest import TestCase, mock

from adapters.destinations.folder import FolderDestination
from adapters.destinations.lying import FolderOnServer
from adapters.destinations.scratch import ScratchFolder
from adapters.handles import Handles
from adapters.links.folder import FolderLink
from adapters.links.sftp_session import told
from adapters.links.tree import TreeLink, _modified, _why
from adapters.stores import drives
from adapters.stores.drives import Drives
from adapters.stores.folder import FolderBlobs
from core.content.errors import (
    DataAccessOff,
    DeviceAway,
    DeviceFull,
    DeviceLied,
    ItemNotTaken,
    LinkCut,
    LinkError,
    PlaceRefuses,
)
from core.content.items import Item
from core.recovery.extract import Unwritable
from core.vault.errors import StoreFull, StoreReadOnly, StoreUnreachable

FULL, CLOSED, BROKEN = (errno.ENOSPC, errno.EDQUOT), (errno.EROFS, errno.EACCES, errno.EPERM), (errno.EIO, errno.ESTALE)
AS_A_STORE = {**dict.fromkeys(FULL, StoreFull), **dict.fromkeys(CLOSED, StoreReadOnly), **dict.fromkeys(BROKEN, StoreUnreachable)}


def refusing(number: int) -> OSError:
    return OSError(number, os.strerror(number))


def item(size_bytes: int = 3, **attributes: int | str) -> Item:
    at = datetime(2026, 3, 2, tzinfo=UTC)
    return Item(kind="documents", id="a", name="a", size_bytes=size_bytes, modified=at, tag="t", attributes=attributes or None)


class Place(TestCase):
    """An empty folder."""

    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name) / "place"
        self.root.mkdir()

    def each(self, wanted: dict[int, type[Exception]], function: str, doing: Callable[[], object]) -> None:
        """What comes of it when the system's `function` refuses in each of these ways."""
        for number, error in wanted.items():
            with mock.patch(function, side_effect=refusing(number)), self.assertRaises(error) as raised:
                doing()
            self.assertIs(type(raised.exception), error, errno.errorcode[number])


class WrittenTo(Place):
    def test_a_store_in_a_folder(self) -> None:
        store = FolderBlobs(self.root)
        self.each(AS_A_STORE, "shutil.disk_usage", store.free_bytes)
        self.each(AS_A_STORE, "os.fsync", lambda: store.create("data/a", b"x"))
        self.assertEqual([path for path in self.root.rglob("*") if path.is_file()], [])

    def test_a_folder_of_the_server_that_an_export_fills_and_that_is_erased_again(self) -> None:
        folder = FolderOnServer(self.root / "out")
        self.each(AS_A_STORE, "os.chmod", folder.begin)
        _, identity = folder.begin()
        self.each(AS_A_STORE, "os.lstat", lambda: folder.erase(identity))
        self.each(AS_A_STORE, "shutil.rmtree", lambda: folder.erase(identity))
        with mock.patch("os.lstat", side_effect=refusing(errno.ENOSPC)), self.assertRaises(StoreFull) as raised:
            folder.erase(identity)
        self.assertIn("Make room there", str(raised.exception.remedy))
        self.assertTrue(folder.erase(identity))
        self.assertFalse(folder.erase(identity), "it is gone")

    def test_the_scratch_folder_of_a_drill(self) -> None:
        wanted: dict[int, type[Exception]] = {**dict.fromkeys(FULL, StoreFull), **dict.fromkeys((*CLOSED, *BROKEN), StoreUnreachable)}
        scratch = ScratchFolder(self.root / "drill")
        self.each(wanted, "pathlib.Path.mkdir", lambda: scratch.file("a", item(), [b"abc"]))
        self.each(wanted, "os.pwrite", lambda: scratch.file("a", item(), [b"abc"]))
        scratch.file("a", item(), [b"abc"])
        scratch.file("alone", item(), [b"SQLite format 3\0"])
        self.each(wanted, "os.pread", lambda: list(scratch.read("a")))
        self.each(wanted, "pathlib.Path.open", lambda: list(scratch.read("alone")))
        self.each(wanted, "pathlib.Path.unlink", scratch.again)
        self.each(wanted, "shutil.rmtree", scratch.clear)
        self.assertEqual(b"".join(scratch.read("never written")), b"")

    def test_a_piece_that_is_written_in_several_goes_is_written_whole(self) -> None:
        """A system may take less than it is given."""
        scratch, out = ScratchFolder(self.root / "drill"), FolderDestination(self.root / "out")
        self.addCleanup(scratch.clear)
        out.prepare()
        real, real_at = os.write, os.pwrite
        with (
            mock.patch("os.write", lambda to, rest: real(to, bytes(rest)[:2])),
            mock.patch("os.pwrite", lambda to, rest, at: real_at(to, bytes(rest)[:2], at)),
        ):
            scratch.file("a", item(5), [b"abcde"])
            out.file("a", item(5), [b"abcde"])
        self.assertEqual((b"".join(scratch.read("a")), (self.root / "out" / "a").read_bytes()), (b"abcde", b"abcde"))

    def test_a_folder_that_is_restored_into(self) -> None:
        out = FolderDestination(self.root / "out")
        out.prepare()
        odd = dict.fromkeys((errno.ENAMETOOLONG, errno.EINVAL, errno.EILSEQ), Unwritable)
        self.each(AS_A_STORE | odd, "os.write", lambda: out.file("a", item(), [b"abc"]))
        for target in ("", "a\0b", "\ud800", "x" * 4096):
            with self.assertRaises(Unwritable):
                out.link("l", item(link=target))
        self.assertEqual(list((self.root / "out").iterdir()), [])
        held = lambda: [one for one in self._open() if one.startswith(str(self.root / "out"))]  # noqa: E731
        out.folder("deep/er", item())
        self.assertTrue(held())
        out.close()
        self.assertEqual(held(), [], "a drive that holds it could not be parted")

    def _open(self) -> list[str]:
        folder = Path("/proc/self/fd")
        return [os.readlink(folder / name) for name in os.listdir(folder) if (folder / name).is_symlink()]

    def test_a_folder_as_a_device_that_is_written_to(self) -> None:
        link = FolderLink(self.root)
        wanted: dict[int, type[Exception]] = {
            **dict.fromkeys(FULL, DeviceFull), **dict.fromkeys(CLOSED, DataAccessOff), **dict.fromkeys(BROKEN, LinkCut), errno.EILSEQ: PlaceRefuses,
        }  # fmt: skip
        self.each(wanted, "os.write", lambda: link.put("a.txt", item(), [b"abc"], over=False))


class ADrive(Place):
    def test_what_does_not_reach_the_medium_is_said(self) -> None:
        synced: list[str] = []
        with (
            mock.patch("os.fsync", lambda descriptor: synced.append(os.readlink(f"/proc/self/fd/{descriptor}"))),
            mock.patch("os.sync", lambda: synced.append("all")),
        ):
            Drives([self.root]).flush(str(self.root))
        self.assertEqual(synced, [str(self.root), "all"])
        open_before = len(os.listdir("/proc/self/fd"))
        for function in ("os.fsync", "os.sync"):
            self.each(dict.fromkeys(BROKEN, StoreUnreachable), function, lambda: Drives([self.root]).flush(str(self.root)))
        self.assertEqual(len(os.listdir("/proc/self/fd")), open_before)
        with self.assertRaisesRegex(StoreUnreachable, "No such file"):
            Drives([self.root]).flush(str(self.root / "gone"))

    def test_who_holds_something_open_is_named_and_somebody_elses_process_hides_nobody(self) -> None:
        here = self.root / "held"
        with here.open("w"):
            self.assertEqual(len(Drives([self.root]).holders(str(self.root))), 1)
            self.assertEqual(Drives([self.root]).holders(str(self.root / "he")), [], "a longer name is another folder")
        self.assertEqual(Drives([self.root]).holders(str(self.root)), [])
        gone = Path("/proc/0")
        self.assertEqual((list(drives._opened_by(gone)), drives._name_of(gone)), ([], "process 0"))

    def test_only_folders_that_can_be_looked_into_are_below_it(self) -> None:
        for name in ("b", "a", ".hidden"):
            (self.root / name).mkdir()
        (self.root / "link").symlink_to(self.root / "a")
        (self.root / "file").write_text("x")
        self.assertEqual([path.name for path in drives._below(self.root)], ["a", "b"])
        self.assertEqual(drives._below(self.root / "gone"), [])

    def test_a_header_that_is_no_file_is_no_store_of_ours(self) -> None:
        self.assertEqual(drives._vault_in(self.root), "")
        header = self.root / "header"
        header.mkdir()
        self.assertEqual(drives._vault_in(self.root), "")
        header.rmdir()
        header.write_text("{}")
        self.assertEqual(drives._vault_in(self.root), "")

    def test_of_the_open_folders_the_one_that_was_asked_for_last_stays_longest(self) -> None:
        handles = Handles(str(self.root))
        self.addCleanup(handles.close)
        with mock.patch("adapters.handles._MOST_OPEN", 3):
            kept = handles.folder("a", make=True)
            handles.folder("b", make=True)
            handles.folder("a")
            handles.folder("c", make=True)
            with mock.patch("os.open", side_effect=AssertionError("it was closed")):
                self.assertEqual(handles.folder("a"), kept)


class AFolderThatIsRead(Place):
    def test_the_folder_itself(self) -> None:
        with mock.patch("os.access", lambda *_: False), self.assertRaisesRegex(DataAccessOff, "may not be read"):
            TreeLink(self.root).state()
        with mock.patch("os.scandir", side_effect=refusing(errno.EIO)), self.assertRaisesRegex(DataAccessOff, "Input/output"):
            TreeLink(self.root).kinds()
        link = TreeLink(self.root)
        there = iter((True, False))
        with (
            mock.patch("os.path.isdir", lambda _: next(there)),
            mock.patch("os.scandir", side_effect=refusing(errno.ENOENT)),
            self.assertRaisesRegex(DeviceAway, "any more"),
        ):
            link.kinds()
        TreeLink(self.root, leave_out=[self.root / "gone"]).kinds()

    def test_what_a_file_of_it_answers_while_the_folder_is_walked(self) -> None:
        """What vanishes meanwhile was never there; whatever else is refused is said by name."""
        for name in ("a.txt", "link"):
            (self.root / name).write_text("x")
        for number, codes in ((errno.ENOENT, []), (errno.EACCES, ["denied"]), (errno.ELOOP, ["too_deep"]), (errno.EIO, ["fault"])):
            link = TreeLink(self.root)
            entry = SimpleNamespace(name="a.txt", stat=mock.Mock(side_effect=refusing(number)))
            link._take(entry, 0, "", None, {}, [])  # type: ignore[arg-type]
            self.assertEqual([one.code for one in link._not_read], codes)
        (self.root / "link").unlink()
        (self.root / "link").symlink_to("a.txt")
        with mock.patch("os.readlink", side_effect=refusing(errno.EIO)):
            self.assertEqual(
                [(one.name, one.code, one.detail) for one in TreeLink(self.root).not_read()], [("link", "fault", "Input/output error")]
            )

    def test_a_date_that_no_calendar_has(self) -> None:
        self.assertIsNone(_modified(10**30))
        self.assertEqual(_modified(1_999), datetime(1970, 1, 1, 0, 0, 0, 1, tzinfo=UTC))
        facts = os.stat_result((stat.S_IFREG | 0o644, *os.stat(self.root)[1:]))
        entry = SimpleNamespace(
            name="old.txt", stat=lambda **_: SimpleNamespace(st_mode=facts.st_mode, st_mtime_ns=10**30, st_size=1, st_dev=0, st_ino=0)
        )
        link = TreeLink(self.root)
        link._take(entry, 0, "", None, {}, [])  # type: ignore[arg-type]
        self.assertEqual([(one.name, one.code) for one in link._not_read], [("old.txt", "date")])

    def test_a_path_that_leads_elsewhere_is_not_opened(self) -> None:
        for path in ("", "a\0b", "../a", "a//b", "./a", "a/..", "/a"):
            with self.assertRaises(ItemNotTaken) as raised:
                TreeLink(self.root)._checked(path)
            self.assertEqual(raised.exception.why, "lied")
        self.assertEqual(TreeLink(self.root)._checked("a/b..c"), ("a", "b..c"))

    def test_a_drive_that_breaks_is_the_files_fault_and_one_that_went_is_a_cut(self) -> None:
        link, one = TreeLink(self.root), item()
        for number in (errno.EIO, errno.EBADMSG):
            with mock.patch("os.read", side_effect=refusing(number)):
                with self.assertRaises(ItemNotTaken) as raised:
                    link._piece(0, 1, one)
                self.assertEqual(raised.exception.why, "fault")
                with mock.patch("os.path.isdir", lambda _: False), self.assertRaises(LinkCut):
                    link._piece(0, 1, one)
        with mock.patch("os.read", side_effect=refusing(errno.ESTALE)), self.assertRaises(LinkCut):
            link._piece(0, 1, one)

    def test_what_cannot_be_opened(self) -> None:
        link = TreeLink(self.root)
        for number, why in (
            (errno.ENOENT, "gone"),
            (errno.ENOTDIR, "changed"),
            (errno.EACCES, "denied"),
            (errno.EPERM, "denied"),
            (errno.ENAMETOOLONG, "too_deep"),
            (errno.EIO, "fault"),
        ):
            error = link._why_not(refusing(number))
            self.assertEqual(getattr(error, "why", None), why, errno.errorcode[number])
        with mock.patch("os.path.isdir", lambda _: False):
            self.assertIsInstance(link._why_not(refusing(errno.ENOENT)), DeviceAway)
        self.assertEqual(_why(OSError()), ("fault", "cannot be looked at"))


class AServerOfFiles(TestCase):
    def test_whatever_else_it_answers(self) -> None:
        cases: tuple[tuple[OSError, type[LinkError], str], ...] = (
            (OSError("No space left on device"), DeviceFull, "room"),
            (OSError("Disk QUOTA exceeded"), DeviceFull, "room"),
            (ConnectionResetError(104, "reset"), LinkCut, "in the middle"),
            (OSError("Socket is closed"), LinkCut, "in the middle"),
            (refusing(errno.ENETDOWN), DeviceAway, "tidehouse"),
            (refusing(errno.EHOSTUNREACH), DeviceAway, "tidehouse"),
            (refusing(errno.ENETDOWN - 1), DeviceLied, "refuses this"),
            (OSError("Failure" + "x" * 200), DeviceLied, "x" * 113 + "."),
        )
        for error, kind, words in cases:
            said = told(error, "tidehouse")
            self.assertIs(type(said), kind, error)
            self.assertTrue(words in said.message, said.message)
