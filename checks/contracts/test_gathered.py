"""Old backups as they lie around: what is in them comes in whole, and nothing in them can do harm."""

import bz2
import gzip
import io
import mailbox
import os
import shutil
import struct
import tarfile
import tempfile
import zipfile
import zlib
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase, mock
from zoneinfo import ZoneInfo

from PIL import Image

from adapters.links.exif import taken_at
from adapters.links.gathered import GatheredLink
from core.content.errors import DeviceAway, DeviceLied
from core.content.link import HoldsFiles, HoldsItems
from core.content.records import record
from core.vault.chunks import VaultLimits
from core.vault.tests.bench_of_one import Bench, contents

BERLIN = ZoneInfo("Europe/Berlin")
FILES = {"DCIM/a.jpg": b"\xff\xd8no real picture", "Notes/b.txt": b"two", "Voice/c.wav": b"RIFF", "empty.txt": b""}
CARDS = "BEGIN:VCARD\r\nVERSION:4.0\r\nUID:1\r\nFN:Ada Holm\r\nTEL:1\r\nEND:VCARD\r\nBEGIN:VCARD\r\nVERSION:4.0\r\nFN:Bram\r\nEND:VCARD\r\n"
EVENTS = (
    "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:e\r\nSUMMARY:Tide\r\nDTSTART:20250302T100000Z\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
)


class Gathered(TestCase):
    def setUp(self):
        self.folder = Path(tempfile.mkdtemp(prefix="attic-gathered-"))
        self.addCleanup(shutil.rmtree, self.folder)

    def link(self, path) -> GatheredLink:
        link = GatheredLink(path, zone=BERLIN)
        self.addCleanup(link.close)
        return link

    def told(self, link) -> dict[str, bytes]:
        return {item.id: b"".join(link.read(item)) for kind in link.kinds() for item in link.inventory(kind)}

    def zip(self, files, name="old.zip", method=zipfile.ZIP_DEFLATED) -> Path:
        path = self.folder / name
        with zipfile.ZipFile(path, "w", method) as archive:
            for name, content in files.items():
                archive.writestr(name, content)
        return path

    def tar(self, files, mode="w") -> Path:
        path = self.folder / "old.tar"
        with tarfile.open(path, mode) as archive:
            for name, content in files.items():
                info = tarfile.TarInfo(name)
                info.size, info.mtime = len(content), 1_700_000_000
                archive.addfile(info, io.BytesIO(content))
        return path


class WhatIsInside(Gathered):
    def test_folder_zip_and_every_tar_give_the_same(self):
        for name, content in FILES.items():
            (self.folder / "as it was" / name).parent.mkdir(parents=True, exist_ok=True)
            (self.folder / "as it was" / name).write_bytes(content)
        paths = [self.folder / "as it was", self.zip(FILES), *(self.tar(FILES, mode) for mode in ("w", "w:gz", "w:bz2", "w:xz"))]
        for path in paths:
            with self.subTest(path=path):
                self.assertEqual(self.told(self.link(path)), FILES)

    def test_cards_events_and_mails_become_items_and_a_backup_holds_them(self):
        box = mailbox.mbox(self.folder / "in.mbox")
        for number in range(3):
            box.add(
                f"From: a@b.example\nMessage-ID: <{number}@b>\nSubject: Tide {number}\nDate: Mon, 02 Mar 2020 10:00:00 +0100\n\nFrom here\n"
            )
        box.close()
        box = mailbox.mbox(self.folder / "in.mbox", create=False)
        mails = [box.get_bytes(key) for key in box.iterkeys()]
        box.close()
        files = {"who.vcf": CARDS.encode(), "when.ics": EVENTS.encode(), "in.mbox": (self.folder / "in.mbox").read_bytes()}
        link = self.link(self.zip(files))
        self.assertEqual(link.kinds(), ["contacts", "calendar", "mail"])
        self.assertEqual([item.name for item in link.inventory("contacts")], ["Ada Holm", "Bram"])
        self.assertEqual([b"".join(link.read(item)) for item in link.inventory("mail")], mails)
        self.assertEqual(link.inventory("mail")[0].modified, datetime(2020, 3, 2, 9, tzinfo=UTC))
        self.assertEqual(record(b"".join(link.read(link.inventory("calendar")[0])))["title"], "Tide")
        bench = Bench(limits=VaultLimits())
        captured = bench.capture(link)
        self.assertEqual({id: content for (_, id), content in contents(bench.again(), captured.manifest).items()}, self.told(link))

    def test_the_same_card_in_two_files_comes_once_and_two_of_one_name_come_both(self):
        link = self.link(self.zip({"a.vcf": CARDS.encode(), "b.vcf": CARDS.replace("TEL:1", "TEL:2").encode(), "c.vcf": CARDS.encode()}))
        names = [item.name for item in link.inventory("contacts")]
        self.assertEqual(names.count("Ada Holm"), 2)

    def test_a_single_file_is_a_source_too(self):
        path = self.folder / "who.vcf"
        path.write_text(CARDS, newline="")
        self.assertEqual(len(self.link(path).inventory("contacts")), 2)

    def test_nothing_can_be_written_back(self):
        self.assertNotIsInstance(self.link(self.zip(FILES)), HoldsItems | HoldsFiles)

    def test_nothing_there(self):
        with self.assertRaises(DeviceAway):
            self.link(self.folder / "gone").kinds()


class Harm(Gathered):
    def test_more_files_than_a_backup_holds_are_refused_with_what_to_do(self):
        path = self.zip({f"DCIM/{n}.jpg": b"x" for n in range(4)})
        with mock.patch("adapters.links.sources.MAX_ITEMS", 4):
            self.assertEqual(len(self.told(self.link(path))), 4)
        with mock.patch("adapters.links.sources.MAX_ITEMS", 3), self.assertRaises(DeviceLied) as caught:
            self.told(self.link(path))
        self.assertIn("several parts", caught.exception.remedy)

    def test_an_archive_that_is_cut_off_or_broken_is_refused_and_never_one_document(self):
        paths = [self.zip(FILES), *(self.tar(FILES, mode) for mode in ("w", "w:gz", "w:bz2", "w:xz"))]
        for path in paths:
            whole = path.read_bytes()
            for length in (4, len(whole) // 2, len(whole) - 30):
                with self.subTest(path=path.name, length=length):
                    path.write_bytes(whole[:length])
                    link = self.link(path)
                    try:
                        said = self.told(link)
                    except DeviceLied:
                        continue
                    # a plain tar that lost only its closing zeros still lists and gives everything
                    self.assertEqual(said, FILES)
        misnamed = self.folder / "old.zip"
        misnamed.write_bytes(b"")
        with self.assertRaises(DeviceLied):
            self.link(misnamed).kinds()

    def test_a_folder_that_may_not_be_read_is_named(self):
        (self.folder / "old" / "shut").mkdir(parents=True)
        (self.folder / "old" / "a.txt").write_text("x")
        real = os.scandir

        def refuse(path):
            if str(path).endswith("shut"):
                raise PermissionError(13, "Permission denied", str(path))
            return real(path)

        link = self.link(self.folder / "old")
        with mock.patch("os.scandir", refuse):
            self.assertEqual(self.told(link), {"a.txt": b"x"})
        self.assertEqual(list(self.why(link)), ["shut"])

    def why(self, link) -> dict[str, str]:
        return {one.name: one.why for one in link.left_aside()}

    def test_names_that_lead_outside_are_left_aside_and_named(self):
        bad = ["../up.txt", "/etc/passwd", "a/../../b", "C:\\x.txt", "..\\up.txt"]
        link = self.link(self.zip(dict.fromkeys(bad, b"x") | {"good.txt": b"good"}))
        self.assertEqual(self.told(link), {"good.txt": b"good"})
        self.assertEqual(len(self.why(link)), len(bad))

    def test_links_and_devices_in_a_tar_are_left_aside(self):
        path = self.folder / "old.tar"
        with tarfile.open(path, "w") as archive:
            for kind, name in ((tarfile.SYMTYPE, "s"), (tarfile.LNKTYPE, "h"), (tarfile.CHRTYPE, "c"), (tarfile.FIFOTYPE, "p")):
                info = tarfile.TarInfo(name)
                info.type, info.linkname = kind, "/etc/passwd"
                archive.addfile(info)
        link = self.link(path)
        self.assertEqual((self.told(link), set(self.why(link))), ({}, {"s", "h", "c", "p"}))

    def test_links_in_folders_and_zips_are_left_aside(self):
        folder = self.folder / "with links"
        folder.mkdir()
        os.symlink("/etc/passwd", folder / "p.txt")
        os.symlink("/etc", folder / "etc")
        self.assertEqual(self.told(self.link(folder)), {})
        path = self.folder / "links.zip"
        with zipfile.ZipFile(path, "w") as archive:
            info = zipfile.ZipInfo("s")
            info.external_attr = 0o120777 << 16
            archive.writestr(info, "/etc/passwd")
        self.assertEqual(self.told(self.link(path)), {})

    def test_what_explodes_is_left_aside(self):
        link = self.link(self.zip({"bomb.txt": bytes(80 << 20), "good.txt": b"good"}))
        self.assertEqual(self.told(link), {"good.txt": b"good"})
        self.assertIn("several hundred times", self.why(link)["bomb.txt"])

    def test_a_packed_tar_that_explodes_is_refused(self):
        for pack in (gzip.compress, bz2.compress):
            path = self.folder / "bomb.tar.gz"
            path.write_bytes(pack(b"x" * 512 + bytes(90 << 20)))
            with mock.patch("tarfile.is_tarfile", return_value=True), self.assertRaisesRegex(DeviceLied, "several hundred"):
                self.link(path).kinds()

    def test_sizes_that_lie_end_at_what_was_claimed(self):
        path = self.zip({"a.txt": b"x" * 1000, "b.txt": b"good"}, method=zipfile.ZIP_STORED)
        content = bytearray(path.read_bytes())
        for signature, offset in ((b"PK\x03\x04", 22), (b"PK\x01\x02", 24)):
            content[(at := content.find(signature)) + offset : at + offset + 4] = struct.pack("<I", 10)
        path.write_bytes(content)
        link = self.link(path)
        item = next(item for item in link.inventory("documents") if item.id == "a.txt")
        with self.assertRaises(DeviceLied):
            self.assertLessEqual(len(b"".join(link.read(item))), 11)
            raise DeviceLied("only a little more than claimed came")
        captured = Bench(limits=VaultLimits()).capture(link)
        self.assertEqual(captured.manifest.items, 1)

    def test_damage_is_named_and_the_rest_comes(self):
        path = self.zip({"a.txt": os.urandom(5000), "b.txt": b"good"})
        content = bytearray(path.read_bytes())
        content[200:260] = bytes(60)
        path.write_bytes(content)
        captured = Bench(limits=VaultLimits()).capture(self.link(path))
        self.assertEqual([one.name for one in captured.skipped], ["a.txt"])
        path.write_bytes(content[:3000])
        with self.assertRaises(DeviceLied):
            self.link(path).kinds()

    def test_a_huge_card_is_named_and_the_others_come(self):
        huge = "BEGIN:VCARD\r\nVERSION:4.0\r\nFN:Huge\r\n" + ("NOTE:" + "x" * 9_000 + "\r\n") * 6000 + "END:VCARD\r\n"
        self.assertGreater(len(huge), 50_000_000)
        link = self.link(self.zip({"who.vcf": (huge + CARDS).encode()}, method=zipfile.ZIP_STORED))
        self.assertEqual([item.name for item in link.inventory("contacts")], ["Ada Holm", "Bram"])
        self.assertEqual(self.why(link), {"card 1 of who.vcf": "it is larger than 8 MiB; the file is kept whole among documents"})

    def test_encrypted_entries_are_named(self):
        path = self.zip({"a.txt": b"x"})
        content = bytearray(path.read_bytes())
        for signature, offset in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
            content[content.find(signature) + offset] |= 1
        path.write_bytes(content)
        self.assertEqual(self.why(self.link(path)), {"a.txt": "it is encrypted"})

    def test_two_entries_of_one_name_come_both(self):
        path = self.folder / "twice.zip"
        with zipfile.ZipFile(path, "w") as archive, self.assertWarns(UserWarning):
            archive.writestr("a.txt", b"one")
            archive.writestr("a.txt", b"two")
        self.assertEqual(sorted(self.told(self.link(path)).values()), [b"one", b"two"])


class TakenAt(TestCase):
    """Dates in pictures, against files that Pillow wrote and one put together by hand after EXIF 2.32 §4.5 and §4.6."""

    def picture(self, tags, inner=None, kind="JPEG") -> bytes:
        exif = Image.Exif()
        for tag, value in tags.items():
            exif[tag] = value
        if inner:
            exif.get_ifd(0x8769).update(inner)
        out = io.BytesIO()
        Image.new("RGB", (8, 8)).save(out, kind, exif=exif)
        return out.getvalue()

    def test_original_wins_over_changed_and_an_offset_over_the_zone(self):
        head = self.picture({0x0132: "2026:03:02 10:00:00"}, {0x9003: "2025:07:01 12:00:00", 0x9011: "+05:30"})
        self.assertEqual(taken_at(head, zone=BERLIN), datetime(2025, 7, 1, 6, 30, tzinfo=UTC))
        head = self.picture({0x010F: "x"}, {0x9003: "2025:07:01 12:00:00"}, "PNG")
        self.assertEqual(taken_at(head, zone=BERLIN), datetime(2025, 7, 1, 10, tzinfo=UTC))
        head = self.picture({0x0132: "2026:01:02 10:00:00"}, kind="WEBP")
        self.assertEqual(taken_at(head, zone=BERLIN), datetime(2026, 1, 2, 9, tzinfo=UTC))

    def test_big_endian_by_hand(self):
        text = b"2024:02:29 23:59:59\x00"
        tiff = b"MM\x00*\x00\x00\x00\x08" + b"\x00\x01" + struct.pack(">HHII", 0x0132, 2, 20, 26) + b"\x00\x00\x00\x00" + text
        body = b"Exif\x00\x00" + tiff
        plain = io.BytesIO()
        Image.new("L", (8, 8)).save(plain, "JPEG")
        head = b"\xff\xd8\xff\xe1" + struct.pack(">H", len(body) + 2) + body + plain.getvalue()[2:]
        self.assertEqual(taken_at(head, zone=UTC), datetime(2024, 2, 29, 23, 59, 59, tzinfo=UTC))

    def test_what_is_broken_has_no_date_and_costs_nothing(self):
        good = self.picture({0x0132: "0000:00:00 00:00:00"})
        bomb = b"\x89PNG\r\n\x1a\n" + _chunk(b"IHDR", struct.pack(">IIBBBBB", 2**31 - 1, 2**31 - 1, 8, 2, 0, 0, 0)) + _chunk(b"IDAT", b"")
        for head in (
            b"",
            b"\xff\xd8",
            good,
            good[:40],
            bomb,
            os.urandom(5000),
            b"\xff\xd8\xff\xe1\xff\xffExif\x00\x00II*\x00\xff\xff\xff\xff",
        ):
            self.assertIsNone(taken_at(head, zone=UTC))


def _chunk(name: bytes, content: bytes) -> bytes:
    return struct.pack(">I", len(content)) + name + content + struct.pack(">I", zlib.crc32(name + content))
