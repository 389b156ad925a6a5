"""Where exports go, and how they are fetched: ZIP, bag, mailbox, stretches."""

import hashlib
import io
import mailbox
import random
import tempfile
import zipfile
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase

from core.content.items import Item
from core.errors import BadInput
from core.exchange import mbox
from core.exchange.archive import Archive
from core.exchange.bag import Bag
from core.exchange.containers import NotHeld
from core.exchange.locked import check_passphrase
from core.exchange.ranges import NoSuchStretch, Stretch, stretch
from core.exchange.zipped import WHOLE_BYTES, Zipped
from core.vault.errors import Damaged

NOW = datetime(2026, 3, 2, 8, tzinfo=UTC)


def item(kind: str, id: str, **attributes: int | str) -> Item:
    return Item(kind=kind, id=id, name=id, size_bytes=0, modified=NOW, tag="t", attributes=attributes or None)


class Kept:
    """A container that only remembers."""

    avoids = "%"

    def __init__(self, *, refuses: frozenset[str] = frozenset()) -> None:
        self.files: dict[str, bytes] = {}
        self.folders: list[str] = []
        self.closed, self._refuses = 0, refuses

    def file(self, path, item, pieces, *, packs=False):
        content = b"".join(pieces)
        if path in self._refuses:
            raise NotHeld("It cannot be held.")
        self.files[path] = content

    def link(self, path, item):
        self.files[path] = b"-> "

    def folder(self, path, item):
        self.folders.append(path)

    def close(self):
        self.closed += 1


class ALargeFileInAZip(TestCase):
    def test_one_that_breaks_is_cut_back_to_where_it_began(self):
        half = random.Random(1).randbytes(WHOLE_BYTES + 100_000)

        def breaking():
            yield half
            raise Damaged("gone")

        out = io.BytesIO()
        box = Zipped(out)
        box.file("a", item("photos", "a"), [half])
        with self.assertRaises(Damaged):
            box.file("b", item("photos", "b"), breaking())
        box.file("c", item("photos", "c"), [b"c"])
        box.close()
        self.assertLess(len(out.getvalue()), len(half) + 10_000)
        with zipfile.ZipFile(out) as archive:
            self.assertEqual((archive.testzip(), archive.namelist()), (None, ["a", "c"]))
            self.assertEqual(archive.read("a"), half)

    def test_what_is_packed_already_lies_as_it_is_and_tables_are_deflated(self):
        out = io.BytesIO()
        box = Zipped(out)
        box.file("a", item("photos", "a"), [bytes(1000)])
        box.file("b", item("photos", "b"), [bytes(1000)], packs=True)
        box.close()
        with zipfile.ZipFile(out) as archive:
            self.assertEqual([info.compress_type for info in archive.infolist()], [zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED])


class ABag(TestCase):
    """RFC 8493. That `bagit` accepts whole ones is proven elsewhere; here is what a validator does not ask for."""

    def bag(self, *paths: str) -> Kept:
        kept = Kept()
        bag = Bag(kept, within="moment", now=NOW, about=[("External-Description", "of the " + "harbour " * 20)])
        for path in paths:
            bag.file(path, item("documents", path), [path.encode("utf-8", "surrogateescape")])
        bag.close()
        return kept

    def test_its_declaration_is_that_of_the_rfc_and_everything_lies_below_its_name(self):
        kept = self.bag("a.txt")
        # RFC 8493 §2.1.1
        self.assertEqual(kept.files["moment/bagit.txt"], b"BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n")
        self.assertEqual({path.split("/")[0] for path in kept.files}, {"moment"})
        digest = hashlib.sha256(b"a.txt").hexdigest()
        self.assertEqual(kept.files["moment/manifest-sha256.txt"].decode(), f"{digest}  data/a.txt\n")
        self.assertIn(b"Payload-Oxum: 5.1\n", kept.files["moment/bag-info.txt"])
        self.assertIn(b"Bagging-Date: 2026-03-02\n", kept.files["moment/bag-info.txt"])
        self.assertEqual(kept.closed, 1)

    def test_only_line_ends_and_the_percent_sign_are_encoded(self):
        kept = self.bag("50 % off\r\nnow", "ä b")
        lines = kept.files["moment/manifest-sha256.txt"].decode().splitlines()
        self.assertEqual([line.split("  ", 1)[1] for line in lines], ["data/50 %25 off%0D%0Anow", "data/ä b"])

    def test_long_values_go_on_behind_a_blank(self):
        rows = self.bag().files["moment/bag-info.txt"].decode().split("Bagging-Date")[0].splitlines()
        self.assertGreater(len(rows), 2)
        self.assertTrue(all(row.startswith(" ") for row in rows[1:]))
        self.assertTrue(all(len(row) <= 79 for row in rows))

    def test_the_tag_files_are_in_a_manifest_of_their_own(self):
        kept = self.bag("a")
        for line in kept.files["moment/tagmanifest-sha256.txt"].decode().splitlines():
            checksum, name = line.split("  ")
            self.assertEqual(hashlib.sha256(kept.files[f"moment/{name}"]).hexdigest(), checksum)


MIME = b"Content-Type: text/plain\n\nonly that\n"
MAILS = (
    b"From: a@office.example\r\nSubject: tide\r\n\r\nFrom here on it rises.\r\n>From the quay, too.\r\n",
    b"Subject: one\n\nFrom \n>>From \nno line end",
    b"Received: by quay\nX: y\n\n\nFrom x\n\n",
)


class AMailbox(TestCase):
    def whole(self) -> bytes:
        return b"".join(mbox.entry(mail, at=NOW) for mail in MAILS)

    def test_it_is_read_by_the_standard_library(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "Mail.mbox"
            path.write_bytes(self.whole())
            box = mailbox.mbox(path, create=False)
            self.assertEqual([message["Subject"] for message in box], ["tide", "one", None])
            self.assertEqual(box[0].get_from(), "old-attic@localhost Mon Mar  2 08:00:00 2026")
            box.close()

    def test_every_message_comes_back_byte_for_byte_however_it_is_cut(self):
        expected = [mail if mail.endswith(b"\n") else mail + b"\n" for mail in MAILS]
        whole = self.whole()
        for size in (1, 7, len(whole)):
            pieces = [whole[at : at + size] for at in range(0, len(whole), size)]
            self.assertEqual(list(mbox.messages(pieces)), expected)

    def test_what_is_no_mail_is_told_from_mail(self):
        for content in (*MAILS, MIME):
            self.assertTrue(mbox.is_message(content))
        for content in (
            b"",
            b"\x89PNG\r\n",
            b"import os\nfrom x import y\n",
            b"key: value\n\nFrom: no header of a mail",
            b" folded: first\n",
        ):
            self.assertFalse(mbox.is_message(content), content)


class AnArchive(TestCase):
    def archive(self, kept: Kept, **kinds: dict[str, bytes]) -> Kept:
        archive = Archive(kept, now=NOW)
        for code, contents in kinds.items():
            archive.add_kind(code, lambda code=code, contents=contents: self.items(code, contents))
        self.report = archive.close()
        return kept

    def items(self, code, contents):
        for id, content in contents.items():
            yield item(code, id), lambda content=content: iter([content])

    def test_mails_go_into_one_mailbox_and_what_is_none_stays_a_file(self):
        kept = self.archive(Kept(), mail={"a.eml": MAILS[0], "b.eml": MAILS[1], "x.png": b"\x89PNG"})
        self.assertEqual(next(mbox.messages([kept.files["Mail.mbox"]])), MAILS[0])
        self.assertEqual(kept.files["Mail/x.png"], b"\x89PNG")
        self.assertEqual((self.report.written, len(kept.files)), ({"mail": 3}, 3))

    def test_records_and_mails_that_the_store_cannot_give_back_are_named_once(self):
        def broken():
            raise Damaged("gone")
            yield b""

        kept, archive = Kept(), None
        archive = Archive(kept, now=NOW)
        for code in ("contacts", "messages", "calls", "calendar", "mail"):
            archive.add_kind(code, lambda code=code: [(item(code, "a"), broken), *self.items(code, {"b": b'{"start": "2026-03-02"}'})])
        report = archive.close()
        self.assertEqual(report.damaged, [(code, "a") for code in ("contacts", "messages", "calls", "calendar", "mail")])
        self.assertEqual(sum(report.written.values()), 5)

    def test_no_file_is_made_of_nothing(self):
        kept = self.archive(Kept(), mail={}, contacts={"bad": b"\xff"}, messages={}, calls={}, calendar={})
        self.assertEqual(sorted(kept.files), ["contents.json", "unreadable/Contacts/bad"])

    def test_what_a_container_cannot_hold_is_named(self):
        self.archive(Kept(refuses=frozenset({"Photos/a"})), photos={"a": b"1", "b": b"2"})
        self.assertEqual((self.report.refused, self.report.written), ([("photos", "a", "It cannot be held.")], {"photos": 1}))

    def test_a_folder_whose_files_lie_with_another_kind_is_not_empty(self):
        archive = Archive(kept := Kept(), now=NOW)
        archive.add_kind("mail", lambda: [(item("mail", "Mail/a.eml", mode=0o600), lambda: iter([MAILS[0]]))])
        archive.add_folders([item("folders", name, mode=0o755) for name in ("Mail", "nothing")])
        archive.close()
        self.assertEqual((kept.folders, "Mail/Mail/a.eml" in kept.files), (["Documents/nothing"], True))

    def test_letters_that_a_container_avoids_are_changed_and_named(self):
        kept = self.archive(Kept(), photos={"50 % off.jpg": b"1"})
        self.assertEqual(
            (next(iter(kept.files)), self.report.renamed), ("Photos/50 _ off.jpg", [("photos", "50 % off.jpg", "Photos/50 _ off.jpg")])
        )

    def test_an_event_that_is_not_understood_lies_beside_the_calendar(self):
        good = b'{"title": "ebb", "start": "2026-03-02T10:00", "zone": "Europe/Berlin"}'
        kept = self.archive(Kept(), calendar={"e1": good, "e2": b'{"title": "x", "start": "2026-03-02T10:00", "zone": "Mare/Tranquil"}'})
        self.assertIn(b"TZID=Europe/Berlin", kept.files["Calendar.ics"])
        self.assertEqual(kept.files["Calendar.ics"].count(b"BEGIN:VTIMEZONE"), 1)
        self.assertIn(b"Mare/Tranquil", kept.files["Calendar, not understood.json"])


class Stretches(TestCase):
    """The examples of RFC 9110 §14.1.2, of a file of 10,000 bytes."""

    def test_the_examples_of_the_rfc(self):
        for asked, start, stop in (
            ("bytes=0-499", 0, 500), ("bytes=500-999", 500, 1000), ("bytes=-500", 9500, 10_000), ("bytes=9500-", 9500, 10_000),
            ("bytes=0-0", 0, 1), ("bytes= 0-999", 0, 1000), ("BYTES=9999-20000", 9999, 10_000), ("bytes=-20000", 0, 10_000),
        ):  # fmt: skip
            self.assertEqual(stretch(asked, size_bytes=10_000), Stretch(start=start, stop=stop), asked)

    def test_what_cannot_be_understood_is_answered_with_the_whole(self):
        for asked in ("", "bytes=", "bytes=-", "bytes=5-2", "bytes=0-1,5-6", "items=0-5", "bytes=a-b", "bytes=0-" + "9" * 40, "0-5"):
            self.assertIsNone(stretch(asked, size_bytes=10_000), asked)

    def test_behind_the_end_nothing_is(self):
        for asked in ("bytes=10000-", "bytes=10000-10001", "bytes=-0"):
            with self.assertRaises(NoSuchStretch):
                stretch(asked, size_bytes=10_000)

    def test_of_another_file_the_whole(self):
        self.assertIsNone(stretch("bytes=5-", size_bytes=10, if_range='"b"', tag='"a"'))
        self.assertEqual(stretch("bytes=5-", size_bytes=10, if_range='"a"', tag='"a"'), Stretch(start=5, stop=10))


class Passphrases(TestCase):
    def test_what_can_be_guessed_is_refused(self):
        for one, again, field in (("short", "short", "passphrase"), ("a" * 20, "a" * 20, "passphrase"), ("x" * 201, "", "passphrase")):
            with self.assertRaises(BadInput) as caught:
                check_passphrase(one, again)
            self.assertEqual(caught.exception.field, field)
        with self.assertRaises(BadInput) as caught:
            check_passphrase("marram samphire groyne", "marram samphire groyn")
        self.assertEqual(caught.exception.field, "passphrase_again")
        check_passphrase("marram samphire groyne", "marram samphire groyne")
