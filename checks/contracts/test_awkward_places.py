"""Restores into places that do not hold what they are given: each such item is named with what the place said, and the others are there."""

from unittest import mock

from adapters.links.folder import FolderLink
from checks.contracts.test_restores import Office, tree
from core.content.errors import ItemNotTaken, PlaceRefuses, PlaceTaken
from core.content.kinds import FOLDERS
from core.recovery import into_files
from core.recovery.conflicts import WhenThere
from core.recovery.selection import Selection, chosen, folders_of
from core.vault.errors import Damaged


class AwkwardPlaces(Office):
    def setUp(self) -> None:
        super().setUp()
        for name in ("notes/a.txt", "notes/b.txt", "DCIM/c.jpg", "other/d.txt"):
            self.write(name, name.encode())
        self.link = FolderLink(self.other)

    def refusing(self, bad: str, error: Exception):
        """The link, which does not take what lies at that path."""
        real = self.link.put

        def put(path: str, *words: object, **more: object) -> str:
            if path.startswith(bad):
                raise error
            return real(path, *words, **more)  # type: ignore[arg-type]

        return mock.patch.object(self.link, "put", put)

    def refused(self, report: "into_files.Report", kind: str) -> list[tuple[str, str]]:
        return list(report[kind].refused)

    def test_a_name_that_is_there_in_every_variant(self) -> None:
        with self.refusing("notes/a", PlaceTaken("It is there.")), mock.patch.object(into_files, "MOST_VARIANTS", 3):
            report = self.back(self.link)
        self.assertEqual(
            self.refused(report, "documents"), [("notes/a.txt", "Something of this name is there already, in a thousand variants.")]
        )
        self.assertEqual(sorted(path for path in tree(self.other) if path.endswith(b"txt")), [b"notes/b.txt", b"other/d.txt"])
        self.assertFalse(report["documents"].whole)

    def test_a_name_that_the_place_cannot_hold(self) -> None:
        with self.refusing("notes/a", PlaceRefuses("It cannot hold this name.")):
            report = self.back(self.link)
        self.assertEqual(self.refused(report, "documents"), [("notes/a.txt", "It cannot hold this name.")])
        self.assertIn(b"notes/b.txt", tree(self.other))

    def test_a_folder_that_the_place_cannot_hold(self) -> None:
        with mock.patch.object(self.link, "put_folder", side_effect=PlaceRefuses("No folder here.")):
            report = self.back(self.link)
        self.assertEqual({says for _, says in self.refused(report, FOLDERS)}, {"No folder here."})
        self.assertEqual({name for name, _ in self.refused(report, FOLDERS)}, {"notes", "DCIM", "other"})
        self.assertIn(b"DCIM/c.jpg", tree(self.other))

    def test_a_content_that_is_damaged_in_the_store(self) -> None:
        vault_read = into_files.Stream.pieces

        def damaged(stream: "into_files.Stream", stored: "into_files.Stored") -> object:
            if stored.item.name == "notes/a.txt":
                raise Damaged("Its chunk is damaged.")
            return vault_read(stream, stored)

        with mock.patch.object(into_files.Stream, "pieces", damaged):
            report = self.back(self.link)
        self.assertEqual(list(report["documents"].damaged), ["notes/a.txt"])
        self.assertNotIn(b"notes/a.txt", tree(self.other))

    def test_what_cannot_be_read_back_is_not_proven(self) -> None:
        real = self.link.read

        def unreadable(item: object) -> object:
            if item.name == "notes/a.txt":  # type: ignore[attr-defined]
                raise ItemNotTaken("It cannot be read.", why="denied")
            return real(item)  # type: ignore[arg-type]

        with mock.patch.object(self.link, "read", unreadable):
            report = self.back(self.link)
        self.assertEqual(list(report["documents"].missing), ["notes/a.txt"])
        self.assertEqual(report["documents"].found, 2)

    def test_of_single_items_only_the_folders_in_which_they_lie(self) -> None:
        (self.phone / "empty").mkdir()
        vault = self.bench.again()
        manifest = self.bench.capture(FolderLink(self.phone)).manifest
        vault.refresh()
        for everything, wanted in ((True, ["DCIM", "empty", "notes", "other"]), (False, ["notes"])):
            selection = Selection(everything=everything, items=frozenset({("documents", "notes/a.txt")}))
            kinds = list(chosen(vault, manifest, selection))
            self.assertEqual(sorted(one.item.name for one in folders_of(vault, manifest, kinds, everything=everything)), wanted)

    def test_what_is_there_already_is_kept_beside_under_another_name(self) -> None:
        self.write("notes/a.txt", b"mine", below=self.other)
        report = self.back(self.link, WhenThere.KEEP_BOTH)
        self.assertEqual((self.other / "notes" / "a.txt").read_bytes(), b"mine")
        (other,) = [path for path in (self.other / "notes").iterdir() if path.name not in ("a.txt", "b.txt")]
        self.assertEqual(other.read_bytes(), b"notes/a.txt")
        self.assertTrue(report["documents"].whole)
