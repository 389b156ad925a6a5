"""What is taken out: archives that are fetched, whole or piece by piece, and folders of the server with an owner and an end."""

import asyncio
import io
import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

import bagit
import pyzipper

from core.vault.errors import Damaged, Stopped
from server.people.models import JournalEntry
from server.plans.models import Plan
from server.recovery.actions.carry_out import carry_out
from server.recovery.actions.end_exports import end_exports
from server.recovery.actions.write_export import LEFT_FREE_BYTES
from server.recovery.models import Restore
from server.recovery.tests.test_recovery import RecoveryTestCase, jpeg

LETTER = b'{"with": ["Bo"], "messages": [{"at": "2026-01-01T10:00:00+00:00", "from": "Bo", "text": "salary of the harbour master"}]}'
PASSPHRASE = "marram samphire groyne 8 sluice"


class Exporting(RecoveryTestCase):
    def setUp(self):
        super().setUp()
        self.folder = Path(self.enterContext(TemporaryDirectory(prefix="attic-export-")))

    def made(self, **changes: object) -> dict:
        return self.done(**{"target": "archive", "device": None} | changes)

    def fetch(self, id: str, **headers: str):
        return self.api.get(f"/api/restores/{id}/archive", headers=headers)

    def content(self, answer) -> bytes:
        async def whole() -> bytes:
            return b"".join([piece async for piece in answer.streaming_content])

        return asyncio.run(whole())

    def archive(self, **changes: object) -> bytes:
        return self.content(self.fetch(self.made(**changes)["id"]))

    def opened(self, **changes: object) -> zipfile.ZipFile:
        return zipfile.ZipFile(io.BytesIO(self.archive(**changes)))


class AnArchive(Exporting):
    def test_it_holds_open_formats_and_no_name_leaves_its_folder(self):
        made_one = self.made()
        self.assertEqual((made_one["state"], made_one["file_name"]), ("complete", "Orlo H1 2026-03-02 0800.zip"))
        answer = self.fetch(made_one["id"])
        content = self.content(answer)
        self.assertEqual((int(answer["Content-Length"]), made_one["file_bytes"]), (len(content), len(content)))
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            self.assertIsNone(archive.testzip())
            names = archive.namelist()
            self.assertIn("Documents/etc/passwd", names)
            self.assertFalse([name for name in names if ".." in name or name.startswith("/")])
            self.assertEqual(archive.read("Contacts.vcf").count(b"BEGIN:VCARD"), 150)
            self.assertEqual(archive.read("Photos/p0"), jpeg())

    def test_contacts_leave_in_the_form_that_was_asked_for(self):
        only = {"kinds": ["contacts"], "everything": False}
        self.assertIn(b"VERSION:4.0", self.opened(**only).read("Contacts.vcf"))
        self.assertIn(b"VERSION:3.0", self.opened(**only, cards="3.0").read("Contacts.vcf"))
        self.assertEqual(self.ask(target="archive", device=None, cards="2.1").json()["field"], "cards")

    def test_it_works_while_the_device_is_away(self):
        self.outside.away.add("p1")
        self.assertEqual(self.made()["state"], "complete")

    def test_a_restore_that_made_no_file_has_none_to_fetch(self):
        self.assertEqual(self.fetch(self.ask().json()["id"]).status_code, 404)

    def test_what_is_damaged_is_named_and_the_others_leave(self):
        real = self.one_breaks("photos", "p1")
        with mock.patch("core.recovery.stream.Stream.pieces", real):
            made_one = self.made()
        self.assertEqual(made_one["state"], "partial")
        photos = next(row for row in made_one["report"] if row["kind"] == "photos")
        self.assertEqual((photos["damaged"], photos["found"]), (["p1"], photos["expected"] - 1))
        with zipfile.ZipFile(io.BytesIO(self.content(self.fetch(made_one["id"])))) as archive:
            self.assertIsNone(archive.testzip())
            self.assertNotIn("Photos/p1", archive.namelist())
            self.assertIn("Photos/p2", archive.namelist())

    def one_breaks(self, kind: str, id: str):
        from core.recovery.stream import Stream

        real = Stream.pieces

        def pieces(stream, stored):
            yield from real(stream, stored)
            if (stored.item.kind, stored.item.id) == (kind, id):
                raise Damaged("gone")

        return pieces

    def test_a_bag_is_a_bag(self):
        with self.opened(layout="bag") as archive:
            archive.extractall(self.folder)
        (top,) = self.folder.iterdir()
        bag = bagit.Bag(str(top))
        bag.validate()
        self.assertEqual(top.name, "Orlo H1 2026-03-02 0800")
        self.assertIn("Orlo H1", bag.info["External-Description"])
        self.assertEqual(bag.info["External-Identifier"], str(self.backup.id))
        (top / "data" / "Photos" / "p0").write_bytes(b"another picture")
        with self.assertRaises(bagit.BagValidationError):
            bag.validate()

    def test_one_stops_when_it_is_told_to(self):
        with mock.patch("server.recovery.actions.carry_out.RestoreWatch.tell", side_effect=Stopped("The restore was stopped.")):
            made_one = self.made()
        self.assertEqual((made_one["state"], made_one["file_name"], list(self.outside.exports.iterdir())), ("stopped", "", []))


class NobodysLettersLieInTheOpen(Exporting):
    def furnish(self):
        super().furnish()
        self.outside.devices["p1"].content["messages", "Bo"] = LETTER
        Plan.objects.update(kinds=["contacts", "documents", "messages", "photos"])
        self.backup = self.run_now(self.one).backup

    def lying(self) -> bytes:
        return b"".join(path.read_bytes() for path in self.outside.exports.rglob("*") if path.is_file())

    def test_neither_finished_nor_while_it_is_made(self):
        seen: list[bytes] = []
        from server.recovery.actions.carry_out import RestoreWatch

        with mock.patch.object(RestoreWatch, "tell", lambda watch, *arguments: seen.append(self.lying())):
            content = self.archive(layout="files")
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            self.assertIn(b"harbour master", archive.read("Messages.json"))
            self.assertIn(b"harbour master", archive.read("Messages.html"))
            self.assertTrue(archive.getinfo("Photos/p0").compress_type == zipfile.ZIP_STORED)
        self.assertIn(jpeg(), content)
        for lying in [*seen, self.lying()]:
            self.assertNotIn(b"Messages", lying)
            self.assertNotIn(jpeg()[:64], lying)
        self.assertGreater(len(seen), 10)
        self.assertGreater(len(self.lying()), len(content), "it does lie there, sealed")

    def test_one_under_a_passphrase_opens_with_it_alone_and_shows_no_name(self):
        made_one = self.made(passphrase=PASSPHRASE, passphrase_again=PASSPHRASE)
        self.assertEqual((made_one["locked"], made_one["state"]), (True, "complete"), made_one["cause"])
        content = self.content(self.fetch(made_one["id"]))
        self.assertNotIn(b"Photos", content)
        with pyzipper.AESZipFile(io.BytesIO(content)) as outer:
            self.assertEqual(outer.namelist(), ["Orlo H1 2026-03-02 0800.zip"])
            info = outer.infolist()[0]
            self.assertEqual((info.wz_aes_version, info.wz_aes_strength, info.CRC), (2, 3, 0))
            outer.setpassword(PASSPHRASE.encode())
            inner = zipfile.ZipFile(io.BytesIO(outer.read(info)))
        self.assertIsNone(inner.testzip())
        self.assertIn(b"harbour master", inner.read("Messages.json"))
        self.assertEqual([path.name for path in self.outside.exports.iterdir()], [f"{made_one['id']}.sealed"], "the inner one is gone")
        row = Restore.objects.get(id=made_one["id"])
        self.assertIsNone(row.passphrase)
        self.assertNotIn(PASSPHRASE, " ".join(line.says for line in JournalEntry.objects.all()))

    def test_passphrases_that_protect_nothing_are_refused(self):
        for one, again, field in (
            ("short one", "short one", "passphrase"), (PASSPHRASE, PASSPHRASE + "x", "passphrase_again"), ("a" * 40, "a" * 40, "passphrase"),
            ("", PASSPHRASE, "passphrase"),
        ):  # fmt: skip
            answer = self.ask(target="archive", device=None, passphrase=one, passphrase_again=again)
            self.assertEqual((answer.status_code, answer.json().get("field")), (400, field), answer.content)
        self.assertFalse(Restore.objects.exists())


class ADownload(Exporting):
    def test_one_that_is_cut_at_every_tenth_goes_on_where_it_stood(self):
        made_one = self.made()
        size = made_one["file_bytes"]
        whole = self.content(self.fetch(made_one["id"]))
        held, tag = b"", self.fetch(made_one["id"])["ETag"]
        for tenth in range(1, 11):
            answer = self.fetch(made_one["id"], range=f"bytes={len(held)}-", **{"if-range": tag})
            self.assertEqual((answer.status_code, answer["Content-Range"]), (206, f"bytes {len(held)}-{size - 1}/{size}"))
            held += self.content(answer)[: size * tenth // 10 - len(held)]
        self.assertEqual(held, whole)

    def test_of_another_file_everything_comes_and_behind_the_end_nothing(self):
        made_one = self.made()
        answer = self.fetch(made_one["id"], range="bytes=5-", **{"if-range": '"another"'})
        self.assertEqual((answer.status_code, int(answer["Content-Length"])), (200, made_one["file_bytes"]))
        answer = self.fetch(made_one["id"], range=f"bytes={made_one['file_bytes']}-")
        self.assertEqual((answer.status_code, answer["Content-Range"]), (416, f"bytes */{made_one['file_bytes']}"))

    def test_going_on_is_no_second_look(self):
        made_one = self.made()
        self.fetch(made_one["id"], range="bytes=10-")
        self.assertFalse(JournalEntry.objects.filter(what="content.fetched").exists())
        self.fetch(made_one["id"], range="bytes=0-9")
        self.assertEqual(JournalEntry.objects.filter(what="content.fetched").count(), 1)

    def test_it_is_gone_after_a_restart_and_says_so(self):
        made_one = self.made()
        self.outside.start_word = b"another start"
        answer = self.fetch(made_one["id"])
        self.assertEqual((answer.status_code, "started anew" in answer.json()["title"]), (409, True), answer.content)
        self.assertEqual(self.api.get("/api/exports").json()["count"], 0)
        end_exports(now=self.outside.at)
        self.assertEqual(list(self.outside.exports.iterdir()), [])
        restore = self.api.get(f"/api/restores/{made_one['id']}").json()
        self.assertEqual((restore["file_name"], restore["file_bytes"]), ("", made_one["file_bytes"]))

    def test_what_another_host_of_the_office_made_is_for_it_to_end(self):
        made_one = self.made()
        Restore.objects.update(file_start="another hosts id")
        self.assertIn("another computer", self.fetch(made_one["id"]).json()["title"])
        end_exports(now=self.outside.at)
        self.assertEqual(self.api.get(f"/api/restores/{made_one['id']}").json()["file_name"], made_one["file_name"])

    def test_what_nobody_knows_is_cleared_away_and_one_that_is_being_made_stays(self):
        made_one = self.made()
        working = Restore.objects.create(backup=self.backup, target="archive", asked_at=self.outside.at, state="running")
        for name in (f"{working.id}", f"{working.id}.inner", "stranger"):
            with self.outside.downloads.new(name) as file:
                file.write(b"half")
        (self.outside.exports / "old.zip").write_bytes(b"PK from before")
        end_exports(now=self.outside.at)
        left = {path.name for path in self.outside.exports.iterdir()}
        self.assertEqual(left, {f"{id}.sealed" for id in (made_one["id"], working.id, f"{working.id}.inner")})

    def test_one_that_was_changed_on_the_disk_is_not_handed_out(self):
        made_one = self.made()
        path = self.outside.exports / f"{made_one['id']}.sealed"
        lying = bytearray(path.read_bytes())
        lying[50] ^= 1
        path.write_bytes(lying)
        self.assertNotEqual(self.fetch(made_one["id"]).status_code, 200)

    def test_a_disk_without_room_is_said_before_anything_is_written(self):
        with mock.patch("shutil.disk_usage", return_value=mock.Mock(free=1000)):
            answer = self.ask(target="archive", device=None)
        self.assertEqual((answer.status_code, Restore.objects.count()), (409, 0))
        self.assertIn("free", answer.json()["title"])
        self.ask(target="archive", device=None)
        with mock.patch("shutil.disk_usage", return_value=mock.Mock(free=1000)):
            restore = carry_out(Restore.objects.get().id)
        self.assertEqual((restore.state, restore.file_name, list(self.outside.exports.iterdir())), ("failed", "", []))

    def test_only_what_goes_into_an_archive_needs_the_servers_disk(self):
        sizes = {entry["kind"]: entry["size_bytes"] for entry in self.backup.kinds}
        room = lambda needed: mock.patch(  # noqa: E731
            "shutil.disk_usage", return_value=mock.Mock(free=LEFT_FREE_BYTES + needed + needed // 50)
        )

        def blocks(free: int, **body: object) -> list[str]:
            with room(free):
                answer = self.api.post("/api/preflight", self.body(device=None, **body), format="json")
            return [one["code"] for one in answer.json()]

        everything, photos = sum(sizes.values()), {"everything": False, "kinds": ["photos"]}
        self.assertEqual([blocks(everything - 100, target=target) for target in ("folder", "device")], [[], []])
        self.assertEqual([len(blocks(free, target="archive")) for free in (everything, everything - 100)], [0, 1])
        self.assertEqual([len(blocks(free, target="archive", **photos)) for free in (sizes["photos"], sizes["photos"] - 100)], [0, 1])

    def test_an_archive_can_be_erased_before_its_time(self):
        made_one = self.made()
        listed = self.api.get("/api/exports").json()
        self.assertEqual(
            [(row["id"], row["size_bytes"], row["until"]) for row in listed["results"]],
            [(made_one["id"], made_one["file_bytes"], "2026-03-09")],
        )
        self.assertEqual(self.api.post(f"/api/exports/{made_one['id']}/erase").status_code, 204)
        self.assertEqual((self.fetch(made_one["id"]).status_code, self.api.get("/api/exports").json()["count"]), (404, 0))
        self.assertEqual(list(self.outside.exports.iterdir()), [])
        self.assertEqual(self.api.post(f"/api/exports/{made_one['id']}/erase").status_code, 409)
        self.assertTrue(JournalEntry.objects.filter(what="export.erased").exists())
