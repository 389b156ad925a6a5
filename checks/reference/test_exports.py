"""Exports judged by programs that we did not write: Info-ZIP's unzip, 7-Zip, bagit's validator, zipfile, mailbox, vobject, icalendar.

The content is not ours either: files of installed packages under their own names, samples inside `icalendar`, and names that
were thought of to hurt. `unzip` and `7zz` come from Debian's packages.
"""

import hashlib
import io
import json
import mailbox
import os
import subprocess
import sysconfig
import tempfile
import zipfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from unittest import TestCase
from zoneinfo import ZoneInfo

import bagit
import dateutil.tz
import icalendar
import vobject

from adapters.destinations.lying import FolderOnServer
from core.content.items import Item
from core.content.paths import item_id, name_attribute, shown_path
from core.exchange.archive import Archive
from core.exchange.bag import Bag
from core.exchange.containers import Container
from core.exchange.locked import lock
from core.exchange.zipped import WHOLE_BYTES, Zipped

NOW = datetime(2026, 3, 2, 8, tzinfo=UTC)
SITE = Path(sysconfig.get_path("purelib"))
PACKAGES = ("icalendar", "vobject", "pip/_vendor/rich", "PIL")
PASSPHRASE = "marram samphire groyne 8 ñandú"
HOSTILE = (
    "../../up.txt", "/etc/shadow", "con", "NUL.txt", "a\nb.txt", "50 % off.txt", "%0A.txt", "ü" * 130 + ".txt", "same.txt", "SAME.txt", "tab\there",
    "trailing. ", "-rf", "=cmd.txt", "\u202egnp.exe", "d/e/f/g.txt", "b\udcff\udcfe.bin", "  two  blanks.txt", "a:b|c?.txt", "\\\\host\\x",
)  # fmt: skip


def foreign() -> Iterator[tuple[str, bytes]]:
    """(path, content) of installed packages, and hostile names."""
    for package in PACKAGES:
        for path in sorted((SITE / package).rglob("*")):
            if path.is_file() and "__pycache__" not in path.parts:
                yield path.relative_to(SITE).as_posix(), path.read_bytes()
    for number, name in enumerate(HOSTILE):
        yield name, f"content {number}".encode()
    yield "large.bin", os.urandom(WHOLE_BYTES + 77)
    yield "empty.txt", b""


class Exported(TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory(prefix="attic-out-")))
        self.files = list(foreign())

    def fill(self, into: Container) -> Archive:
        archive = Archive(into, now=NOW)
        archive.add_kind("documents", self.documents)
        self.report = archive.close()
        return archive

    def documents(self):
        for path, content in self.files:
            fields = {"mode": 0o644} | name_attribute(path)
            item = Item(
                kind="documents", id=item_id(path), name=shown_path(path), size_bytes=len(content), modified=datetime(2021, 7, 4, 12, 30, tzinfo=UTC), tag="t",
                attributes=fields,
            )  # fmt: skip
            yield item, lambda content=content: iter([content[at : at + 100_000] for at in range(0, len(content), 100_000)])

    def zip(self) -> Path:
        path = self.folder / "out.zip"
        with path.open("wb") as file:
            self.fill(Zipped(file))
        return path

    def run_(self, *command: object, **more: object) -> subprocess.CompletedProcess[bytes]:
        return subprocess.run(
            [str(part) for part in command], capture_output=True, check=False, env={**os.environ, "LC_ALL": "C.UTF-8"}, **more
        )

    def sums(self, contents: Iterator[bytes] | list[bytes]) -> list[str]:
        return sorted(hashlib.sha256(content).hexdigest() for content in contents)

    def assert_everything(self, root: Path) -> None:
        """Below `root` lies the content of every file, and the listing leads to each."""
        listed = json.loads((root / "contents.json").read_text())
        self.assertEqual(len(listed), len(self.files))
        self.assertEqual(len({row["file"].casefold() for row in listed}), len(listed))
        for row in listed:
            self.assertTrue((root / row["file"]).resolve().is_relative_to(root.resolve()), row)
        self.assertEqual(
            self.sums([(root / row["file"]).read_bytes() for row in listed]), self.sums([content for _, content in self.files])
        )


class AZip(Exported):
    def test_unzip_tests_and_unpacks_it_and_finds_the_names_that_zipfile_finds(self):
        path = self.zip()
        tested = self.run_("unzip", "-t", path)
        self.assertEqual(tested.returncode, 0, tested.stdout[-500:])
        self.assertIn(b"No errors detected", tested.stdout)
        self.assertEqual(self.run_("unzip", "-q", path, "-d", self.folder / "x").returncode, 0)
        self.assert_everything(self.folder / "x")
        listed = self.run_("unzip", "-Z1", path).stdout.decode().splitlines()
        with zipfile.ZipFile(path) as archive:
            self.assertEqual(archive.namelist(), listed)
        readme = next((self.folder / "x").rglob("METADATA"), None) or next((self.folder / "x" / "Documents" / "PIL").glob("*.py"))
        self.assertEqual(readme.stat().st_mtime, datetime(2021, 7, 4, 12, 30, tzinfo=UTC).timestamp())

    def test_changed_names_are_mapped_and_what_could_stay_stayed(self):
        with zipfile.ZipFile(self.zip()) as archive:
            listed = {row["name"]: row["file"] for row in json.loads(archive.read("contents.json"))}
        for name in ("PIL/Image.py", "50 % off.txt", "d/e/f/g.txt", "=cmd.txt", "-rf", "empty.txt"):
            self.assertEqual(listed[name], f"Documents/{name}")
        renamed = {own for _, own, _ in self.report.renamed}
        self.assertLessEqual({"../../up.txt", "/etc/shadow", "con", "NUL.txt", "SAME.txt", "a:b|c?.txt"}, renamed)

    def test_one_under_a_passphrase_is_opened_by_7zip_with_it_alone(self):
        inner = self.zip()
        outer = self.folder / "locked.zip"
        with outer.open("wb") as file:
            lock(file, "out.zip", iter([inner.read_bytes()]), passphrase=PASSPHRASE, at=NOW)
        listed = self.run_("7zz", "l", "-slt", outer).stdout.decode()
        self.assertIn("Method = AES-256", listed)
        self.assertNotIn("PIL", listed)
        self.assertNotIn(b"PIL/", outer.read_bytes())
        wrong = self.run_("7zz", "t", "-pmarram samphire groyne 8 nandu", outer)
        self.assertNotEqual(wrong.returncode, 0)
        self.assertIn(b"Wrong password", wrong.stdout + wrong.stderr)
        self.assertEqual(self.run_("7zz", "x", f"-p{PASSPHRASE}", f"-o{self.folder / 'y'}", outer).returncode, 0)
        self.assertEqual((self.folder / "y" / "out.zip").read_bytes(), inner.read_bytes())

    def test_a_locked_one_that_was_changed_is_noticed(self):
        outer = self.folder / "locked.zip"
        with outer.open("wb") as file:
            lock(file, "out.zip", iter([bytes(10_000)]), passphrase=PASSPHRASE, at=NOW)
        whole = bytearray(outer.read_bytes())
        whole[5000] ^= 1
        outer.write_bytes(whole)
        self.assertNotEqual(self.run_("7zz", "t", f"-p{PASSPHRASE}", outer).returncode, 0)


class ABag(Exported):
    def test_a_bag_in_a_zip_is_valid_once_it_is_unpacked(self):
        path = self.folder / "bag.zip"
        with path.open("wb") as file:
            self.fill(Bag(Zipped(file), within="Orlo H1", now=NOW))
        self.assertEqual(self.run_("unzip", "-q", path, "-d", self.folder / "x").returncode, 0)
        bagit.Bag(str(self.folder / "x" / "Orlo H1")).validate()
        self.assert_everything(self.folder / "x" / "Orlo H1" / "data")

    def test_a_bag_in_a_folder_is_valid_and_every_change_is_noticed(self):
        into, _ = FolderOnServer(self.folder / "bag").begin()
        self.fill(Bag(into, within="", now=NOW))
        bag = bagit.Bag(str(self.folder / "bag"))
        bag.validate()
        self.assert_everything(self.folder / "bag" / "data")
        some = self.folder / "bag" / "data" / "Documents" / "PIL" / "Image.py"
        before = some.read_bytes()
        for change in (lambda: some.write_bytes(before[:-1]), lambda: some.write_bytes(b"!" + before[1:]), some.unlink):
            change()
            with self.assertRaises(bagit.BagValidationError):
                bag.validate()
            some.write_bytes(before)
        (self.folder / "bag" / "data" / "added").write_bytes(b"")
        with self.assertRaises(bagit.BagValidationError):
            bag.validate()


class Records(TestCase):
    """Every sample inside `icalendar`, and cards after the RFCs, through a whole archive."""

    def archive(self, kind: str, records: dict[str, bytes]) -> zipfile.ZipFile:
        out = io.BytesIO()
        archive = Archive(Zipped(out), now=NOW)

        def opening():
            for id, content in records.items():
                yield (
                    Item(kind=kind, id=id, name=id, size_bytes=len(content), modified=NOW, tag="t"),
                    lambda content=content: iter([content]),
                )

        archive.add_kind(kind, opening)
        archive.close()
        return zipfile.ZipFile(out)

    def test_mails_are_read_by_mailbox_with_every_letter(self):
        source = SITE / "icalendar"
        bodies = [path.read_bytes() for path in sorted(source.rglob("*.ics"))][:60]
        mails = {f"{n}": b"Subject: sample %d\r\nFrom: quay\r\n\r\nFrom the sample:\r\n" % n + body for n, body in enumerate(bodies)}
        self.assertGreater(len(mails), 20)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "Mail.mbox"
            path.write_bytes(self.archive("mail", mails).read("Mail.mbox"))
            box = mailbox.mbox(path, create=False)
            read = [box.get_bytes(key) for key in box.iterkeys()]
            box.close()
        self.assertEqual(len(read), len(mails))
        for got, sent in zip(read, mails.values(), strict=True):
            unquoted = b"\n".join(
                line[1:] if line.lstrip(b">").startswith(b"From ") and line[:1] == b">" else line for line in got.split(b"\n")
            )
            self.assertEqual(unquoted.rstrip(b"\n"), sent.rstrip(b"\n"))

    def test_a_hundred_events_of_many_zones_are_one_calendar_that_others_read(self):
        zones = ["Europe/Berlin", "America/St_Johns", "Pacific/Chatham", "Asia/Kathmandu", "Africa/Casablanca", "Antarctica/Troll"]
        records = {
            f"e{n}": json.dumps(
                {"title": f"tide {n}", "start": f"2026-0{n % 9 + 1}-02T10:{n % 60:02}", "zone": zones[n % len(zones)]}
            ).encode()
            for n in range(100)
        }
        content = self.archive("calendar", records).read("Calendar.ics")
        read = icalendar.Calendar.from_ical(content)
        self.assertEqual((len(read.walk("VEVENT")), len(read.walk("VTIMEZONE"))), (100, len(zones)))
        self.assertEqual(len(vobject.readOne(content.decode()).vevent_list), 100)
        # the zones as the calendar itself describes them, by dateutil: vobject reads the one of the Chatham Islands an hour off
        described = dateutil.tz.tzical(io.StringIO(content.decode()))
        self.assertEqual(sorted(described.keys()), sorted(zones))
        for event in read.walk("VEVENT"):
            start = event.decoded("dtstart").replace(tzinfo=None)
            zone = event["dtstart"].params["TZID"]
            self.assertEqual(start.replace(tzinfo=described.get(zone)).utcoffset(), start.replace(tzinfo=ZoneInfo(zone)).utcoffset(), zone)
