"""What every link to a place of files promises, whatever names and troubles it meets: mixed into a TestCase that makes
`self.root`, the place as this machine sees it, and `self.link`."""

import os
import stat
from datetime import UTC, datetime
from pathlib import Path

from core.content.errors import PlaceRefuses, PlaceTaken
from core.content.items import Item
from core.content.kinds import FOLDERS
from core.content.link import DeviceLink
from core.content.paths import item_id, link_of, path_bytes, path_of
from core.vault.errors import Damaged

HOSTILE = (
    b"bad-\xff.txt", b"bad-\xfe.txt", "gr\u00fcn.txt".encode(), "gru\u0308n.txt".encode(), b"a b'c\".txt", "\u202egpj.exe".encode(), b"CON",
    b"-rf", b"two\nlines.txt", b"back\\slash.txt", b".profile", b"trailing. ", b"x" * 244 + b".jpg", "\U0001f34e.txt".encode(),
    b"/".join([b"d%02d" % n for n in range(60)]) + b"/bottom.txt", b"A.txt", b"a.txt", b"=cmd|x.csv", b"\xe2\x80", b"empty",
)  # fmt: skip
WHEN = datetime(2019, 3, 31, 1, 59, 58, tzinfo=UTC)


def item_of(path: bytes, content: bytes, *, mode: int = 0o640, **more: int | str) -> Item:
    text = os.fsdecode(path)
    return Item(
        kind="documents", id=item_id(text), name="n", size_bytes=len(content), modified=WHEN, tag="t", attributes={"mode": mode} | more
    )


class FilePromises:
    root: Path
    link: DeviceLink

    def at(self, path: bytes) -> bytes:
        return os.fsencode(self.root) + b"/" + path

    def put(self, path: bytes, content: bytes = b"content", *, over: bool = False, **more: int | str) -> str:
        return self.link.put(os.fsdecode(path), item_of(path, content, **more), iter((content,)), over=over)

    def found(self) -> dict[bytes, bytes]:
        """Everything that the link lists, read over the link."""
        kinds = [kind for kind in self.link.kinds() if kind != FOLDERS]
        items = [item for kind in kinds for item in self.link.inventory(kind)]
        return {path_bytes(path_of(item)): b"".join(self.link.read(item)) for item in items}

    def test_every_name_goes_there_and_comes_back_as_it_is(self):
        wanted = {name: b"content of " + name if name != b"empty" else b"" for name in HOSTILE}
        for name, content in wanted.items():
            self.put(name, content)
        for name, content in wanted.items():
            with open(self.at(name), "rb") as file:
                self.assertEqual(file.read(), content, name)
        self.assertEqual(self.found(), wanted)
        self.assertEqual(self.link.not_read(), [])

    def test_times_modes_links_and_empty_folders_come_back_as_they_were(self):
        self.put(b"sub/a.txt", b"one", mode=0o604)
        self.link.put_link("sub/to", item_of(b"sub/to", b"", link="a.txt"), over=False)
        self.link.put_link("odd", item_of(b"odd", b"", link="?", link_bytes=b"\xff\xfe".hex()), over=False)
        for name in (b"sub/empty", b"sub"):
            folder = Item(kind=FOLDERS, id=name.decode(), name="n", size_bytes=0, modified=WHEN, tag="folder", attributes={"mode": 0o750})
            self.link.put_folder(name.decode(), folder)
        for name, mode in ((b"sub/a.txt", 0o604), (b"sub/empty", 0o750), (b"sub", 0o750)):
            facts = os.lstat(self.at(name))
            self.assertEqual((stat.S_IMODE(facts.st_mode), facts.st_mtime), (mode, WHEN.timestamp()), name)
        items = {item.id: item for kind in self.link.kinds() for item in self.link.inventory(kind)}
        self.assertEqual(set(items), {"sub", "sub/empty", "sub/a.txt", "sub/to", "odd"})
        self.assertEqual((link_of(items["sub/to"]), path_bytes(link_of(items["odd"]) or "")), ("a.txt", b"\xff\xfe"))
        self.assertEqual((items["sub"].attributes["mode"], items["sub/a.txt"].modified), (0o750, WHEN))

    def test_what_is_there_is_not_written_over_unless_asked_and_a_folder_never(self):
        self.put(b"a.txt", b"old")
        with self.assertRaises(PlaceTaken):
            self.put(b"a.txt", b"new")
        self.assertEqual(self.found(), {b"a.txt": b"old"})
        self.put(b"a.txt", b"new", over=True)
        self.assertEqual(self.found(), {b"a.txt": b"new"})
        self.put(b"folder/x")
        with self.assertRaises(PlaceRefuses):
            self.put(b"folder", b"a file", over=True)

    def test_a_write_that_breaks_leaves_what_was_there(self):
        self.put(b"a.txt", b"old")

        def breaking():
            yield b"half of "
            raise Damaged("The store cannot give the rest.")

        for path in (b"a.txt", b"sub/b.txt"):
            with self.assertRaises(Damaged):
                self.link.put(os.fsdecode(path), item_of(path, b"half of it"), breaking(), over=True)
        self.assertEqual(self.found(), {b"a.txt": b"old"})
        self.assertEqual([entry for entry in os.listdir(self.root) if entry.startswith(".attic-")], [])

    def test_nothing_is_written_outside_or_through_a_link(self):
        outside = self.root.parent / "attic-escaped.txt"
        os.symlink(self.root.parent, self.root / "out")
        for path in (
            b"../attic-escaped.txt",
            b"/attic-escaped.txt",
            b"out/attic-escaped.txt",
            b"a/../../attic-escaped.txt",
            b"",
            b"a//b",
            b".",
        ):
            with self.subTest(path=path), self.assertRaises(PlaceRefuses):
                self.put(path)
        self.assertFalse(outside.exists())
        self.put(b"out", b"in its place", over=True)
        self.assertFalse((self.root / "out").is_symlink())

    def test_a_half_written_file_of_a_killed_restore_is_no_item(self):
        (self.root / ".attic-0123456789abcdef").write_bytes(b"half")
        (self.root / ".attic-notes").write_bytes(b"somebody's own")
        self.assertEqual(self.found(), {b".attic-notes": b"somebody's own"})
        self.assertEqual([(entry.name, entry.code) for entry in self.link.not_read()], [(".attic-0123456789abcdef", "own")])
