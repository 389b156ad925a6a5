"""The listing of an export that is brought in again, made by somebody else: taken at its word where it has one, and no further."""

import io
import json
from datetime import UTC, datetime
from typing import Any
from unittest import TestCase, mock

from adapters.links import own_export as exports
from adapters.links.own_export import OwnExport, own_export
from adapters.links.sources import Source
from core.exchange.archive import LISTING, MAILBOX

AT, THEN = datetime(2026, 3, 2, tzinfo=UTC), datetime(2026, 1, 2, 3, 4, 5, tzinfo=UTC)
ROW = {"kind": "photos", "name": "Sea", "file": "Photos/sea.jpg", "id": "p1", "modified": "2026-01-02T04:04:05+01:00"}


def source_of(**files: object) -> Source:
    """Names of files to their content; what is no bytes is written as JSON. `__` stands for a slash."""
    source = Source()
    for name, held in files.items():
        content = held if isinstance(held, bytes) else json.dumps(held).encode()
        source.add(name.replace("__", "/"), len(content), AT, lambda content=content: io.BytesIO(content))
    return source


class Listings(TestCase):
    def listed(self, listing: object, **files: object) -> OwnExport | None:
        self.source = source_of(**{LISTING: listing} | files)
        return own_export(self.source)

    def took(self, listing: list[dict[str, Any]], path: str, held: object) -> list[tuple[Any, ...]] | None:
        """What was kept of one file; None when it was not understood."""
        kept: list[tuple[Any, ...]] = []
        own = self.listed(listing, **{path: held})
        assert own is not None
        entry = next(entry for entry in self.source.entries if entry.path == path)
        return kept if own.takes(entry, lambda *arguments: kept.append(arguments)) else None

    def test_what_is_no_listing_of_ours_makes_it_an_archive_like_any_other(self):
        for listing in (
            b"{", b"\xff", {}, [], 5, [5], [[]], [ROW, {"kind": "photos", "name": "x"}], [ROW | {"kind": "toasters"}], [ROW | {"kind": []}],
        ):  # fmt: skip
            self.assertIsNone(self.listed(listing), listing)
        with mock.patch.object(exports, "MAX_LISTING_BYTES", len(json.dumps([ROW])) - 1):
            self.assertIsNone(self.listed([ROW]))
        self.assertIsNotNone(self.listed([ROW]))

    def test_only_the_three_outermost_are_looked_at(self):
        for good, found in ((2, True), (3, False)):
            files = {"/".join("abcd"[: depth + 1]) + f"/{LISTING}": [ROW] if depth == good else [] for depth in range(4)}
            self.assertIs(own_export(source_of(**files)) is not None, found)

    def test_a_date_that_is_none_is_that_of_the_entry(self):
        for told, modified in (
            (ROW["modified"], THEN), ("soon", AT), ("2026-01-02T03:04:05", AT), ("0001-01-01T00:00:00+14:00", AT), (None, AT), ([], AT),
        ):  # fmt: skip
            kept = self.took([ROW | {"modified": told}], "Photos/sea.jpg", b"x")
            self.assertEqual([(kind, id, at) for kind, id, _, at, _ in kept], [("photos", "p1", modified)], told)

    def test_of_attributes_only_those_count_that_an_item_may_have(self):
        for told, counts in (
            ({"mode": 0o7777, "ns": 999}, {"mode": 0o7777, "ns": 999}), ({"mode": 0o10000, "ns": 1000}, {}), ({"mode": -1, "ns": -1}, {}),
            ({"mode": "7"}, {}), ({"other": 1}, {}), ([], {}), (5, {}), ({"link": "x", "link_bytes": 7}, {"link": "x"}),
        ):  # fmt: skip
            self.assertEqual(exports.attributes_of({"attributes": told}), counts, told)

    def test_files_that_are_not_its_own_are_for_whoever_reads_any_archive(self):
        self.assertIsNone(self.took([ROW], "Photos/other.jpg", b"x"))
        self.assertIsNone(self.took([ROW, ROW], "Photos/sea.jpg", b"x"), "two lay claim to it")
        self.assertIsNone(self.took([ROW | {"kind": "notes"}], "Photos/sea.jpg", b"x"), "a record that says it is a file")
        self.assertEqual(len(self.took([ROW | {"kind": "notes", "attributes": {"mode": 0o644}}], "Photos/sea.jpg", b"x") or ()), 1)
        self.assertEqual(len(self.took([ROW | {"kind": "notes", "file": "unreadable/n"}], "unreadable/n", b"x") or ()), 1)
        own = self.listed([ROW], a__b=b"x")
        for within, path in (("below/", "Photos/sea.jpg"), ("data/", "bagit.txt")):
            below = OwnExport(self.source, [ROW], within=within)
            entry = mock.Mock(path=path)
            self.assertIs(below.takes(entry, lambda *arguments: None), path == "bagit.txt")
        assert own is not None
        self.assertFalse(own.takes(mock.Mock(path="bagit.txt"), lambda *arguments: None), "only of a bag")

    def test_records_are_no_list_of_them(self):
        notes = [ROW | {"kind": "notes", "file": "Notes.json", "id": "n1", "name": "List"}]
        for held in (b"[", {}, [5], [{}, 5]):
            self.assertIsNone(self.took(notes, "Notes.json", held))
        kept = self.took(notes, "Notes.json", [{"id": "n1", "text": "chalk", "name": "List"}, {"text": "rope"}])
        self.assertEqual(
            [(kind, id, row, at, json.loads(content)) for kind, id, row, at, content in kept or ()],
            [
                ("notes", "n1", {"name": "List"}, THEN, {"text": "chalk"}),
                ("notes", "Notes.json#2", {"name": "(no name)"}, AT, {"text": "rope"}),
            ],
        )
        before = [{field: value for field, value in notes[0].items() if field != "id"}]
        kept = self.took(before, "Notes.json", [{"id": "n1", "text": "chalk"}])
        self.assertEqual([(id, row, at) for _, id, row, at, _ in kept or ()], [("n1", {"name": "List"}, THEN)], "as it was listed before")

    def test_a_mailbox_with_more_or_other_mails_than_are_listed_is_any_mailbox(self):
        box = b"From a\nSubject: x\n\nhi\n\n"
        (mail,) = exports.messages([box])
        row = {"kind": "mail", "name": "x", "file": MAILBOX, "bytes": len(mail)}
        for rows, taken in (
            ([row], 1),
            ([row | {"bytes": len(mail) - 1}], 1),
            ([row | {"bytes": len(mail) - 2}], None),
            ([row, row], None),
        ):
            kept = self.took(rows, MAILBOX, box)
            self.assertEqual(None if kept is None else len(kept), taken, rows)
        self.assertIsNone(self.took([row | {"bytes": "many"}], MAILBOX, box))
