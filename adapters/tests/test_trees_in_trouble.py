"""A folder that is read while it is not as it should be: what is missing, closed, odd or becomes something else, and by which word."""

import errno
import os
import shutil
from pathlib import Path
from unittest import mock

from adapters.links.tree import PIECE_BYTES, TreeLink
from adapters.tests.test_trees import Folders
from core.content.classify import NOTHING, FileRule
from core.content.errors import DataAccessOff, DeviceAway, ItemNotTaken, LinkCut
from core.content.items import Item
from core.content.kinds import FOLDERS
from core.content.link import NotRead


def failing(name: str, number: int, *, at: str = "") -> object:
    """That function of the system, which says this of what has that name, or of everything."""
    real = getattr(os, name)

    def says(path: object, *arguments: object, **more: object) -> object:
        if not at or path == at:
            raise OSError(number, os.strerror(number))
        return real(path, *arguments, **more)

    return mock.patch(f"os.{name}", says)


class InTrouble(Folders):
    def link(self, **more: object) -> TreeLink:
        link = TreeLink(self.root, **more)  # type: ignore[arg-type]
        self.addCleanup(link.close)
        return link

    def only(self, link: TreeLink, kind: str = "documents") -> Item:
        (item,) = link.inventory(kind)
        return item

    def why(self, link: TreeLink, item: Item, *, code: str) -> None:
        with self.assertRaises(ItemNotTaken) as caught:
            list(link.read(item))
        self.assertEqual(caught.exception.why, code)

    def test_it_says_of_itself_what_it_is(self):
        told = self.link().state()
        self.assertEqual((told.make, told.model, told.family, told.data_access), ("", "Folder", "folder", True))

    def test_a_folder_that_may_not_be_entered(self):
        for mode in (os.R_OK, os.X_OK):
            with mock.patch("os.access", lambda path, wanted, mode=mode: wanted & mode == 0), self.assertRaises(DataAccessOff):
                self.link().kinds()
        with failing("scandir", errno.EACCES), self.assertRaises(DataAccessOff):
            self.link().kinds()

    def test_one_that_goes_away_while_it_is_walked(self):
        there = mock.patch("os.path.isdir", side_effect=[True, False])
        with failing("scandir", errno.ENOENT), there, self.assertRaises(DeviceAway):
            self.link().kinds()
        self.put("below/a.txt")
        with failing("open", errno.ENOENT, at="below"):
            link = self.link()
            self.assertEqual((link.kinds(), link.not_read()), ([FOLDERS], []), "one that was removed is none")

    def test_what_became_no_folder_has_changed(self):
        self.put("below/a.txt")
        for number, code in (
            (errno.ENOTDIR, "changed"),
            (errno.ELOOP, "changed"),
            (errno.ENAMETOOLONG, "too_deep"),
            (errno.EPERM, "denied"),
        ):
            with failing("open", number, at="below"):
                self.assertEqual([(one.kind, one.name, one.code) for one in self.link().not_read()], [(FOLDERS, "below", code)])

    def test_an_entry_that_cannot_be_looked_at(self):
        self.put("a.txt")
        (self.root / "b.txt").symlink_to("a.txt")

        class Entry:
            name = "a.txt"

            def __init__(self, number: int):
                self.number = number

            def stat(self, *, follow_symlinks: bool) -> object:
                raise OSError(self.number, "no")

        for number, named in ((errno.ENOENT, []), (errno.EIO, [NotRead(kind="documents", name="a.txt", code="fault", detail="no")])):
            scan = mock.MagicMock()
            scan.return_value.__enter__.return_value = [Entry(number)]
            with mock.patch("os.scandir", scan):
                link = self.link()
                self.assertEqual((link.kinds(), link.not_read()), ([], named))
        with failing("readlink", errno.EIO):
            link = self.link()
            self.assertEqual([item.id for item in link.inventory("documents")], ["a.txt"])
            self.assertEqual([(one.kind, one.name, one.code) for one in link.not_read()], [("documents", "b.txt", "fault")])

    def test_files_of_a_restore_that_was_killed_and_of_no_calendars_day_are_named(self):
        self.put(".attic-0123456789abcdef")
        with mock.patch("adapters.links.tree._modified", return_value=None):
            self.put("late.txt")
            named = {one.name: (one.kind, one.code, one.detail) for one in self.link().not_read()}
        self.assertEqual(
            named, {".attic-0123456789abcdef": ("documents", "own", "it was never finished"), "late.txt": ("documents", "date", "")}
        )

    def test_every_file_is_told_with_its_size_also_what_a_rule_leaves_out(self):
        self.put("a.txt", b"abc")
        self.put("below/b.tmp", b"four")
        os.mkfifo(self.root / "pipe.tmp")
        link = self.link(rules=[FileRule(pattern="*.tmp", kind=NOTHING)], leave_out=[self.root / "none"])
        self.assertEqual(sorted(link.files()), [("a.txt", 3), ("below/b.tmp", 4), ("pipe.tmp", 0)])
        self.assertEqual(link.not_read(), [], "nobody asks for what is left out")
        self.assertEqual([item.id for item in link.inventory("documents")], ["a.txt"])
        self.assertEqual(link.inventory("photos"), [])

    def test_it_is_walked_once_until_it_is_closed(self):
        self.put("a.txt")
        link, opened = self.link(), len(os.listdir("/proc/self/fd"))
        self.assertEqual(len(link.inventory("documents")), 1)
        self.put("b.txt")
        self.assertEqual(len(link.inventory("documents")), 1)
        link.close()
        self.assertEqual(len(os.listdir("/proc/self/fd")), opened)
        self.assertEqual(len(link.inventory("documents")), 2)

    def test_it_is_read_in_pieces_that_end_where_it_ended(self):
        path = self.put("a.bin", b"x" * (PIECE_BYTES + 1))
        link = self.link()
        self.assertEqual([len(piece) for piece in link.read(self.only(link))], [PIECE_BYTES, 1])
        path.write_bytes(b"")
        link = self.link()
        self.assertEqual(list(link.read(self.only(link))), [])

    def test_a_descriptor_is_given_back_whatever_happens(self):
        self.put("a.txt")
        link = self.link()
        item, opened = self.only(link), len(os.listdir("/proc/self/fd"))
        list(link.read(item))
        with failing("read", errno.EIO), self.assertRaises(ItemNotTaken):
            list(link.read(item))
        self.assertEqual(len(os.listdir("/proc/self/fd")), opened)

    def test_folders_and_links_that_are_others_by_now(self):
        (self.root / "below").mkdir()
        (self.root / "link.txt").symlink_to("there")
        link = self.link()
        folder, pointer = self.only(link, FOLDERS), self.only(link)
        self.assertEqual([(one.size_bytes, one.tag) for one in (folder, pointer)], [(0, "folder"), (0, "link there")])
        self.assertEqual([list(link.read(one)) for one in (folder, pointer)], [[], []])
        shutil.rmtree(self.root / "below")
        self.put("below")
        (self.root / "link.txt").unlink()
        (self.root / "link.txt").symlink_to("elsewhere")
        for one in (folder, pointer):
            self.why(link, one, code="changed")
        (self.root / "below").unlink()
        self.why(link, folder, code="gone")
        (self.root / "below").symlink_to(self.root)
        self.why(link, folder, code="changed")

    def test_what_became_something_else_is_not_opened(self):
        path = self.put("a.txt")
        link = self.link()
        item = self.only(link)
        for become in (lambda: os.mkfifo(path), lambda: path.mkdir(), lambda: path.symlink_to("b")):
            _away(path)
            become()
            opened = len(os.listdir("/proc/self/fd"))
            self.why(link, item, code="changed")
            self.assertEqual(len(os.listdir("/proc/self/fd")), opened)

    def test_by_which_word_a_file_is_not_taken(self):
        self.put("a.txt")
        link = self.link()
        item = self.only(link)
        for number, code in (
            (errno.ENOENT, "gone"), (errno.ENXIO, "changed"), (errno.ENODEV, "changed"), (errno.EINVAL, "changed"), (errno.ENOTDIR, "changed"),
            (errno.EACCES, "denied"), (errno.EPERM, "denied"), (errno.ENAMETOOLONG, "too_deep"), (errno.EIO, "fault"),
        ):  # fmt: skip
            with failing("open", number, at="a.txt"):
                self.why(link, item, code=code)
        with failing("open", errno.ENOENT, at="a.txt"), mock.patch("os.path.isdir", return_value=False), self.assertRaises(DeviceAway):
            list(link.read(item))

    def test_reading_that_breaks_off(self):
        self.put("a.txt")
        link = self.link()
        item = self.only(link)
        for number in (errno.EIO, errno.EBADMSG):
            with failing("read", number):
                self.why(link, item, code="fault")
            with failing("read", number), mock.patch("os.path.isdir", return_value=False), self.assertRaises(LinkCut):
                list(link.read(item))
        with failing("read", errno.ENOTCONN), self.assertRaises(LinkCut):
            list(link.read(item))

    def test_paths_that_lead_out_of_it_are_lies(self):
        self.put("a.txt")
        link = self.link()
        item = self.only(link)
        for path in ("", "../in/a.txt", "./a.txt", "below//a.txt", "a.txt\x00"):
            with mock.patch("adapters.links.tree.path_of", return_value=path):
                self.why(link, item, code="lied")


def _away(path: Path) -> None:
    if path.is_dir() and not path.is_symlink():
        path.rmdir()
    else:
        path.unlink()
