"""A folder whose content becomes something else between the walk and the reading, and folders of any depth.

Every pair of what lay there and what lies there now: the item comes whole, or is named as left out. Nothing waits.
"""

import errno
import os
import shutil
import socket
import stat
import subprocess
import tempfile
from pathlib import Path
from unittest import TestCase, mock

from adapters.destinations.folder import FolderDestination
from adapters.handles import Handles
from adapters.links.tree import TreeLink
from core.content.errors import ItemNotTaken
from core.content.items import Item
from core.content.kinds import FOLDERS

WHOLE = "whole"
FILE, FOLDER, LINK, PIPE, SOCKET, DEVICE, GONE, UNREADABLE, LONGER, SHORTER = (
    "file", "folder", "link", "pipe", "socket", "device", "gone", "unreadable", "longer", "shorter",
)  # fmt: skip
WAS = (FILE, FOLDER, LINK, PIPE, SOCKET, DEVICE, GONE, UNREADABLE, LONGER, SHORTER)
EXPECTED = {
    # what it was at the walk: {what it is now: how it ends}, anything else being "changed"
    FILE: {FILE: WHOLE, GONE: "gone", UNREADABLE: "denied"},
    LONGER: {LONGER: WHOLE, GONE: "gone", UNREADABLE: "denied"},
    SHORTER: {SHORTER: WHOLE, GONE: "gone", UNREADABLE: "denied"},
    FOLDER: {FOLDER: WHOLE, GONE: "gone"},
    LINK: {LINK: WHOLE, GONE: "gone"},
    UNREADABLE: {FILE: WHOLE, UNREADABLE: "denied", GONE: "gone"},
}


class Changing(TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)
        self.path = self.root / "thing"
        self.unreadable = False
        real = os.open

        def may(path: str, flags: int, *mode: int, **more: int) -> int:
            if self.unreadable and path == "thing":  # root may read everything; this stands in for another account
                raise PermissionError(errno.EACCES, "Permission denied")
            return real(path, flags, *mode, **more)

        patch = mock.patch("os.open", may)
        patch.start()
        self.addCleanup(patch.stop)

    def become(self, what: str) -> None:
        if self.path.is_dir() and not self.path.is_symlink():
            shutil.rmtree(self.path)
        elif os.path.lexists(self.path):
            self.path.unlink()
        self.unreadable = what == UNREADABLE
        if what in (FILE, LONGER, SHORTER, UNREADABLE):
            self.path.write_bytes({LONGER: b"longer content", SHORTER: b"s"}.get(what, b"content"))
            os.utime(self.path, ns=(0, 1_700_000_000_000_000_000))
        elif what == FOLDER:
            self.path.mkdir()
        elif what == LINK:
            self.path.symlink_to("elsewhere")
        elif what == PIPE:
            os.mkfifo(self.path)
        elif what == SOCKET:
            with socket.socket(socket.AF_UNIX) as door:
                door.bind(str(self.path))
        elif what == DEVICE:
            self.device()

    def device(self) -> None:
        """Only root can make one; others make the next best thing that is neither file nor folder, and opens at once."""
        try:
            os.mknod(self.path, 0o600 | stat.S_IFCHR, os.makedev(1, 3))
        except PermissionError:
            os.mkfifo(self.path)

    def found(self, link: TreeLink) -> list[Item]:
        return [item for kind in link.kinds() for item in link.inventory(kind)]

    def outcome(self, link: TreeLink, item: Item) -> str:
        try:
            content = b"".join(link.read(item))
        except ItemNotTaken as error:
            return error.why
        self.assertEqual(len(content), item.size_bytes)
        return WHOLE

    def test_every_pair_of_what_was_and_what_is_now(self):
        for was in WAS:
            for now in WAS:
                with self.subTest(was=was, now=now):
                    self.become(was)
                    link = TreeLink(self.root)
                    items = self.found(link)
                    if was in (PIPE, SOCKET, DEVICE):
                        self.assertEqual([entry.code for entry in link.not_read()], ["special"])
                    self.assertEqual(len(items), 1 if was in EXPECTED else 0)
                    self.become(now)
                    for item in items:
                        self.assertEqual(self.outcome(link, item), EXPECTED[was].get(now, "changed"))
                    link.close()

    def test_a_link_that_points_elsewhere_by_now(self):
        self.become(LINK)
        link = TreeLink(self.root)
        (item,) = self.found(link)
        self.path.unlink()
        self.path.symlink_to("another")
        self.assertEqual(self.outcome(link, item), "changed")

    def test_a_folder_that_becomes_a_link_during_the_walk_leads_nowhere_else(self):
        outside = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, outside)
        (outside / "secret").write_text("s")
        self.path.mkdir()
        (self.path / "inside").write_text("i")
        real = Handles.folder

        def exchanged(handles: Handles, path: str, **more: bool) -> int:
            if path == "thing":
                shutil.rmtree(self.path, ignore_errors=True)
                if not self.path.is_symlink():
                    self.path.symlink_to(outside)
            return real(handles, path, **more)

        link = TreeLink(self.root)
        with mock.patch.object(Handles, "folder", exchanged):
            self.assertEqual([item.id for item in self.found(link)], ["thing"])
        self.assertEqual([(entry.kind, entry.name, entry.code) for entry in link.not_read()], [(FOLDERS, "thing", "changed")])

    def test_a_file_whose_folder_becomes_another_thing(self):
        for what, code in ((FILE, "changed"), (LINK, "changed"), (PIPE, "changed"), (GONE, "gone")):
            with self.subTest(what):
                self.become(FOLDER)
                (self.path / "inside").write_text("i")
                link = TreeLink(self.root)
                item = next(item for item in self.found(link) if item.id == "thing/inside")
                link.close()  # as if other folders had been asked for meanwhile
                self.become(what)
                self.assertEqual(self.outcome(link, item), code)


class Deep(TestCase):
    def setUp(self):
        holder = Path(tempfile.mkdtemp())
        self.addCleanup(self.clear, holder)
        self.root, self.out = holder / "in", holder / "out"
        self.root.mkdir()

    def clear(self, folder: Path) -> None:
        """Python's own removal gives up below a thousand folders."""
        subprocess.run(["rm", "-rf", folder], check=True)

    def dig(self, names: list[str]) -> None:
        """Folders below each other, deeper than a path may be, and a file at their end."""
        at = os.open(self.root, os.O_RDONLY)
        for name in names:
            os.mkdir(name, dir_fd=at)
            at, above = os.open(name, os.O_RDONLY, dir_fd=at), at
            os.close(above)
        descriptor = os.open("deep.txt", os.O_WRONLY | os.O_CREAT, dir_fd=at)
        os.write(descriptor, b"found")
        os.close(descriptor)
        os.close(at)

    def test_two_thousand_folders_and_names_of_any_length_come_and_go_back(self):
        for names in (["d"] * 2100, ["n" * 255] * 40):
            with self.subTest(depth=len(names)):
                self.clear(self.root)
                self.clear(self.out)
                self.root.mkdir()
                self.dig(names)
                path = "/".join([*names, "deep.txt"])
                self.assertGreater(len(path), 4096)
                link = TreeLink(self.root)
                items = {item.id: item for kind in link.kinds() for item in link.inventory(kind)}
                self.assertEqual((len(items), link.not_read()), (len(names) + 1, []))
                self.assertEqual(b"".join(link.read(items[path])), b"found")
                destination = FolderDestination(self.out)
                destination.prepare()
                destination.file(path, items[path], link.read(items[path]))
                for id, item in sorted(items.items(), reverse=True):
                    if item.kind == FOLDERS:
                        destination.folder(id, item)
                again = TreeLink(self.out)
                back = {item.id: item for kind in again.kinds() for item in again.inventory(kind)}
                self.assertEqual(back.keys(), items.keys())
                self.assertEqual({id: (item.modified, item.attributes) for id, item in back.items()},
                                 {id: (item.modified, item.attributes) for id, item in items.items()})  # fmt: skip
                self.assertEqual(b"".join(again.read(back[path])), b"found")

    def test_only_so_many_folders_stay_open_and_none_afterwards(self):
        self.dig(["d"] * 700)
        before = len(os.listdir("/proc/self/fd"))
        link = TreeLink(self.root)
        link.kinds()
        self.assertLess(len(os.listdir("/proc/self/fd")) - before, 200)
        link.close()
        self.assertEqual(len(os.listdir("/proc/self/fd")), before)
