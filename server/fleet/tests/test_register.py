import csv
import io
import json
from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext

from core.exchange.register import COLUMNS
from server.fleet.models import Bulk, Device, LinkType
from server.people.models import JournalEntry, Team
from server.tests.pretend import OfficeTestCase

HEAD = "name,holder,team,family,serial,state"


class Register(OfficeTestCase):
    def csv(self, *rows: str, head: str = HEAD) -> str:
        return "\r\n".join([head, *rows]) + "\r\n"

    def preview(self, content: str):
        return self.api.post("/api/devices/import/preview", {"content": content, "digest": ""}, format="json").json()

    def take(self, content: str):
        digest = self.preview(content)["digest"]
        return self.api.post("/api/devices/import", {"content": content, "digest": digest}, format="json")

    def export(self, kind: str = "csv") -> str:
        answer = self.api.get(f"/api/devices/export?as={kind}")
        return b"".join(answer.streaming_content if not answer.is_async else _collected(answer)).decode()


async def _all(answer):
    return [piece async for piece in answer.streaming_content]


def _collected(answer):
    from asgiref.sync import async_to_sync

    return async_to_sync(_all)(answer)


class Importing(Register):
    def test_a_preview_says_what_each_row_would_do_and_does_nothing(self):
        self.device()
        preview = self.preview(
            self.csv("New,A. Holm,Shore,orlo,OR-1,in_use", "Orlo H1,Holder of p1,Inland,orlo,,", "x,,Shore,orlo,,", "y,B,,martian,,")
        )
        verdicts = {line["number"]: line["verdict"] for line in preview["lines"]}
        self.assertEqual(verdicts, {1: "create", 2: "change", 3: "refuse", 4: "refuse"})
        why = {line["number"]: line["why"] for line in preview["lines"]}
        self.assertIn("holder", why[3])
        self.assertIn("martian", why[4])
        self.assertEqual((Device.objects.count(), Device.objects.get().team.name), (1, "Shore Crew"))

    def test_what_was_confirmed_is_done_and_refused_rows_are_left_out(self):
        answer = self.take(self.csv("New,A. Holm,Shore,orlo,OR-1,away", "x,,Shore,orlo,,"))
        self.assertEqual(answer.status_code, 200)
        device = Device.objects.get()
        self.assertEqual((device.name, device.serial, device.state, device.link), ("New", "OR-1", "away", LinkType.NONE))
        self.assertEqual(JournalEntry.objects.filter(what="device.registered").count(), 1)

    def test_a_register_that_changed_since_the_preview_is_not_touched(self):
        content = self.csv("Orlo H1,Holder of p1,Inland,orlo,,")
        self.device()
        digest = self.preview(content)["digest"]
        Device.objects.update(team=Team.objects.create(name="Somebody was faster"))
        answer = self.api.post("/api/devices/import", {"content": content, "digest": digest}, format="json")
        self.assertEqual(answer.status_code, 409)
        self.assertEqual(Device.objects.get().team.name, "Somebody was faster")
        self.assertEqual(self.api.post("/api/devices/import", self.preview_again(content), format="json").status_code, 200)
        self.assertEqual(Device.objects.get().team.name, "Inland")

    def preview_again(self, content: str) -> dict[str, str]:
        return {"content": content, "digest": self.preview(content)["digest"]}

    def test_an_export_reads_back_in_unchanged_whatever_stands_in_it(self):
        device = self.device()
        odd = '=1+1, "quoted"\r\nsecond line; \'tis <b>x</b>'
        Device.objects.update(note=odd, asset_tag="+49", serial="'=x", purchased_on="2024-02-29", storage_total_bytes=1 << 36)
        for kind in ("csv", "json"):
            with self.subTest(kind=kind):
                content = self.export(kind)
                self.assertEqual(self.preview(content)["counts"], {"create": 0, "change": 0, "same": 1, "refuse": 0})
        cells = next(csv.DictReader(io.StringIO(self.export())))
        self.assertEqual(set(cells), set(COLUMNS))
        self.assertTrue(cells["note"].startswith("'="), "a spreadsheet would take it for a formula")
        self.assertEqual(json.loads(self.export("json"))["devices"][0]["note"], odd)
        self.assertEqual(cells["id"], str(device.id))

    def test_files_that_are_no_register_are_refused_as_a_whole_with_the_reason(self):
        for content, word in (
            ('a,b\r\n1,"2', "Line"), ("name,name\r\n1,2", "once"), ("name,holder\r\n1,2,3", "3 cells"), ("", "once"), ("{", "no JSON"),
            ('{"devices": 3}', "no list"), ("name\r\n" + "x\r\n" * 5001, "5000"),
        ):  # fmt: skip
            with self.subTest(content=content[:20]):
                answer = self.api.post("/api/devices/import/preview", {"content": content or " ", "digest": ""}, format="json")
                self.assertEqual(answer.status_code, 400)
                self.assertIn(word, answer.json()["title"])

    def test_semicolons_a_byte_order_mark_and_unknown_columns(self):
        preview = self.preview("\ufeffname;holder;family;colour\r\nA;B;orlo;red\r\n")
        self.assertEqual((preview["counts"]["create"], preview["ignored_columns"]), (1, ["colour"]))

    def test_five_hundred_rows_cost_a_few_queries_to_preview(self):
        rows = [f"D{n},H{n % 50},T,orlo,S{n},in_use" for n in range(500)]
        self.take(self.csv(*rows))
        with CaptureQueriesContext(
            connection,
        ) as archive:
            self.preview(self.csv(*rows))
        self.assertLess(len(archive), 12)


class Rows(Register):
    """Single rows and what they collide with."""

    def verdict(self, *rows: str, head: str = HEAD) -> list[tuple[str, str]]:
        lines = sorted(self.preview(self.csv(*rows, head=head))["lines"], key=lambda line: line["number"])
        return [(line["verdict"], line["why"]) for line in lines]

    def test_two_rows_about_one_device_two_devices_with_one_serial(self):
        self.device()
        Device.objects.update(serial="OR-1")
        verdicts = self.verdict("A,B,,orlo,or-1,", "Orlo H1,Holder of p1,,orlo,,", "New,C,,orlo,OR-2,", "Newer,D,,orlo,OR-2,")
        self.assertEqual([verdict for verdict, _ in verdicts], ["change", "refuse", "create", "refuse"])
        self.assertIn("same device", verdicts[1][1])
        self.assertIn("twice", verdicts[3][1])

    def test_a_serial_that_belongs_to_another_device_is_refused(self):
        one, two = self.device("p1"), self.device("p2")
        Device.objects.filter(id=two.id).update(serial="OR-2")
        verdict = self.verdict(f"{one.id},OR-2", head="id,serial")
        self.assertEqual(verdict[0][0], "refuse")
        self.assertIn("another device", verdict[0][1].lower())

    def test_an_unknown_id_a_wrong_date_a_size_with_a_unit_a_state_that_does_not_exist(self):
        head = "id,name,holder,family,purchased_on,storage_total_bytes,state"
        for row in ("7,A,B,orlo,,,", ",A,B,orlo,31.3.2026,,", ",A,B,orlo,,64 GB,", ",A,B,orlo,,,lent", f",{'x' * 121},B,orlo,,,"):
            with self.subTest(row=row[:30]):
                verdict, why = self.verdict(row, head=head)[0]
                self.assertEqual(verdict, "refuse")
                self.assertTrue(why)

    def test_an_empty_cell_empties_and_a_missing_column_leaves(self):
        device = self.device()
        Device.objects.update(note="keep", asset_tag="SP-1", storage_total_bytes=64_000_000_000)
        self.take(self.csv(f"{device.id},,", head="id,asset_tag,storage_total_bytes"))
        device.refresh_from_db()
        self.assertEqual((device.note, device.asset_tag, device.storage_total_bytes), ("keep", "", None))

    def test_names_that_would_turn_the_line_around_lose_that(self):
        self.take(self.csv("evil\u202egpj,H\u2066older,,orlo,,"))
        self.assertEqual(Device.objects.get().name, "evilgpj")


class ManyAtOnce(Register):
    def furnish(self):
        super().furnish()
        self.devices = [self.device(f"p{n}") for n in range(3)]
        self.ids = [str(device.id) for device in self.devices]

    def change(self, **values: str):
        return self.api.post("/api/devices/change", {"devices": self.ids, "values_told": values}, format="json")

    def test_all_change_and_one_step_takes_it_back(self):
        bulk = self.change(team="Inland Crew", state="in_repair").json()
        self.assertEqual(set(Device.objects.values_list("team__name", "state")), {("Inland Crew", "in_repair")})
        self.assertEqual(self.api.get("/api/devices/changes").json()[0]["id"], bulk["id"])
        self.assertEqual(self.api.post(f"/api/devices/changes/{bulk['id']}/undo").json(), {"left": []})
        self.assertEqual(set(Device.objects.values_list("team__name", "state")), {("Shore Crew", "in_use")})
        self.assertEqual(self.api.post(f"/api/devices/changes/{bulk['id']}/undo").status_code, 409)

    def test_what_somebody_changed_since_is_left_and_named(self):
        bulk = self.change(team="Inland Crew").json()
        Device.objects.filter(id=self.ids[0]).update(team=None)
        left = self.api.post(f"/api/devices/changes/{bulk['id']}/undo").json()["left"]
        self.assertEqual(len(left), 1)
        self.assertIn("team", left[0])
        self.assertEqual(sorted(Device.objects.values_list("team__name", flat=True), key=str), [None, "Shore Crew", "Shore Crew"])

    def test_an_older_change_waits_for_the_newer(self):
        first = self.change(team="Inland Crew").json()
        self.change(team="Front Desk")
        self.assertEqual(self.api.post(f"/api/devices/changes/{first['id']}/undo").status_code, 409)

    def test_one_that_cannot_be_changed_stops_all(self):
        answer = self.change(away_until="soon", state="away")
        self.assertEqual((answer.status_code, answer.json()["field"]), (400, "away_until"))
        self.assertEqual(set(Device.objects.values_list("state", flat=True)), {"in_use"})
        self.ids.append("00000000-0000-0000-0000-000000000000")
        self.assertEqual(self.change(team="X").status_code, 409)
        self.assertEqual(self.change(serial="X").status_code, 400)
        self.assertFalse(Bulk.objects.exists())

    def test_an_import_is_taken_back_with_the_devices_it_made_unless_they_are_linked(self):
        bulk = self.take(self.csv("New,A,,orlo,OR-1,", "Newer,B,,orlo,OR-2,")).json()
        Device.objects.filter(serial="OR-2").update(link="folder", folder="/x")
        left = self.api.post(f"/api/devices/changes/{bulk['id']}/undo").json()["left"]
        self.assertEqual(left, ["Newer"])
        self.assertFalse(Device.objects.filter(serial="OR-1").exists())

    def test_a_device_that_is_lost_loses_its_key_with_the_others(self):
        bulk = self.change(state="lost").json()
        self.assertFalse(Device.objects.exclude(agent_key=None).exists())
        self.assertEqual(JournalEntry.objects.filter(what="device.unpaired").count(), 3)
        left = self.api.post(f"/api/devices/changes/{bulk['id']}/undo").json()["left"]
        self.assertEqual((len(left), set(Device.objects.values_list("state", flat=True))), (3, {"in_use"}))
        self.assertIn("pair it again", left[0])


class AwayUntil(Register):
    def test_a_day_away_needs_the_state_and_leaves_with_it(self):
        device = self.device()
        until = (self.outside.at + timedelta(days=3)).date().isoformat()
        put = lambda **values: self.api.put(f"/api/devices/{device.id}/change", {"values_told": values}, format="json")  # noqa: E731
        put(state="away", away_until=until)
        self.assertEqual(Device.objects.get().away_until.isoformat(), until)
        put(state="in_use")
        self.assertIsNone(Device.objects.get().away_until)
        self.assertEqual(put(colour="red").status_code, 400)
