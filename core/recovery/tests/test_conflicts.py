"""Which item of a backup meets which one that is there: by what a person would know it by, kind by kind, each once."""

import json
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any
from unittest import TestCase

from core.content.digests import digest
from core.content.items import Item
from core.recovery.conflicts import ConflictStep, Met, WhenThere, met
from core.recovery.identity import tiers
from core.vault.manifests import Stored

AT = datetime(2026, 3, 2, tzinfo=UTC)


@dataclass
class Sides:
    """Content of both sides by id, and what of it was read as a record."""

    code: str
    here: dict[str, bytes] = field(default_factory=dict)
    there: dict[str, bytes] = field(default_factory=dict)
    read: int = 0

    def digest_of(self, stored: Stored) -> bytes:
        return digest(self.code, self.here[stored.item.id])

    def digest_there(self, item: Item) -> bytes:
        return digest(self.code, self.there[item.id])

    def record_of(self, stored: Stored) -> dict[str, Any]:
        self.read += 1
        content: dict[str, Any] = json.loads(self.here[stored.item.id])
        return content

    def record_there(self, item: Item) -> dict[str, Any]:
        content: dict[str, Any] = json.loads(self.there[item.id])
        return content


class Meeting(TestCase):
    def met(
        self, code: str, here: list[tuple[str, str, Any]], there: list[tuple[str, str, Any]], *, same_device: bool = False
    ) -> list[Met]:
        """(id, name, record or bytes) of each item on both sides."""

        def item(id: str, name: str, content: bytes) -> Item:
            return Item(kind=code, id=id, name=name, size_bytes=len(content), modified=AT, tag=id)

        def held(rows: list[tuple[str, str, Any]]) -> dict[str, bytes]:
            return {id: one if isinstance(one, bytes) else json.dumps(one).encode() for id, _, one in rows}

        self.looks = Sides(code, held(here), held(there))
        stored = [Stored(item=item(id, name, self.looks.here[id]), spans=()) for id, name, _ in here]
        return met(code, stored, [item(id, name, self.looks.there[id]) for id, name, _ in there], self.looks, same_device=same_device)

    def pairs(self, *what: Any, **more: Any) -> list[tuple[str | None, bool]]:
        return [(one.there.id if one.there else None, one.same) for one in self.met(*what, **more)]

    def test_each_kind_is_known_by_what_a_person_would_know_it_by(self):
        number = {"phones": [{"number": "+49 30 1"}]}
        cases = {
            "contacts": [
                ({"uid": "u1", "display": "A"}, {"uid": "u1", "display": "B"}, True), ({"uid": "u1"}, {"uid": "u2"}, True),
                ({"display": "A", **number}, {"display": "A", "note": "n", "phones": [{"number": "+49301"}]}, True),
            ],
            "calendar": [
                ({"uid": "u1", "title": "x", "start": "1"}, {"uid": "u1", "title": "y", "start": "2"}, True),
                ({"title": "x", "start": "1"}, {"title": "x", "start": "1", "place": "p"}, True),
                ({"title": "x", "start": "1"}, {"title": "x", "start": "2"}, False), ({"title": "x"}, {"title": "x", "place": "p"}, False),
            ],
            "messages": [
                ({"with": ["Bo", "Al"], "messages": [1]}, {"with": ["Al", "Bo"], "messages": []}, True),
                ({"with": ["Bo"]}, {"with": ["Al"]}, False), ({"messages": [1]}, {"messages": []}, False),
            ],
            "logins": [
                ({"site": "s", "user": "u", "password": "1"}, {"site": "s", "user": "u", "password": "2"}, True),
            ],
            "calls": [({"with": "Bo", "at": "1"}, {"with": "Bo", "at": "2"}, False)],
            "health": [({"steps": 1}, {"steps": 2}, False)],
            "notes": [({"text": "a"}, {"text": "b"}, True)],
        }  # fmt: skip
        for code, rows in cases.items():
            for mine, theirs, meets in rows:
                with self.subTest(code=code, mine=mine):
                    self.assertEqual(self.pairs(code, [("a1", "N", mine)], [("b9", "N", theirs)]), [("b9" if meets else None, False)])
                    (same,) = self.pairs(code, [("a1", "N", mine)], [("b9", "N", mine)])
                    self.assertEqual(same, ("b9", True), "the same content is the same, whatever it is called there")

    def test_a_name_alone_counts_only_where_one_on_each_side_has_it(self):
        self.assertEqual(self.pairs("notes", [("a", "N", {"t": 1})], [("x", "N", {"t": 2}), ("y", "N", {"t": 3})]), [(None, False)])
        self.assertEqual(self.pairs("notes", [("a", "N", {"t": 1})], [("x", "N", {"t": 2}), ("y", "M", {"t": 3})]), [("x", False)])

    def test_files_are_known_by_their_path_and_two_copies_are_two_files(self):
        here = [("a", "DCIM/1.jpg", b"one"), ("b", "DCIM/2.jpg", b"two")]
        self.assertEqual(
            self.pairs("photos", here, [("x", "DCIM/2.jpg", b"2!!"), ("y", "DCIM/9.jpg", b"one")]), [(None, False), ("x", False)]
        )
        self.assertEqual(self.looks.read, 0, "no record is read of what is none")

    def test_on_the_device_that_it_came_from_an_id_is_the_item(self):
        here, there = (
            [("a", "N", {"uid": "1"}), ("b", "M", {"uid": "2"})],
            [("b", "N", {"uid": "1", "x": 1}), ("a", "M", {"uid": "2", "x": 1})],
        )
        self.assertEqual(self.pairs("contacts", here, there, same_device=True), [("a", False), ("b", False)])
        self.assertEqual(self.pairs("contacts", here, there), [("b", False), ("a", False)])

    def test_each_one_that_is_there_answers_once(self):
        pairs = self.pairs("contacts", [("a", "N", {"uid": "1"}), ("b", "N", {"uid": "1"})], [("x", "N", {"uid": "1", "more": 1})])
        self.assertEqual(sorted(one or "" for one, _ in pairs), ["", "x"])

    def test_what_is_done_with_each(self):
        new, other, same = Met(stored=None), Met(stored=None, there=object()), Met(stored=None, there=object(), same=True)  # type: ignore[arg-type]
        for when, step in (
            (WhenThere.KEEP_BOTH, ConflictStep.ADD), (WhenThere.REPLACE, ConflictStep.REPLACE), (WhenThere.SKIP, ConflictStep.LEAVE),
        ):  # fmt: skip
            self.assertEqual((new.step(when), other.step(when), same.step(when)), (ConflictStep.WRITE, step, ConflictStep.SAME))

    def test_every_tier_that_reads_says_what_by(self):
        for code in ("contacts", "calendar", "messages", "logins"):
            self.assertTrue(tiers(code)[0].reads)
            self.assertTrue(all(tier.says for tier in tiers(code)))
