"""A folder read with everything that belongs to it, and a folder written from hostile paths."""

import errno
import os
import socket
import tempfile
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase, mock

from adapters.destinations.folder import FolderDestination
from adapters.links.tree import TreeLink
from core.content.errors import DeviceAway, ItemNotTaken
from core.content.items import Item
from core.content.kinds import FOLDERS
from core.content.left_out import matters
from core.content.paths import path_bytes, path_of
from core.recovery.extract import Unwritable
from core.vault.errors import StoreFull, StoreReadOnly
from core.vault.manifests import row_of


class Folders(TestCase):
    def setUp(self):
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name) / "in"
        self.root.mkdir()
        self.out = Path(holder.name) / "out"

    def put(self, path: str, content: bytes = b"x") -> Path:
        target = self.root / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(content)
        return target


class Reading(Folders):
    def items(self, link: TreeLink) -> dict[str, Item]:
        return {item.id: item for kind in link.kinds() for item in link.inventory(kind)}

    def test_paths_times_modes_links_and_folders(self):
        photo = self.put("photos/a.jpg", b"picture")
        os.utime(photo, ns=(1, 1_700_000_000_123_456_789))
        photo.chmod(0o640)
        (self.root / "photos" / "link").symlink_to("../elsewhere")
        items = self.items(TreeLink(self.root))
        item = items["photos/a.jpg"]
        self.assertEqual((item.kind, item.size_bytes), ("photos", 7))
        self.assertEqual(item.modified, datetime(2023, 11, 14, 22, 13, 20, 123456, tzinfo=UTC))
        self.assertEqual(item.attributes, {"mode": 0o640, "ns": 789})
        self.assertEqual(items["photos/link"].attributes["link"], "../elsewhere")
        self.assertEqual(items["photos"].kind, FOLDERS)

    def test_what_it_reads_is_sorted_by_path_and_matches_its_own_rows(self):
        for n in (3, 1, 2):
            self.put(f"notes/{n}.txt", b"n" * n)
        inventory = TreeLink(self.root).inventory("documents")
        self.assertEqual([item.id for item in inventory], ["notes/1.txt", "notes/2.txt", "notes/3.txt"])
        self.assertEqual([inventory[at].id for at in (0, -1, -3)], ["notes/1.txt", "notes/3.txt", "notes/1.txt"])
        self.assertEqual([item.id for item in inventory[-2:]], ["notes/2.txt", "notes/3.txt"])
        rows = [row_of(item) for item in inventory]
        self.assertTrue(inventory.matches(0, rows))
        self.assertTrue(inventory.matches(1, rows[1:]))
        self.assertIs(inventory.matches(1, rows[:2]), False)
        self.assertEqual([inventory.size_bytes_of(*part) for part in ((0, 3), (1, 2))], [6, 2])
        for field, value in ((2, 99), (3, 5), (4, "other"), (6, {"mode": 0}), (6, None)):
            changed = [list(row) for row in rows]
            changed[1][field] = value
            self.assertIs(inventory.matches(0, changed), False, field)

    def test_a_change_is_seen(self):
        path = self.put("a.txt", b"one")
        rows = [row_of(item) for item in TreeLink(self.root).inventory("documents")]

        def longer_at_the_same_time() -> None:
            path.write_bytes(b"three!")
            os.utime(path, ns=(5, 5))

        for change in (
            lambda: path.write_bytes(b"two!"), lambda: os.utime(path, ns=(5, 5)), longer_at_the_same_time, lambda: path.chmod(0o600),
        ):  # fmt: skip
            change()
            self.assertFalse(TreeLink(self.root).inventory("documents").matches(0, rows))
            rows = [row_of(item) for item in TreeLink(self.root).inventory("documents")]

    def test_what_no_link_could_carry_is_named_and_does_not_matter(self):
        os.mkfifo(self.root / "pipe")
        with socket.socket(socket.AF_UNIX) as door:
            door.bind(str(self.root / "door"))
            by_key = {entry.name: entry.code for entry in TreeLink(self.root).not_read()}
        self.assertEqual(by_key, {"pipe": "special", "door": "special"})
        self.assertFalse(matters("special"))

    def test_a_name_that_is_no_utf_8_is_an_item_with_its_bytes_and_two_that_show_alike_stay_two(self):
        for name in (b"bad-\xff.txt", b"bad-\xfe.txt", "bad-\ufffd.txt".encode(), "\ufffdfirst".encode()):
            (Path(os.fsdecode(os.fsencode(self.root) + b"/" + name))).write_bytes(name)
        link = TreeLink(self.root)
        by_key = {path_bytes(path_of(item)): item for item in link.inventory("documents")}
        self.assertEqual(len({item.id for item in by_key.values()}), 4)
        self.assertEqual([by_key[name].name for name in (b"bad-\xff.txt", b"bad-\xfe.txt")], ["bad-\ufffd.txt"] * 2)
        self.assertEqual(by_key[b"bad-\xff.txt"].attributes["name_bytes"], b"bad-\xff.txt".hex())
        self.assertNotIn("name_bytes", by_key["bad-\ufffd.txt".encode()].attributes)
        for name, item in by_key.items():
            self.assertEqual(b"".join(link.read(item)), name)
        rows = [row_of(item) for item in link.inventory("documents")]
        self.assertTrue(link.inventory("documents").matches(0, rows))

    def test_a_drive_that_breaks_while_a_folder_is_listed_names_the_folder(self):
        self.put("broken/a.txt")
        self.put("fine.txt")

        class Breaking:
            def __init__(self, entries):
                self.entries = entries

            def __enter__(self):
                return self

            def __exit__(self, *error):
                self.entries.close()

            def __iter__(self):
                yield next(self.entries)
                raise OSError(errno.EIO, "Input/output error")

        real, folder = os.scandir, (self.root / "broken").stat().st_ino
        broken = lambda handle: Breaking(real(handle)) if os.fstat(handle).st_ino == folder else real(handle)  # noqa: E731
        link = TreeLink(self.root)
        with mock.patch("os.scandir", broken):
            self.assertEqual([item.id for item in link.inventory("documents")], ["broken/a.txt", "fine.txt"])
        self.assertEqual([(entry.name, entry.code, entry.detail) for entry in link.not_read()], [("broken", "fault", "Input/output error")])

    def test_a_folder_that_may_not_be_read_is_said(self):
        self.put("closed/a.txt")
        real = os.open

        def refuse(path: str, flags: int, *mode: int, **more: int):
            if path == "closed":
                raise PermissionError(13, "Permission denied")
            return real(path, flags, *mode, **more)

        link = TreeLink(self.root)
        with mock.patch("os.open", refuse):
            self.assertEqual(link.kinds(), [FOLDERS])
        self.assertEqual([(entry.name, entry.code) for entry in link.not_read()], [("closed", "denied")])

    def test_a_file_that_changes_shrinks_grows_or_vanishes_while_it_is_read(self):
        path = self.put("big.bin", b"x" * (9 << 20))
        changes = {
            "shrinks": lambda: os.truncate(path, 1000), "grows": lambda: os.truncate(path, 10 << 20), "changes": lambda: os.utime(path, ns=(7, 7)),
        }  # fmt: skip
        for name, change in changes.items():
            self.put("big.bin", b"x" * (9 << 20))
            link = TreeLink(self.root)
            item = link.inventory("documents")[0]
            with self.subTest(name), self.assertRaises(ItemNotTaken):
                for at, _ in enumerate(link.read(item)):
                    if at == 0:
                        change()
        link = TreeLink(self.root)
        item = link.inventory("documents")[0]
        path.unlink()
        with self.assertRaises(ItemNotTaken):
            list(link.read(item))

    def test_a_link_that_takes_the_place_of_a_file_is_not_followed(self):
        path = self.put("a.txt", b"x")
        secret = self.put("secret.txt", b"s")
        link = TreeLink(self.root)
        item = next(item for item in link.inventory("documents") if item.id == "a.txt")
        path.unlink()
        path.symlink_to(secret)
        with self.assertRaises(ItemNotTaken):
            list(link.read(item))

    def test_the_store_inside_the_folder_is_left_out(self):
        self.put("a.txt")
        self.put("store/header")
        link = TreeLink(self.root, leave_out=[self.root / "store"])
        self.assertEqual(list(self.items(link)), ["a.txt"])
        self.assertEqual([(entry.name, entry.code) for entry in link.not_read()], [("store", "own")])

    def test_a_folder_that_is_not_there(self):
        with self.assertRaises(DeviceAway):
            TreeLink(self.root / "gone").kinds()


def item(**attributes: int | str) -> Item:
    at = datetime(2026, 1, 2, 3, 4, 5, 678901, tzinfo=UTC)
    return Item(kind="documents", id="x", name="x", size_bytes=3, modified=at, tag="t", attributes={"mode": 0o644} | attributes)


class Writing(Folders):
    def setUp(self):
        super().setUp()
        self.destination = FolderDestination(self.out)
        self.destination.prepare()

    def files(self) -> list[str]:
        return sorted(path.relative_to(self.out).as_posix() for path in self.out.rglob("*") if not path.is_dir())

    def test_hostile_paths_never_leave_the_folder(self):
        outside = {path.name for path in self.out.parent.iterdir()}
        for path in (
            "../x",
            "/etc/x",
            "a/../../x",
            "a//x",
            "",
            ".",
            "..",
            "a/./x",
            "a\x00b",
            "y" * 300,
            "a/" * 60_000 + "x",
            "\ud800",
            ".attic-0123456789abcdef",
        ):
            for write in (lambda path=path: self.destination.file(path, item(), [b"x"]), lambda path=path: self.destination.link(path, item(link="y")), lambda path=path: self.destination.folder(path, item())):  # fmt: skip
                with self.subTest(path=path[:20]), self.assertRaises(Unwritable):
                    write()
        self.assertEqual({path.name for path in self.out.parent.iterdir()}, outside)
        self.assertEqual(self.files(), [])

    def test_nothing_is_written_through_a_link_that_a_backup_brought(self):
        target = self.out.parent / "target"
        target.mkdir()
        self.destination.link("a", item(link=str(target)))
        with self.assertRaises(Unwritable):
            self.destination.file("a/x", item(), [b"x"])
        with self.assertRaises(Unwritable):
            self.destination.folder("a", item())
        self.assertEqual(list(target.iterdir()), [])

    def test_names_that_are_odd_but_possible_are_written(self):
        for path in ("con", "a b/ü.txt", "-rf", "back\\slash", "trailing.", "'quoted'", "new\nline"):
            self.destination.file(path, item(), [b"x"])
        self.assertEqual(len(self.files()), 7)

    def test_times_and_modes_come_back_and_set_user_id_does_not(self):
        self.destination.file("a", item(mode=0o4755, ns=21), [b"x", b"yz"])
        facts = (self.out / "a").stat()
        self.assertEqual(facts.st_mode & 0o7777, 0o755)
        self.assertEqual(facts.st_mtime_ns % 1_000_000_000, 678_901_021)
        self.assertEqual((self.out / "a").read_bytes(), b"xyz")

    def test_an_item_that_breaks_off_leaves_nothing(self):
        def broken():
            yield b"x"
            raise RuntimeError

        with self.assertRaises(RuntimeError):
            self.destination.file("a/b", item(), broken())
        self.assertEqual(self.files(), [])

    def test_the_same_name_twice_keeps_the_first(self):
        self.destination.file("a", item(), [b"first"])
        with self.assertRaises(Unwritable):
            self.destination.file("a", item(), [b"second"])
        with self.assertRaises(Unwritable):
            self.destination.link("a", item(link="x"))
        self.assertEqual((self.out / "a").read_bytes(), b"first")

    def test_stretches_of_nothing_stay_holes(self):
        size = 32 << 20
        sparse = Item(**{name: getattr(item(), name) for name in Item.__dataclass_fields__} | {"size_bytes": size})
        self.destination.file("sparse", sparse, [bytes(1 << 20)] * 31 + [bytes(1 << 20)])
        facts = (self.out / "sparse").stat()
        self.assertEqual(facts.st_size, size)
        self.assertLess(facts.st_blocks * 512, 1 << 20)
        self.destination.file("end", item(), [bytes(100_000), b"abc"])
        self.assertEqual((self.out / "end").read_bytes(), bytes(100_000) + b"abc")

    def test_a_folder_with_something_in_it_is_refused(self):
        (self.out / "x").write_text("x")
        with self.assertRaises(FileExistsError):
            FolderDestination(self.out).prepare()

    def test_full_and_read_only_are_told_apart(self):
        for number, error in ((28, StoreFull), (122, StoreFull), (30, StoreReadOnly), (13, StoreReadOnly)):
            with mock.patch("os.write", side_effect=OSError(number, "no")), self.assertRaises(error) as caught:
                self.destination.file("a", item(), [b"x"])
            self.assertTrue(caught.exception.remedy)
            self.assertEqual(self.files(), [])
