"""Restoring into a place that keeps files, held in memory: the same path is the same file, and nothing of what is there goes unasked."""

import json
from collections.abc import Callable, Iterable, Iterator
from typing import Any
from unittest import TestCase

from core.content.digests import file_digest_of
from core.content.errors import ItemNotTaken, PlaceRefuses, PlaceTaken
from core.content.items import Item
from core.content.kinds import FOLDERS
from core.content.link import DeviceReport
from core.content.paths import item_id, link_attribute, link_of, name_attribute, path_of, shown_path
from core.recovery.comparing import FILES, digests_there, link_digest
from core.recovery.conflicts import WhenThere
from core.recovery.into_files import MOST_VARIANTS, IntoFiles
from core.recovery.report import KindReport, Report
from core.recovery.restore import Going, MemoryIntents, restore
from core.recovery.selection import Selection, chosen
from core.vault.blobs import pack_name
from core.vault.manifests import Stored
from core.vault.tests.bench_of_one import START, Bench, MemoryDevice

RECORD = json.dumps({"display": "Zoe", "phones": [{"label": "cell", "number": "5550 117"}]}).encode()
SOURCE = {
    ("documents", "a/plan.txt"): b"plan",
    ("documents", "a/link"): b"",
    ("documents", "b.txt"): b"x" * 30_000,
    ("contacts", "c1"): RECORD,
    ("photos", "p 1.jpg"): b"picture",
}
FILE_IDS = ("a/plan.txt", "a/link", "b.txt", "no:such?.txt")


def item(path: str, size_bytes: int, *, kind: str = "documents", link: str | None = None) -> Item:
    more = link_attribute(link) if link is not None else {}
    attributes = {"mode": 0o644} | name_attribute(path) | more
    return Item(
        kind=kind, id=item_id(path), name=shown_path(path), size_bytes=size_bytes, modified=START, tag="t", attributes=attributes
    )  # fmt: skip


class Folder(MemoryDevice):
    """A device of which some items are files."""

    def inventory(self, kind: str) -> list[Item]:
        return [
            item(one.id, one.size_bytes, kind=kind, link="b.txt" if one.id.endswith("link") else None) if one.id in FILE_IDS else one
            for one in super().inventory(kind)
        ]


class MemoryPlace:
    """Files by path; a link is kept as text."""

    def __init__(self, held: dict[str, bytes | str] | None = None, *, refuses: Callable[[str], bool] = lambda path: False) -> None:
        self.held, self.refuses = dict(held or {}), refuses
        self.folders: list[str] = []
        self.unreadable: set[str] = set()
        self.calls: list[tuple[str, bool]] = []

    def state(self) -> DeviceReport:
        return DeviceReport(make="", model="", family="folder", os_version="")

    def kinds(self) -> list[str]:
        return ["documents", FOLDERS]

    def inventory(self, kind: str) -> list[Item]:
        assert kind != FOLDERS, "what is no file is not asked for"
        return [
            item(path, len(one) if isinstance(one, bytes) else 0, link=one if isinstance(one, str) else None)
            for path, one in self.held.items()
        ]

    def read(self, item: Item) -> Iterator[bytes]:
        if item.id in self.unreadable:
            raise ItemNotTaken("It cannot be read.")
        content = self.held[path_of(item)]
        yield content if isinstance(content, bytes) else b""

    def _take(self, path: str, content: bytes | str, over: bool) -> str:
        self.calls.append((path, over))
        if self.refuses(path):
            raise PlaceRefuses("This place holds no such name.")
        if path in self.held and not over:
            raise PlaceTaken("Something is there.")
        self.held[path] = content
        return item_id(path)

    def put(self, path: str, item: Item, pieces: Iterable[bytes], *, over: bool) -> str:
        return self._take(path, b"".join(pieces), over)

    def put_link(self, path: str, item: Item, *, over: bool) -> str:
        return self._take(path, link_of(item) or "", over)

    def put_folder(self, path: str, item: Item) -> None:
        if self.refuses(path):
            raise PlaceRefuses("No such folder.")
        self.folders.append(path)


class IntoAPlace(TestCase):
    def setUp(self):
        self.bench, self.device = Bench(), Folder(dict(SOURCE))
        self.manifest = self.bench.capture(self.device).manifest
        self.vault = self.bench.again()
        self.vault.refresh()

    def everything(self) -> list[tuple[str, list[Stored]]]:
        return list(chosen(self.vault, self.manifest, Selection(everything=True)))

    def restore(
        self, place: Any, when_there: WhenThere = WhenThere.KEEP_BOTH, *, folders: tuple[Stored, ...] = (), intents: Any = None
    ) -> Report:
        kinds, self.going = self.everything(), Going(tell=self.tell)
        into = IntoFiles(self.vault, place, when_there=when_there, folders=folders, going=self.going)
        return restore(self.vault, place, into, kinds, intents=intents, going=self.going)

    def tell(self, kind: str, done_bytes: int, total_bytes: int) -> None:
        self.progress = (kind, done_bytes, total_bytes)


class Empty(IntoAPlace):
    def test_files_have_their_paths_and_records_become_open_files(self):
        place = MemoryPlace()
        report = self.restore(place)
        card = place.held.pop("Contacts/c1.vcf")
        self.assertIn(b"FN:Zoe\r\n", card)
        self.assertEqual(place.held, {"a/plan.txt": b"plan", "a/link": "b.txt", "b.txt": b"x" * 30_000, "p 1.jpg": b"picture"})
        self.assertEqual({over for _, over in place.calls}, {False})
        for code, count in (("documents", 3), ("contacts", 1), ("photos", 1)):
            one = report[code]
            self.assertEqual((one.chosen, one.written, one.added, one.replaced, one.same, one.left), (count, count, 0, 0, 0, 0), code)
            self.assertEqual(
                (one.expected, one.found, one.missing_count, one.damaged, one.refused, one.renamed), (count, count, 0, [], [], [])
            )
        total = 4 + 30_000 + len(RECORD) + 7
        self.assertEqual(self.progress, ("", total, total))

    def test_what_it_does_not_keep_is_missed_by_name(self):
        class Forgets(MemoryPlace):
            def _take(self, path: str, content: bytes | str, over: bool) -> str:
                return super()._take(path, content[:-1] if path == "b.txt" else content, over)

        one = self.restore(Forgets())["documents"]
        self.assertEqual((one.expected, one.found, one.missing, one.missing_count, one.whole), (3, 2, ["b.txt"], 1, False))

    def test_a_damaged_file_is_named_and_the_others_are_written(self):
        place = MemoryPlace()
        stored = next(one for _, items in self.everything() for one in items if one.item.id == "b.txt")
        where = self.vault.index.place(stored.spans[0].chunk)
        assert where is not None
        pack = bytearray(self.bench.blobs.held[pack_name(where.pack)])  # type: ignore[attr-defined]
        pack[where.offset + where.sealed_bytes // 2] ^= 1
        self.bench.blobs.held[pack_name(where.pack)] = bytes(pack)  # type: ignore[attr-defined]
        one = self.restore(place)["documents"]
        self.assertEqual((one.damaged, one.written, one.expected, one.found, one.whole), (["b.txt"], 2, 2, 2, False))
        self.assertEqual(sorted(place.held), ["Contacts/c1.vcf", "a/link", "a/plan.txt", "p 1.jpg"])

    def test_folders_come_last_and_the_deepest_first(self):
        folders = tuple(Stored(item=item(path, 0, kind=FOLDERS), spans=()) for path in ("a", "a/b", "c", "a/b/d"))
        place = MemoryPlace(refuses=lambda path: path == "c")
        report = self.restore(place, folders=folders)
        self.assertEqual(place.folders, ["a/b/d", "a/b", "a"])
        self.assertEqual(report[FOLDERS].refused, [("c", "No such folder.")])
        self.assertNotIn(FOLDERS, self.restore(MemoryPlace(), folders=folders))


class WhatIsThere(IntoAPlace):
    def test_the_same_content_is_not_written_again_whatever_is_asked(self):
        place = MemoryPlace()
        self.restore(place)
        for when_there in WhenThere:
            place.calls.clear()
            report = self.restore(place, when_there)
            self.assertEqual(place.calls, [], when_there)
            self.assertEqual(
                [(one.same, one.written, one.expected, one.found) for one in report.values()], [(1, 0, 1, 1), (1, 0, 1, 1), (3, 0, 3, 3)]
            )

    def test_another_content_is_kept_beside_replaced_or_left(self):
        for when_there, held, counts in (
            (WhenThere.KEEP_BOTH, {"a/plan.txt": b"PLAN", "a/plan (2).txt": b"plan"}, (1, 0, 0)),
            (WhenThere.REPLACE, {"a/plan.txt": b"plan"}, (0, 1, 0)),
            (WhenThere.SKIP, {"a/plan.txt": b"PLAN"}, (0, 0, 1)),
        ):
            place = MemoryPlace({"a/plan.txt": b"PLAN"})
            one = self.restore(place, when_there)["documents"]
            self.assertEqual({path: content for path, content in place.held.items() if "plan" in path}, held)
            self.assertEqual((one.added, one.replaced, one.left), counts)
            self.assertEqual(
                (one.written, one.expected, one.found, one.renamed), (2, 2 + (when_there is not WhenThere.SKIP), one.expected, [])
            )

    def test_what_was_put_beside_it_before_is_known_again(self):
        place = MemoryPlace({"a/plan.txt": b"PLAN", "a/plan (2).txt": b"other", "Contacts/c1.vcf": b"not mine"})
        self.restore(place)
        self.assertEqual((place.held["a/plan (3).txt"], "Contacts/c1 (2).vcf" in place.held), (b"plan", True))
        place.calls.clear()
        report = self.restore(place)
        self.assertEqual((place.calls, report["documents"].same, report["contacts"].same), ([], 3, 1))

    def test_a_link_is_the_same_when_it_points_to_the_same(self):
        place = MemoryPlace({"a/link": "c.txt"})
        self.restore(place, WhenThere.REPLACE)
        self.assertEqual(place.held["a/link"], "b.txt")
        self.assertIn(("a/link", True), place.calls)

    def test_what_cannot_be_read_back_is_another_one(self):
        place = MemoryPlace({"a/plan.txt": b"plan"})
        place.unreadable.add("a/plan.txt")
        one = self.restore(place)["documents"]
        self.assertEqual((one.added, place.held["a/plan (2).txt"]), (1, b"plan"))

    def test_what_came_there_meanwhile_is_not_written_over(self):
        class Busy(MemoryPlace):
            def inventory(self, kind: str) -> list[Item]:
                return [one for one in super().inventory(kind) if self.calls]  # it is seen only afterwards

        for when_there in (WhenThere.REPLACE, WhenThere.KEEP_BOTH):
            place = Busy({"b.txt": b"meanwhile", "b (2).txt": b"that too"})
            one = self.restore(place, when_there)["documents"]
            self.assertEqual((place.held["b.txt"], place.held["b (3).txt"]), (b"meanwhile", b"x" * 30_000))
            self.assertEqual((one.renamed, one.found), ([("b.txt", "b (3).txt")], 3))

    def test_an_item_of_an_earlier_attempt_is_not_written_again_but_proven(self):
        place, intents = MemoryPlace(), MemoryIntents()
        self.restore(place, intents=intents)
        place.calls.clear()
        del place.held["b.txt"]
        report = self.restore(place, intents=intents)
        one = report["documents"]
        self.assertEqual((place.calls, one.written, one.expected, one.found, one.missing), ([], 3, 3, 2, ["b.txt"]))


class Names(IntoAPlace):
    def test_one_that_the_place_does_not_hold_is_fitted_and_said(self):
        self.device.content["documents", "no:such?.txt"] = b"odd"
        self.manifest = self.bench.capture(self.device).manifest
        self.vault.refresh()
        place = MemoryPlace(refuses=lambda path: ":" in path)
        one = self.restore(place)["documents"]
        self.assertEqual((place.held["no_such_.txt"], one.renamed), (b"odd", [("no:such?.txt", "no_such_.txt")]))
        self.assertEqual((one.written, one.found, one.refused), (4, 4, []))

    def test_one_that_it_holds_under_no_name_is_refused_with_its_reason(self):
        place = MemoryPlace(refuses=lambda path: path.startswith("b"))
        one = self.restore(place)["documents"]
        self.assertEqual((one.refused, one.written, one.expected), ([("b.txt", "This place holds no such name.")], 2, 2))

    def test_it_gives_up_after_a_thousand_variants(self):
        class Full(MemoryPlace):
            def _take(self, path: str, content: bytes | str, over: bool) -> str:
                self.calls.append((path, over))
                raise PlaceTaken("Something is there.")

        place = Full()
        one = self.restore(place)["documents"]
        says = "Something of this name is there already, in a thousand variants."
        self.assertEqual(sorted(one.refused), [("a/link", says), ("a/plan.txt", says), ("b.txt", says)])
        self.assertEqual(sum(path.startswith("b") for path, _ in place.calls), MOST_VARIANTS)


class Looking(TestCase):
    def test_what_is_there_is_told_file_by_file(self):
        place = MemoryPlace({"a": b"1", "l": "a", "u": b"2"})
        place.unreadable.add("u")
        asked: list[int] = []
        digests = digests_there(place, FILES, place.inventory("documents"), on_item=lambda: asked.append(1))  # type: ignore[arg-type]
        self.assertEqual(digests, {"a": file_digest_of([b"1"]), "l": link_digest(item("l", 0, link="a")), "u": None})
        self.assertEqual(digests["l"], file_digest_of([b"link a"]))
        self.assertGreaterEqual(len(asked), 3)
        self.assertEqual(KindReport().whole, True)
