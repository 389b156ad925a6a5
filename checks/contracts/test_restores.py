"""Whole ways there and back: a folder of hostile things, backed up, restored into other places, and compared by plain Python."""

import hashlib
import os
import random
import shutil
import stat
import tempfile
from pathlib import Path
from unittest import TestCase, mock

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from adapters.links.folder import FolderLink
from adapters.links.sftp import SftpLink
from checks.contracts.fleet_of_one import FleetOfOne
from checks.contracts.openssh import OpenSsh
from checks.contracts.promises_of_files import HOSTILE
from core.content.errors import LinkCut, PlaceRefuses
from core.recovery.conflicts import WhenThere
from core.recovery.into_files import IntoFiles
from core.recovery.into_items import IntoItems
from core.recovery.report import Report
from core.recovery.restore import Going, MemoryIntents, restore
from core.recovery.selection import Selection, chosen, folders_of
from core.vault.chunks import VaultLimits
from core.vault.tests.bench_of_one import Bench
from standins.digests import content_digest


def tree(root: Path) -> dict[bytes, tuple]:
    """What lies below a folder, told by plain Python: sort, mode, time, and content or target."""
    seen = {}
    top = os.fsencode(root)
    for folder, folders, files in os.walk(top):
        for name in (*folders, *files):
            path = os.path.join(folder, name)
            facts = os.lstat(path)
            own = os.path.relpath(path, top)
            if stat.S_ISLNK(facts.st_mode):
                seen[own] = ("link", os.readlink(path))
            elif stat.S_ISDIR(facts.st_mode):
                seen[own] = ("folder", stat.S_IMODE(facts.st_mode), facts.st_mtime_ns // 10**9)
            elif stat.S_ISREG(facts.st_mode):
                content = Path(os.fsdecode(path)).read_bytes()
                seen[own] = ("file", stat.S_IMODE(facts.st_mode), facts.st_mtime_ns // 10**9, hashlib.sha256(content).hexdigest())
    return seen


class Office(TestCase):
    def setUp(self):
        super().setUp()
        self.here = Path(tempfile.mkdtemp(prefix="attic-restores-"))
        self.addCleanup(shutil.rmtree, self.here)
        self.phone, self.other = self.here / "phone", self.here / "other"
        for folder in (self.phone, self.other):
            folder.mkdir()
        self.bench = Bench(limits=VaultLimits())

    def write(self, name: bytes | str, content: bytes, below: Path | None = None, *, at: int = 1_500_000_000, mode: int = 0o644) -> None:
        path = os.path.join(os.fsencode(below or self.phone), os.fsencode(name))
        os.makedirs(os.path.dirname(path), exist_ok=True)
        with open(path, "wb") as file:
            file.write(content)
        os.chmod(path, mode)
        os.utime(path, (at, at))

    def back(self, link, when_there=WhenThere.REPLACE, *, of=None, intents=None) -> Report:
        vault = self.bench.again()
        vault.refresh()
        manifest, going = of or self.bench.capture(FolderLink(self.phone)).manifest, Going()
        vault.refresh()
        kinds = list(chosen(vault, manifest, Selection(everything=True)))
        place = IntoFiles(vault, link, when_there=when_there, folders=folders_of(vault, manifest, kinds, everything=True), going=going)
        return restore(vault, link, place, kinds, intents=intents, going=going)

    def hostile(self) -> None:
        for n, name in enumerate(HOSTILE):
            self.write(name, b"content of " + name if name != b"empty" else b"", at=1_500_000_000 + n, mode=0o600 + n % 8)
        self.write("twins/one.bin", b"same" * 1000)
        self.write("twins/two.bin", b"same" * 1000)
        self.write("DCIM/big.jpg", random.Random(1).randbytes(3_000_000))
        os.symlink("one.bin", self.phone / "twins" / "link")
        os.symlink("/nowhere", self.phone / "dangling")
        (self.phone / "nothing" / "in here").mkdir(parents=True)
        os.chmod(self.phone / "nothing", 0o750)
        for folder in ("nothing/in here", "nothing", "twins", "DCIM"):
            os.utime(self.phone / folder, (1_400_000_000, 1_400_000_000))


class IntoFolders(Office):
    def test_everything_comes_back_as_it_was_names_depth_times_modes_links_and_empty_folders(self):
        self.hostile()
        report = self.back(FolderLink(self.other))
        self.assertEqual(tree(self.other), tree(self.phone))
        self.assertTrue(all(counts.whole and not counts.renamed for counts in report.values()), report)
        self.assertEqual(sum(counts.found for counts in report.values()), len(HOSTILE) + 5)

    def test_a_second_time_nothing_is_written_whatever_was_asked(self):
        self.hostile()
        manifest = self.bench.capture(FolderLink(self.phone)).manifest
        for choice in WhenThere:
            self.back(FolderLink(self.other), choice, of=manifest)
            report = self.back(FolderLink(self.other), choice, of=manifest)
            self.assertEqual(tree(self.other), tree(self.phone), choice)
            self.assertEqual(sum(counts.same for counts in report.values()), sum(counts.chosen for counts in report.values()))

    def test_a_corrupted_photo_of_the_same_length_is_replaced_kept_beside_or_left_and_never_called_the_same(self):
        self.hostile()
        manifest = self.bench.capture(FolderLink(self.phone)).manifest
        good, bad = (self.phone / "DCIM/big.jpg").read_bytes(), None
        for choice in (WhenThere.SKIP, WhenThere.KEEP_BOTH, WhenThere.REPLACE):
            self.back(FolderLink(self.other), of=manifest)
            bad = bytearray(good)
            bad[1000:5000] = bytes(4000)
            self.write("DCIM/big.jpg", bytes(bad), self.other)  # name, length and time are as they were
            report = self.back(FolderLink(self.other), choice, of=manifest)["photos"]
            held = {path.name: path.read_bytes() for path in (self.other / "DCIM").iterdir()}
            expected = {
                WhenThere.SKIP: ({"big.jpg": bytes(bad)}, (0, 1)), WhenThere.REPLACE: ({"big.jpg": good}, (1, 0)),
                WhenThere.KEEP_BOTH: ({"big.jpg": bytes(bad), "big (2).jpg": good}, (0, 0)),
            }[choice]  # fmt: skip
            self.assertEqual(held, expected[0], choice)
            self.assertEqual(report.left, expected[1][1])
            self.assertEqual((report.replaced, report.added), (int(choice is WhenThere.REPLACE), int(choice is WhenThere.KEEP_BOTH)))
            shutil.rmtree(self.other)
            self.other.mkdir()

    def test_what_is_damaged_afterwards_is_not_counted_and_is_named(self):
        self.write("a.txt", b"one")
        self.write("b.txt", b"two")
        link = FolderLink(self.other)
        real = link.put

        def careless(path, item, pieces, *, over):
            return real(path, item, iter((b"TWO",)) if path == "b.txt" and list(pieces) else pieces, over=over)

        with mock.patch.object(link, "put", careless):
            report = self.back(link)["documents"]
        self.assertEqual((report.expected, report.found, report.missing), (2, 1, ["b.txt"]))
        self.assertFalse(report.whole)

    def test_what_a_place_cannot_hold_is_renamed_and_listed_and_what_it_cannot_hold_at_all_is_named(self):
        for name in (b"a:b.txt", b"A.txt", b"a.txt", b"x" * 200, b"fine.txt"):
            self.write(name, b"content of " + name)
        report = self.back(_OldCard(self.other))["documents"]
        self.assertEqual(dict(report.renamed)["a:b.txt"], "a_b.txt")
        self.assertEqual({len(new) for name, new in report.renamed if name.startswith("xxx")}, {120})
        self.assertEqual([new for name, new in report.renamed if name == "a.txt"], ["a (2).txt"])
        self.assertEqual((report.expected, report.found, report.refused), (5, 5, []))
        self.assertEqual((self.other / "a (2).txt").read_bytes(), b"content of a.txt")

    def test_a_killed_restore_that_is_taken_up_again_writes_nothing_twice(self):
        for n in range(60):
            self.write(f"f/{n:02}.txt", b"%d" % n * 100)
        self.write("f/07.txt", b"a version that is there", self.other)
        manifest = self.bench.capture(FolderLink(self.phone)).manifest
        link, intents = FolderLink(self.other), MemoryIntents()
        real, left = link.put, 30

        def killed(*arguments, **more):
            nonlocal left
            left -= 1
            where = real(*arguments, **more)
            if left < 0:
                raise LinkCut("gone")
            return where

        with mock.patch.object(link, "put", killed), self.assertRaises(LinkCut):
            self.back(link, WhenThere.KEEP_BOTH, of=manifest, intents=intents)
        report = self.back(FolderLink(self.other), WhenThere.KEEP_BOTH, of=manifest, intents=intents)["documents"]
        self.assertEqual(len(list((self.other / "f").iterdir())), 61)
        self.assertEqual((report.expected, report.found), (60, 60))

    @settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
    @given(data=st.data())
    def test_any_tree_of_any_names_comes_back(self, data):
        part = st.binary(min_size=1, max_size=12).filter(lambda name: b"/" not in name and b"\0" not in name and name not in (b".", b".."))
        paths = data.draw(st.lists(st.lists(part, min_size=1, max_size=4).map(b"/".join), max_size=12, unique=True))
        for folder in (self.phone, self.other):
            shutil.rmtree(folder)
            folder.mkdir()
        for n, path in enumerate(paths):
            try:
                self.write(path, b"%d" % n, at=1_000_000_000 + n)
            except (FileExistsError, NotADirectoryError, IsADirectoryError):
                continue  # one path goes through another's file
        self.back(FolderLink(self.other))
        self.assertEqual(tree(self.other), tree(self.phone))


class _OldCard(FolderLink):
    """As a card of an old camera is: no colon, no long names, and letters of one case are those of the other."""

    def put(self, path, item, pieces, *, over):
        if ":" in path or len(path) > 130:
            raise PlaceRefuses("The card does not take this name.")
        same = [one for one in os.listdir(self._root) if one.casefold() == path.casefold()]
        if same and not over:
            return super().put(same[0], item, pieces, over=False)
        return super().put(path, item, pieces, over=over)


class OverOpenSsh(Office, OpenSsh):
    def test_there_and_back_over_a_real_server(self):
        self.hostile()
        link = SftpLink(self.place(), timeout_seconds=10)
        self.addCleanup(link.close)
        report = self.back(link)
        self.assertEqual(tree(self.root), tree(self.phone))
        self.assertTrue(all(counts.whole for counts in report.values()), report)
        again = self.bench.capture(link)
        self.assertEqual((again.skipped, again.manifest.items), ((), len(HOSTILE) + 5))
        shutil.rmtree(self.other)
        self.other.mkdir()
        self.back(FolderLink(self.other), of=again.manifest)
        self.assertEqual(tree(self.other), tree(self.phone))


class FromAPhone(FleetOfOne):
    """Into a folder: records arrive as open files."""

    def test_contacts_and_events_arrive_as_files_that_others_read(self):
        import vobject

        other = Path(tempfile.mkdtemp(prefix="attic-open-"))
        self.addCleanup(shutil.rmtree, other)
        bench, phone = Bench(limits=VaultLimits()), self.paired()
        manifest = bench.capture(phone).manifest
        vault, going = bench.again(), Going()
        vault.refresh()
        kinds = list(chosen(vault, manifest, Selection(kinds=frozenset({"contacts", "calendar", "photos", "settings"}))))
        link = FolderLink(other)
        report = restore(vault, link, IntoFiles(vault, link, when_there=WhenThere.SKIP, going=going), kinds, going=going)
        self.assertTrue(all(counts.whole and counts.found == counts.chosen for counts in report.values()), report)
        people = [vobject.readOne(path.read_text()) for path in sorted((other / "Contacts").glob("*.vcf"))]
        self.assertEqual(len(people), report["contacts"].found)
        self.assertEqual(len(list((other / "Calendar").glob("*.ics"))), report["calendar"].found)
        self.assertEqual(len(list(other.rglob("*.jpg"))), report["photos"].found)


class FromOnePhoneToAnother(FleetOfOne):
    """Over the protocol, with a device that keeps records in another order than they were written in; compared digest by digest,
    with digests that the stand-in computes by a program of its own."""

    def carried(self, target, kinds: frozenset[str], when_there: WhenThere = WhenThere.REPLACE) -> Report:
        vault, going = self.bench.again(), Going()
        vault.refresh()
        chosen_kinds = list(chosen(vault, self.manifest, Selection(kinds=kinds)))
        place = IntoItems(vault, target, when_there=when_there, same_device=False, going=going)
        return restore(vault, target, place, chosen_kinds, going=going)

    def setUp(self):
        super().setUp()
        self.bench, self.source = Bench(limits=VaultLimits()), self.paired()
        self.manifest = self.bench.capture(self.source).manifest

    def digests(self, life, kind: str) -> list[str]:
        return sorted(content_digest(kind, life.content(kind, item["id"])) for item in life.inventory(kind))

    def test_everything_within_a_family_and_a_second_time_nothing(self):
        other, link = self.another()
        other.turn({"reorders": True})
        kinds = frozenset(self.source.kinds())
        report = self.carried(link, kinds)
        self.assertTrue(all(counts.whole and counts.proven_by == "content" for counts in report.values()), report)
        for kind in kinds:
            missing = set(self.digests(self.life, kind)) - set(self.digests(other.life, kind))
            self.assertEqual(missing, set(), kind)
        self.assertEqual(len(other.life.inventory("settings")), len(self.life.inventory("settings")), "settings stand there once")
        held = {kind: self.digests(other.life, kind) for kind in kinds}
        again = self.carried(link, kinds, WhenThere.KEEP_BOTH)
        self.assertEqual(sum(counts.same for counts in again.values()), sum(counts.chosen for counts in again.values()))
        self.assertEqual({kind: self.digests(other.life, kind) for kind in kinds}, held)

    def test_contacts_and_calendar_between_the_families_and_nobody_else_is_overwritten(self):
        other, link = self.another(family="brenta", os_version="3")
        before = {kind: self.digests(other.life, kind) for kind in ("contacts", "calendar")}
        report = self.carried(link, frozenset({"contacts", "calendar"}))
        self.assertTrue(all(counts.whole for counts in report.values()), report)
        for kind in ("contacts", "calendar"):
            now, ours = self.digests(other.life, kind), self.digests(self.life, kind)
            self.assertLessEqual(set(ours), set(now))
            self.assertLessEqual(len(set(before[kind]) - set(now)), report[kind].replaced)

    def test_a_device_of_the_first_version_is_known_by_name_and_size_where_it_must_be_and_the_report_says_so(self):
        other, link = self.another()
        other.turn({"protocol": 1})
        report = self.carried(link, frozenset({"contacts", "app_data", "photos"}))
        self.assertTrue(all(counts.whole for counts in report.values()), report)
        self.assertEqual(report["contacts"].proven_by, "content")
        for kind in ("contacts", "photos"):
            self.assertLessEqual(set(self.digests(self.life, kind)), set(self.digests(other.life, kind)))
