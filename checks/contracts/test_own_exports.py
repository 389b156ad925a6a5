"""Our own exports, brought in again: every kind comes back as it was, however the export was laid out."""

import json
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

from adapters.destinations.lying import FolderOnServer
from checks.contracts.test_gathered import Gathered
from core.content.digests import digest
from core.content.items import Item
from core.content.kinds import KIND_CODES
from core.content.paths import item_id, link_attribute, name_attribute, shown_path
from core.exchange.archive import Archive
from core.exchange.bag import Bag
from core.exchange.containers import Container
from core.exchange.zipped import Zipped

THEN = datetime(2026, 1, 2, 3, 4, 5, tzinfo=UTC)
HELD: dict[tuple[str, str], bytes] = {
    ("messages", "t1"): b'{"with": ["Bo"], "messages": [{"at": "2026-01-01T10:00:00+00:00", "from": "Bo", "text": "=tide", "odd": {"x": 1}}]}',
    ("notes", "n1"): b'{"text": "chalk", "name": "own name"}', ("notes", "n2"): b'{"text": "rope"}', ("calls", "k1"): b'{"number": "+117"}',
    ("alarms", "a1"): b'{"at": "07:00", "days": [1, 2]}', ("settings", "s1"): b'{"value": "\\u00e4"}', ("home_screen", "p1"): b'{"apps": []}',
    ("wireless", "w1"): b'{"key": "secret"}', ("logins", "l1"): b'{"password": "x"}', ("health", "h1"): b'{"steps": 5}',
    ("photos", "p1"): b"\xff\xd8sea", ("videos", "v1"): b"film", ("music", "m1"): b"song", ("recordings", "r1"): b"voice",
    ("attachments", "a1"): b"\xff\xd8not a photo", ("app_data", "x.sqlite"): b"SQLite", ("apps", "a.pkg"): b"PK", ("card", "c"): b"c",
    ("documents", "50 % off: a|b?.txt"): b"its name changes", ("documents", "cards/old.vcf"): b"BEGIN:VCARD\nno card",
    ("mail", "e1"): b"From: a@b\r\nSubject: x\r\n\r\nFrom here\r\n", ("mail", "e2"): b"Subject: y\n\n>From there", ("mail", "e3"): b"no mail",
}  # fmt: skip
FILES_OF_A_FOLDER = {
    "Documents/a/deep.txt": (b"deep", {"mode": 0o640, "ns": 7}),
    "bad \udcff.bin": (b"bytes", {"mode": 0o600} | name_attribute("bad \udcff.bin")),
    "to": (b"", {"mode": 0o777} | link_attribute("Documents/a")),
}


def own_items() -> list[tuple[Item, bytes]]:
    plain = [
        (Item(kind=kind, id=id, name=f"the {id}", size_bytes=len(content), modified=THEN, tag="t"), content)
        for (kind, id), content in HELD.items()
    ]
    files = [
        (
            Item(
                kind="documents", id=item_id(path), name=shown_path(path), size_bytes=len(content), modified=THEN, tag="t",
                attributes=attributes,
            ),
            content,
        )
        for path, (content, attributes) in FILES_OF_A_FOLDER.items()
    ]  # fmt: skip
    return plain + files


class OurOwnExport(Gathered):
    """What went out as open formats comes in again as the kinds that it was."""

    def fill(self, into: Container, items: list[tuple[Item, bytes]]) -> None:
        archive = Archive(into, now=datetime(2026, 3, 2, tzinfo=UTC))
        for kind in KIND_CODES:
            of = [(item, partial(iter, (content,))) for item, content in items if item.kind == kind]
            if of:
                archive.add_kind(kind, partial(list, of))
        self.assertEqual(sum(archive.close().written.values()), len(items))

    def exported(self, how: str, items: list[tuple[Item, bytes]]) -> Path:
        path = self.folder / how
        if how.endswith("folder"):
            into, _ = FolderOnServer(path).begin()
            self.fill(Bag(into, within="", now=THEN) if how.startswith("bag") else into, items)
            return path
        with path.open("wb") as file:
            into = Zipped(file)
            self.fill(Bag(into, within="Orlo H1", now=THEN) if how.startswith("bag") else into, items)
        return path

    def test_it_is_understood_again_kind_by_kind_however_it_was_laid_out(self):
        items = own_items()
        for how in ("zip", "bag zip", "folder", "bag folder"):
            with self.subTest(how=how):
                link = self.link(self.exported(how, items))
                by_key = {(kind, item.id): (item, b"".join(link.read(item))) for kind in link.kinds() for item in link.inventory(kind)}
                self.assertEqual(set(by_key), {(item.kind, item.id) for item, _ in items})
                for item, content in items:
                    again, read = by_key[item.kind, item.id]
                    self.assertEqual(digest(item.kind, read), digest(item.kind, content), item.id)
                    self.assertEqual((again.name, again.modified, again.attributes), (item.name, item.modified, item.attributes))
                self.assertEqual({one.why for one in link.left_aside()}, {"the JSON file beside it says the same"})

    def test_contacts_and_events_come_back_with_every_field_that_a_device_tells(self):
        contact = {
            "display": "Ada Holm", "name": {"given": "Ada", "family": "Holm", "additional": "M.", "prefix": "Dr", "suffix": "jr"},
            "organisation": "Saltmarsh; & Pike, Ltd", "phones": [{"label": "cell", "number": "117"}, {"label": "work", "number": "118"}],
            "emails": [{"label": "home", "address": "a@office.example"}], "birthday": "1980-04-01", "note": "a\nb; c, d \\\\",
            "address": {"street": "1 Sluice Lane", "town": "Saltmarsh", "region": "Coast", "postcode": "04711", "country": "X"},
            "other": ["X-ODD;P=1:y", "TITLE:Surveyor"],
        }  # fmt: skip
        event = {
            "title": "ebb; tide, low", "start": "2026-03-02T10:00", "end": "2026-03-02T11:30", "zone": "Europe/Berlin", "place": "quay", "note": "n",
            "repeat": "FREQ=WEEKLY;COUNT=5", "attendees": ["b@office.example"], "other": ["X-ODD:y", "BEGIN:VALARM", "ACTION:AUDIO", "TRIGGER:-PT5M", "END:VALARM"],
        }  # fmt: skip
        contents = {"contacts": contact, "calendar": event}
        items = [
            (Item(kind=kind, id="i1", name="n", size_bytes=1, modified=THEN, tag="t"), json.dumps(fields).encode())
            for kind, fields in contents.items()
        ]
        link = self.link(self.exported("zip", items))
        for kind, fields in contents.items():
            (item,) = link.inventory(kind)
            read = json.loads(b"".join(link.read(item)))
            for field, value in fields.items():
                if field == "other":
                    self.assertLessEqual({line for line in value if line.startswith("X-")}, set(read["other"]))
                else:
                    self.assertEqual(read[field], value, (kind, field))

    def test_a_listing_that_lies_about_modes_and_links_is_not_believed(self):
        path = self.exported("folder", own_items())
        listing = json.loads((path / "contents.json").read_text())
        for row in listing:
            if row.get("attributes"):
                row["attributes"] |= {"mode": 1 << 70, "ns": -5, "name_bytes": "zz", "setuid": 1}
                row["attributes"].pop("link", None)
                row["attributes"] |= {"link": "\ud800"} if row["id"] == "to" else {}
        (path / "contents.json").write_text(json.dumps(listing))
        link = self.link(path)
        entries = [item.attributes or {} for item in link.inventory("documents")]
        self.assertEqual({name for one in entries for name in one}, {"name_bytes"})

    def test_a_mailbox_that_somebody_changed_is_read_as_any_other(self):
        path = self.exported("folder", [one for one in own_items() if one[0].kind == "mail"])
        with (path / "Mail.mbox").open("ab") as file:
            file.write(b"From x Mon Mar  2 08:00:00 2026\nSubject: added\n\nby hand\n\n")
        link = self.link(path)
        names = [item.name for item in link.inventory("mail")]
        self.assertEqual(sorted(names), ["Mail/added.eml", "Mail/x.eml", "Mail/y.eml", "the e3"])

    def test_a_listing_that_is_none_of_ours_changes_nothing(self):
        for listing in (b"[]", b"{}", b"not json", b'[{"kind": "smoke", "name": "x", "file": "a.txt"}]', b'[{"kind": 5}]'):
            link = self.link(self.zip({"contents.json": listing, "a.txt": b"x"}))
            self.assertIn("a.txt", self.told(link))
