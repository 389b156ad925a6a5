import io
import struct
import zlib
from dataclasses import replace
from unittest import mock

from django.test import SimpleTestCase
from PIL import Image

from core.content.errors import LinkCut
from core.vault.tests.bench_of_one import MemoryDevice, phone
from server.recovery.actions.carry_out import carry_out
from server.recovery.actions.intents import RowIntents
from server.recovery.models import Restore, RestoreBatch
from server.recovery.thumbnails import NoPicture, picture_type, thumbnail
from server.tests.pretend import OfficeTestCase


def jpeg(colour: str = "teal", size: tuple[int, int] = (640, 480)) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, colour).save(out, "JPEG")
    return out.getvalue()


class RecoveryTestCase(OfficeTestCase):
    def furnish(self):
        super().furnish()
        content = phone()
        content["contacts", "c000"] = b'{"display": "Ada Quay", "phones": [{"number": "+00 555 117"}]}'
        content["photos", "p0"] = jpeg()
        content["documents", "../../etc/passwd"] = b"a document with an evil name"
        self.one = self.device(content=content)
        self.plan(self.one)
        self.backup = self.run_now(self.one).backup

    def body(self, **changes: object) -> dict[str, object]:
        fields = {
            "backup": str(self.backup.id),
            "everything": True,
            "kinds": [],
            "items": [],
            "target": "device",
            "device": str(self.one.id),
        }
        return fields | {"when_there": "replace"} | changes

    def ask(self, **changes: object):
        return self.api.post("/api/restores", self.body(**changes), format="json")

    def done(self, **changes: object) -> dict:
        answer = self.ask(**changes)
        self.assertEqual(answer.status_code, 201, answer.content)
        carry_out(Restore.objects.first().id)
        return self.api.get(f"/api/restores/{answer.json()['id']}").json()


class LookingInside(RecoveryTestCase):
    def inside(self, query: str) -> dict:
        return self.api.get(f"/api/backups/{self.backup.id}/inside?{query}").json()

    def test_contact_names_and_search(self):
        inside = self.inside("kind=contacts&words=quay")
        self.assertEqual((inside["count"], inside["items"][0]["title"], inside["items"][0]["detail"]), (1, "Ada Quay", "+00 555 117"))
        self.assertEqual(self.inside("kind=contacts&words=nobody")["count"], 0)

    def test_long_lists_are_cut(self):
        inside = self.inside("kind=contacts")
        self.assertEqual((inside["count"], len(inside["items"])), (150, 60))
        self.assertEqual(len(self.inside("kind=contacts&page=3")["items"]), 30)

    def test_a_kind_that_does_not_exist_is_named(self):
        self.assertEqual(self.inside("kind=smoke")["field"], "kind")

    def test_a_picture_is_shown_and_a_document_is_only_saved(self):
        path = f"/api/backups/{self.backup.id}/item"
        picture = self.api.get(path, {"kind": "photos", "id": "p0"})
        self.assertEqual((picture["Content-Type"], picture["X-Content-Type-Options"]), ("image/jpeg", "nosniff"))
        self.assertTrue(picture["Content-Disposition"].startswith("inline"))
        document = self.api.get(path, {"kind": "documents", "id": "../../etc/passwd"})
        self.assertEqual(document["Content-Type"], "application/octet-stream")
        self.assertIn('attachment; filename="passwd"', document["Content-Disposition"])

    def test_thumbnails_are_small_and_what_is_no_picture_has_none(self):
        path = f"/api/backups/{self.backup.id}/thumbnail"
        small = Image.open(io.BytesIO(self.api.get(path, {"kind": "photos", "id": "p0"}).content))
        self.assertEqual(small.size, (320, 240))
        self.assertEqual(self.api.get(path, {"kind": "photos", "id": "p1"}).status_code, 404)

    def test_an_item_that_is_not_there_is_a_404(self):
        self.assertEqual(self.api.get(f"/api/backups/{self.backup.id}/item", {"kind": "photos", "id": "no"}).status_code, 404)


class LookingIntoANewerBackup(RecoveryTestCase):
    def test_what_a_store_gained_since_somebody_last_looked_is_found(self):
        self.api.get(f"/api/backups/{self.backup.id}/inside?kind=contacts")
        self.outside.devices["p1"].content["contacts", "c001"] = b'{"display": "Brand New"}'
        newer = self.run_now(self.one).backup
        answer = self.api.get(f"/api/backups/{newer.id}/inside?kind=contacts&words=brand").json()
        self.assertEqual([item["title"] for item in answer["items"]], ["Brand New"])


class Thumbnails(OfficeTestCase):
    def test_hostile_pictures_are_refused(self):
        for content in (b"", b"\xff\xd8\xff garbage", b"\x89PNG\r\n\x1a\n" + bytes(40), b"<svg onload=alert(1)>"):
            with self.subTest(content=content[:6]), self.assertRaises(NoPicture):
                thumbnail(content)
        self.assertIsNone(picture_type(b"<svg xmlns="))
        self.assertIsNone(picture_type(b"<!doctype html>"))


class RestoringToTheDevice(RecoveryTestCase):
    def test_everything_comes_back_and_is_counted(self):
        before = dict(self.outside.devices["p1"].content)
        self.outside.devices["p1"].content.clear()
        done = self.done()
        self.assertEqual(done["state"], "complete")
        self.assertEqual(self.outside.devices["p1"].content, before)
        self.assertEqual({row["kind"]: (row["expected"], row["found"]) for row in done["report"]}["contacts"], (150, 150))

    def test_single_items_only(self):
        self.outside.devices["p1"].content.clear()
        self.done(everything=False, items=[{"kind": "contacts", "id": "c000"}])
        self.assertEqual(list(self.outside.devices["p1"].content), [("contacts", "c000")])

    def test_nothing_chosen_and_a_wrong_choice_are_refused(self):
        self.assertEqual(self.ask(everything=False).json()["field"], "selection")
        self.assertEqual(self.ask(when_there="burn").status_code, 400)
        self.assertEqual(self.ask(device=None).json()["field"], "device")

    def test_what_blocks_it_is_said_before_and_nothing_is_written(self):
        device = self.outside.devices["p1"]
        device.told = replace(device.told, finder_lock=True)
        before = self.api.post("/api/preflight", self.body(), format="json").json()
        self.assertEqual([(row["code"], row["level"]) for row in before], [("finder_lock", "blocks")])
        answer = self.ask()
        self.assertEqual(answer.status_code, 409)
        self.assertIn("it asks for the password of its holder's account", answer.json()["remedy"])
        self.assertFalse(Restore.objects.exists())

    def test_an_away_device_blocks_with_its_remedy(self):
        self.outside.away.add("p1")
        answer = self.api.post("/api/preflight", self.body(), format="json").json()
        self.assertEqual(answer[0]["code"], "link.away")

    def test_a_device_that_goes_away_in_the_middle_ends_it_as_failed_with_a_cause(self):
        self.ask()
        self.outside.away.add("p1")
        with mock.patch("server.recovery.actions.carry_out.PAUSES", (0,)):
            restore = carry_out(Restore.objects.get().id)
        self.assertEqual((restore.state, bool(restore.cause), bool(restore.remedy)), ("failed", True, True))

    def test_one_that_somebody_has_ended_meanwhile_stays_as_it_is(self):
        self.ask()
        self.outside.away.add("p1")

        def end(seconds: float) -> None:
            Restore.objects.update(state="stopped", cause="by another")

        with mock.patch("server.recovery.actions.carry_out.PAUSES", (1, 0)), mock.patch("time.sleep", end):
            restore = carry_out(Restore.objects.get().id)
        self.assertEqual((restore.state, restore.cause), ("stopped", "by another"))

    def test_while_it_waits_for_the_device_it_can_be_stopped_and_what_was_told_stands(self):
        self.ask()
        row = Restore.objects.get()
        self.outside.away.add("p1")
        waited: list[float] = []

        progress = {"kind": "photos", "done_bytes": 5, "total_bytes": 9}

        def stop(seconds: float) -> None:
            waited.append(seconds)
            Restore.objects.update(stop_asked=True, progress=progress)

        with mock.patch("server.recovery.actions.carry_out.PAUSES", (600,)), mock.patch("time.sleep", stop):
            restore = carry_out(row.id)
        self.assertEqual((restore.state, waited, restore.progress), ("stopped", [0.5], progress))

    def test_what_the_device_swallows_is_missing_from_the_report(self):
        class Forgetful(MemoryDevice):
            def replace(self, kind, id, name, pieces, *, size_bytes):
                if id != "c007":
                    super().replace(kind, id, name, pieces, size_bytes=size_bytes)

        self.outside.devices["p1"] = Forgetful({})
        done = self.done()
        self.assertEqual(done["state"], "partial")
        contacts = next(row for row in done["report"] if row["kind"] == "contacts")
        self.assertEqual((contacts["expected"], contacts["found"], contacts["missing"]), (150, 149, ["c007"]))


class RestoringToAnotherDevice(RecoveryTestCase):
    def furnish(self):
        super().furnish()
        self.two = self.device(
            "p2", content={("photos", "p9"): jpeg("teal")[:-9] + b"corrupted", ("contacts", "c000"): b'{"display": "Somebody Else"}'}
        )
        self.outside.devices["p2"].names = {("photos", "p9"): "p0", ("contacts", "c000"): "Somebody Else"}

    def test_a_corrupted_photo_of_the_same_name_and_length_is_replaced_and_other_people_stay(self):
        done = self.done(device=str(self.two.id))
        held = self.outside.devices["p2"].content
        self.assertEqual((done["state"], done["device_holder"], done["source_holder"]), ("complete", "Holder of p2", "Holder of p1"))
        self.assertEqual(held["photos", "p9"], jpeg())
        self.assertEqual(held["contacts", "c000"], b'{"display": "Somebody Else"}')
        photos = next(row for row in done["report"] if row["kind"] == "photos")
        self.assertEqual((photos["replaced"], photos["same"], photos["found"], photos["proven_by"]), (1, 0, 6, "content"))

    def test_a_worker_that_dies_in_the_middle_and_a_cut_leave_nothing_twice(self):
        device = self.outside.devices["p2"]
        device.content.clear()
        device.takes_at_once = 40
        real, left = device.write_many, 2

        def breaking(kind, items):
            nonlocal left
            left -= 1
            ids = real(kind, items)
            if left == 0:
                raise KeyboardInterrupt  # as when its process is killed
            if left == -2:
                raise LinkCut("The cable came loose.")
            return ids

        self.ask(device=str(self.two.id), when_there="keep_both")
        id = Restore.objects.get().id
        with mock.patch.object(device, "write_many", breaking), mock.patch("server.recovery.actions.carry_out.PAUSES", (0, 0)):
            with self.assertRaises(KeyboardInterrupt):
                carry_out(id)
            self.assertTrue(RestoreBatch.objects.exists())
            restore = carry_out(id)
        self.assertEqual((restore.state, left < -2), ("complete", True))
        self.assertEqual(sorted(device.content.values()), sorted(self.outside.devices["p1"].content.values()))
        self.assertFalse(RestoreBatch.objects.exists())


class WhatARestoreIntends(RecoveryTestCase):
    def test_a_batch_is_begun_until_it_is_finished_and_one_at_a_time(self):
        self.ask()
        mine = RowIntents(Restore.objects.get().id)
        self.assertEqual((mine.begun("contacts"), mine.finished("contacts")), (frozenset(), {}))
        mine.begin("contacts", ["a", "b"])
        self.assertEqual((mine.begun("contacts"), mine.begun("photos"), mine.finished("contacts")), (frozenset("ab"), frozenset(), {}))
        mine.finish("contacts", {"a": "1", "b": "2"})
        mine.begin("contacts", ["c"])
        mine.begin("photos", ["d"])
        self.assertEqual((mine.begun("contacts"), mine.begun("photos")), (frozenset(), frozenset("d")), "the one before was given up")
        self.assertEqual(mine.finished("contacts"), {"a": "1", "b": "2"})


class PicturesThatAreNone(SimpleTestCase):
    def test_a_picture_that_claims_to_be_huge_is_never_decoded(self):
        def chunk(name: bytes, content: bytes) -> bytes:
            return struct.pack(">I", len(content)) + name + content + struct.pack(">I", zlib.crc32(name + content))

        head = struct.pack(">IIBBBBB", 40_000, 40_000, 8, 2, 0, 0, 0)
        bomb = b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(bytes(1 << 20))) + chunk(b"IEND", b"")
        for content in (bomb, bomb[:40], b"", b"GIF89a" + b"\xff" * 40, b"\xff\xd8\xff\xe0" + b"\x00" * 100):
            with self.assertRaises(NoPicture):
                thumbnail(content)
