"""Listings of our own exports that lie, and old backups of which a part is odd: what is sound in them comes in, and nothing else."""

import json
import tempfile
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from unittest import TestCase, mock
from zoneinfo import ZoneInfo

from adapters.links import gathered, own_export
from adapters.links.gathered import GatheredLink, _mail_time
from adapters.links.own_export import _instant, attributes_of
from adapters.links.sources import source_at
from core.content.errors import DeviceLied
from core.content.items import Item

BERLIN = ZoneInfo("Europe/Berlin")
MAIL = b"From a@x Mon Mar  2 10:00:00 2026\nSubject: Tide\nMessage-ID: <1>\nDate: Mon, 2 Mar 2026 10:00:00\n\nlow at six\n"


class InAFolder(TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.root = Path(holder.name)

    def put(self, path: str, content: bytes | object) -> None:
        target = self.root / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(content if isinstance(content, bytes) else json.dumps(content).encode())

    def link(self) -> GatheredLink:
        link = GatheredLink(self.root, zone=BERLIN)
        self.addCleanup(link.close)
        return link

    def items(self, link: GatheredLink | None = None) -> dict[tuple[str, str], bytes]:
        link = link or self.link()
        return {(kind, item.id): b"".join(link.read(item)) for kind in link.kinds() for item in link.inventory(kind)}


class Listings(InAFolder):
    def row(self, **fields: Any) -> dict[str, Any]:
        return {"kind": "documents", "id": "own", "name": "a.txt", "file": "files/a.txt"} | fields

    def test_one_that_cannot_be_read_makes_it_an_archive_like_any_other(self) -> None:
        self.put("files/a.txt", b"abc")
        for listed in (b"{", b"\xff", {}, [], [5], [{"kind": "documents"}], [self.row(kind="stars")]):
            self.put("contents.json", listed)
            self.assertIn(("documents", "files/a.txt"), self.items(), listed)
        self.put("contents.json", [self.row()])
        self.assertEqual(self.items(), {("documents", "own"): b"abc"})
        with mock.patch.object(own_export, "MAX_LISTING_BYTES", 10):
            self.assertIn(("documents", "files/a.txt"), self.items())

    def test_a_file_that_two_rows_claim_or_none_is_read_as_any_other(self) -> None:
        self.put("files/a.txt", b"abc")
        self.put("b.txt", b"beside it")
        self.put("contents.json", [self.row(), self.row(id="two")])
        self.assertEqual(self.items(), {("documents", "files/a.txt"): b"abc", ("documents", "b.txt"): b"beside it"})

    def test_in_a_folder_further_down_it_speaks_of_what_lies_there_alone(self) -> None:
        self.put("old/contents.json", [self.row(file="a.txt")])
        self.put("old/a.txt", b"abc")
        self.put("a.txt", b"another")
        self.assertEqual(self.items(), {("documents", "own"): b"abc", ("documents", "a.txt"): b"another"})

    def test_records_that_are_none_stay_the_file_that_they_are(self) -> None:
        self.put("contents.json", [self.row(kind="calls", id="c1", name="Ada", file="Call log.json")])
        for content in (b"{", {"id": "c1"}, [5]):
            self.put("Call log.json", content)
            self.assertEqual(list(self.items()), [("documents", "Call log.json")], content)
        self.put("Call log.json", [{"id": "c1", "name": "Ada", "number": "+00 1"}, {"number": "+00 2"}])
        items = self.items()
        self.assertEqual(json.loads(items["calls", "c1"]), {"number": "+00 1"})
        self.assertEqual(json.loads(items["calls", "Call log.json#2"]), {"number": "+00 2"})

    def test_a_mailbox_of_other_sizes_than_it_lists_is_read_as_any_mailbox(self) -> None:
        size = len(MAIL.split(b"\n", 1)[1])
        for listed, id in ((size, "own"), (size + 5, "<1>"), ("many", "<1>")):
            self.put("contents.json", [{"kind": "mail", "id": "own", "name": "Tide", "file": "Mail.mbox", "bytes": listed}])
            self.put("Mail.mbox", MAIL + b"\n")
            self.assertEqual(list(self.items()), [("mail", id)], listed)

    def test_attributes_are_of_their_sort_and_within_bounds(self) -> None:
        for attributes, sound in (
            ({"mode": 0o7777, "ns": 999, "link": "x"}, {"mode": 0o7777, "ns": 999, "link": "x"}),
            ({"mode": 0o10000, "ns": 1000, "link": "\ud800"}, {}),
            ({"mode": -1, "ns": -1}, {}),
            ({"mode": True, "ns": "1", "link": 5, "other": 1}, {}),
            ([], {}),
            (None, {}),
        ):
            self.assertEqual(attributes_of({"attributes": attributes}), sound)

    def test_a_moment_has_a_zone(self) -> None:
        self.assertEqual(_instant({"modified": "2026-03-02T10:00:00+01:00"}), datetime(2026, 3, 2, 9, tzinfo=UTC))
        for told in ("2026-03-02T10:00:00", "yesterday", 5, None):
            self.assertIsNone(_instant({"modified": told}))


class Odd(InAFolder):
    def test_what_nobody_has_listed_is_not_read(self) -> None:
        self.put("a.txt", b"abc")
        link = self.link()
        stranger = Item(kind="documents", id="b.txt", name="b.txt", size_bytes=1, modified=datetime(2026, 3, 2, tzinfo=UTC), tag="t")
        with self.assertRaisesRegex(DeviceLied, "no such item"):
            link.read(stranger)

    def test_what_is_damaged_inside_is_left_and_named_and_the_rest_comes_in(self) -> None:
        self.put("a.txt", b"abc")
        self.put("b.jpg", b"\xff\xd8no real picture")
        with mock.patch.object(gathered, "taken_at", side_effect=ValueError("odd")):
            link = self.link()
            self.assertEqual(self.items(link), {("documents", "a.txt"): b"abc"})
        self.assertEqual([(one.name, one.why) for one in link.left_aside()], [("b.jpg", "it is damaged inside the archive")])

    def test_an_event_that_does_not_end_is_named_and_its_file_stays_beside_the_others(self) -> None:
        event = b"BEGIN:VEVENT\r\nUID:e%d\r\nSUMMARY:Tide\r\nDTSTART:20250302T100000Z\r\n"
        self.put("all.ics", b"BEGIN:VCALENDAR\r\n" + event % 1 + b"END:VEVENT\r\n" + event % 2)
        link = self.link()
        self.assertEqual([id for _, id in self.items(link)], ["e1", "all.ics"])
        (aside,) = link.left_aside()
        self.assertEqual(aside.name, "event 2 of all.ics")
        self.assertIn("it does not end", aside.why)

    def test_a_mail_that_is_too_large_is_named_and_the_next_one_comes(self) -> None:
        self.put("old.mbox", MAIL + b"\n" + MAIL.replace(b"<1>", b"<2>").replace(b"low at six", b"high at noon, and " + b"x" * 200))
        with mock.patch.object(gathered, "MAX_MAIL_BYTES", 150):
            link = self.link()
            self.assertEqual([id for _, id in self.items(link)], ["<1>"])
        self.assertEqual([(one.name, one.why) for one in link.left_aside()], [("mail 2 of old.mbox", "it is larger than 256 MiB")])

    def test_an_event_that_cannot_be_read_keeps_its_file_beside_the_others(self) -> None:
        good = b"BEGIN:VEVENT\r\nUID:e\r\nSUMMARY:Tide\r\nDTSTART:20250302T100000Z\r\nEND:VEVENT\r\n"
        bad = b"BEGIN:VEVENT\r\nUID:f\r\nDTSTART:someday\r\nEND:VEVENT\r\n"
        whole = b"BEGIN:VCALENDAR\r\nVERSION:2.0\r\n" + good + bad + b"END:VCALENDAR\r\n"
        self.put("old.ics", whole)
        link = self.link()
        items = self.items(link)
        self.assertEqual(sorted(items), [("calendar", "e"), ("documents", "old.ics")])
        self.assertEqual(items["documents", "old.ics"], whole)
        self.assertEqual([one.name for one in link.left_aside()], ["event 2 of old.ics"])

    def test_the_time_of_a_mail_without_a_zone_is_the_offices(self) -> None:
        for told, moment in (
            ("Mon, 2 Mar 2026 10:00:00", datetime(2026, 3, 2, 9, tzinfo=UTC)),
            ("Mon, 2 Mar 2026 10:00:00 +0000", datetime(2026, 3, 2, 10, tzinfo=UTC)),
            ("yesterday", None),
            ("", None),
            (None, None),
            ("Mon, 99 Mar 2026 10:00:00 +0000", None),
        ):
            self.assertEqual(_mail_time(told, BERLIN), moment, told)

    def test_the_same_card_twice_comes_once_and_another_of_its_name_is_numbered(self) -> None:
        card = b"BEGIN:VCARD\r\nVERSION:4.0\r\nUID:1\r\nFN:Ada Holm\r\nEND:VCARD\r\n"
        self.put("a.vcf", card)
        self.put("b.vcf", card)
        self.put("c.vcf", card.replace(b"Holm", b"Quay"))
        self.assertEqual(sorted(id for _, id in self.items()), ["1", "1 (2)"])
        self.assertEqual(len(source_at(self.root, zone=BERLIN).entries), 3)
