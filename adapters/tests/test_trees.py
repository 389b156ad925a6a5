"""A folder read with everything that belongs to it, and a folder written from hostile paths."""

import os
import tempfile
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase, mock

from adapters.destinations.folder import FolderDestination
from adapters.links.tree import TreeLink
from core.content.errors import DeviceAway, DeviceLied
from core.content.items import Item
from core.content.kinds import FOLDERS
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
        found = self.items(TreeLink(self.root))
        item = found["photos/a.jpg"]
        self.assertEqual((item.kind, item.size_bytes), ("photos", 7))
        self.assertEqual(item.modified, datetime(2023, 11, 14, 22, 13, 20, 123456, tzinfo=UTC))
        self.assertEqual(item.attributes, {"mode": 0o640, "ns": 789})
        self.assertEqual(found["photos/link"].attributes["link"], "../elsewhere")
        self.assertEqual(found["photos"].kind, FOLDERS)

    def test_what_it_reads_is_sorted_by_path_and_matches_its_own_rows(self):
        for n in (3, 1, 2):
            self.put(f"notes/{n}.txt", b"n" * n)
        inventory = TreeLink(self.root).inventory("documents")
        self.assertEqual([item.id for item in inventory], ["notes/1.txt", "notes/2.txt", "notes/3.txt"])
        rows = [row_of(item) for item in inventory]
        self.assertTrue(inventory.matches(0, rows))
        self.assertTrue(inventory.matches(1, rows[1:]))
        self.assertFalse(inventory.matches(1, rows[:2]))
        for field, value in ((2, 99), (3, 5), (4, "other"), (6, {"mode": 0}), (6, None)):
            changed = [list(row) for row in rows]
            changed[1][field] = value
            self.assertFalse(inventory.matches(0, changed), field)

    def test_a_change_is_seen(self):
        path = self.put("a.txt", b"one")
        rows = [row_of(item) for item in TreeLink(self.root).inventory("documents")]
        for change in (lambda: path.write_bytes(b"two!"), lambda: os.utime(path, ns=(5, 5)), lambda: path.chmod(0o600)):
            change()
            self.assertFalse(TreeLink(self.root).inventory("documents").matches(0, rows))
            rows = [row_of(item) for item in TreeLink(self.root).inventory("documents")]

    def test_what_is_no_file_or_cannot_be_named_is_left_out_and_said(self):
        os.mkfifo(self.root / "pipe")
        (Path(os.fsencode(self.root).decode()) / "fine.txt").write_text("x")
        with open(os.fsencode(self.root) + b"/bad-\xff.txt", "wb"):
            pass
        link = TreeLink(self.root)
        self.assertEqual([item.id for item in link.inventory("documents")], ["fine.txt"])
        reasons = dict(link.skipped)
        self.assertIn("neither", reasons["pipe"])
        self.assertEqual(len(reasons), 2)
        self.assertTrue(any("UTF-8" in reason for reason in reasons.values()))

    def test_a_folder_that_may_not_be_read_is_said(self):
        self.put("closed/a.txt")
        real = os.scandir

        def refuse(path: str):
            if str(path).endswith("closed"):
                raise PermissionError(13, "Permission denied")
            return real(path)

        link = TreeLink(self.root)
        with mock.patch("os.scandir", refuse):
            self.assertEqual(link.kinds(), [FOLDERS])
        self.assertEqual(link.skipped, [("closed", "Permission denied")])

    def test_a_file_that_changes_shrinks_grows_or_vanishes_while_it_is_read(self):
        path = self.put("big.bin", b"x" * (9 << 20))
        changes = {
            "shrinks": lambda: os.truncate(path, 1000), "grows": lambda: os.truncate(path, 10 << 20), "changes": lambda: os.utime(path, ns=(7, 7)),
        }  # fmt: skip
        for name, change in changes.items():
            self.put("big.bin", b"x" * (9 << 20))
            link = TreeLink(self.root)
            item = link.inventory("documents")[0]
            with self.subTest(name), self.assertRaises(DeviceLied):
                for at, _ in enumerate(link.read(item)):
                    if at == 0:
                        change()
        link = TreeLink(self.root)
        item = link.inventory("documents")[0]
        path.unlink()
        with self.assertRaises(DeviceLied):
            list(link.read(item))

    def test_a_link_that_takes_the_place_of_a_file_is_not_followed(self):
        path = self.put("a.txt", b"x")
        secret = self.put("secret.txt", b"s")
        link = TreeLink(self.root)
        item = next(item for item in link.inventory("documents") if item.id == "a.txt")
        path.unlink()
        path.symlink_to(secret)
        with self.assertRaises(DeviceLied):
            list(link.read(item))

    def test_the_store_inside_the_folder_is_left_out(self):
        self.put("a.txt")
        self.put("store/header")
        link = TreeLink(self.root, leave_out=[self.root / "store"])
        self.assertEqual(list(self.items(link)), ["a.txt"])
        self.assertEqual(link.skipped, [("store", "it is the store itself")])

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
        for path in ("../x", "/etc/x", "a/../../x", "a//x", "", ".", "..", "a/./x", "a\x00b", "y" * 300, "a/" * 2100 + "x", "\udcff"):
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
