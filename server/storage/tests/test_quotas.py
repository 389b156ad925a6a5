"""Whose bytes over the network: tables that end in what lies there, days, allowances, runways."""

import csv
import io
import random
from dataclasses import replace
from datetime import UTC, datetime, time, timedelta
from unittest import mock

from django.db import connection
from django.test.utils import CaptureQueriesContext

from core.units import MIB
from core.vault.blobs import PACKS
from core.vault.capture import Capture, Request
from core.vault.errors import StoreHolds
from core.vault.memory import MemoryBlobs
from core.vault.remembered_trees import decoded_trees
from core.vault.tests.bench_of_one import MemoryDevice
from core.vault.writer import Writer
from server.api.problems import Conflict
from server.fleet.models import Device
from server.people.models import JournalEntry, Team
from server.retention.actions.look_after import look_after, sweep_store
from server.retention.actions.measure import measure
from server.runs.models import Copy, CopyState
from server.storage.actions.set_allowance import take_allowance_away
from server.storage.at_hand import forget
from server.storage.models import Allowance, BackupOccupancy, StoreDay
from server.storage.queries import opened
from server.telling.metrics import metrics_text
from server.tests.pretend import OfficeTestCase


class Measured(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.room = self.store()
        self.one, self.two = self.device("p1"), self.device("p2")
        self.crew = Team.objects.get(name="Shore Crew")
        Device.objects.filter(id=self.two.id).update(team=None)
        self.outside.devices["p2"].content["photos", "own"] = random.Random(2).randbytes(80_000)
        self.plan(self.one, self.two, store=self.room)
        for device in (self.one, self.two):
            self.run_now(Device.objects.get(id=device.id))
        measure(self.room, now=self.outside.now())
        self.room.refresh_from_db()

    def lying(self) -> int:
        return sum(len(content) for content in self.outside.stores[self.room.where].held.values())

    def occupied(self, **asked: object) -> dict:
        answer = self.api.get(f"/api/stores/{self.room.id}/occupied", asked)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()


class WhoseBytes(Measured):
    def test_every_table_ends_in_what_the_medium_really_holds(self):
        for by in ("team", "holder", "plan", "device", "kind"):
            occupied = self.occupied(by=by)
            summed = sum(one["fair_bytes"] for one in occupied["lines"]) + sum(one["bytes"] for one in occupied["nobodys"])
            self.assertEqual((by, summed, occupied["sum_bytes"]), (by, self.lying(), self.lying()))
            self.assertEqual(self.room.stored_bytes, self.lying())
        day = StoreDay.objects.filter(store=self.room).latest("day")
        for by, told in (("kind", day.kinds), ("device", day.devices)):
            self.assertEqual(sum(told.values()), sum(one["fair_bytes"] for one in self.occupied(by=by)["lines"]), by)
            self.assertGreater(min(told.values()), 0)
        self.assertEqual(
            {one["code"] for one in occupied["nobodys"]}, {"leaving", "unneeded", "marked", "held", "packing", "arriving", "lists"}
        )

    def test_what_the_place_does_not_let_go_of_is_a_row_of_its_own_and_no_room(self):
        vault = opened(self.room)
        vault.remove(Copy.objects.get(backup__device=self.two).backup_id.bytes)
        Copy.objects.filter(backup__device=self.two).update(state=CopyState.REMOVED, removed_at=self.outside.now())
        sweep_store(self.room, now=self.outside.now())
        self.outside.at += timedelta(hours=2)
        real = MemoryBlobs.delete

        def holds(blobs: MemoryBlobs, name: str) -> None:
            if name.startswith(PACKS):
                raise StoreHolds("It is locked.")
            real(blobs, name)

        with mock.patch.object(MemoryBlobs, "delete", holds):  # seen, seen again, and to be removed
            for _ in range(2):
                sweep_store(self.room, now=self.outside.now())
                self.outside.at += timedelta(hours=2)
        measure(self.room, now=self.outside.now())
        by_key = {one["code"]: one["bytes"] for one in self.occupied()["nobodys"]}
        self.assertGreater(by_key["held"], 80_000)
        self.assertLess(by_key["unneeded"] + by_key["marked"], 40_000)
        self.room.refresh_from_db()
        self.test_every_table_ends_in_what_the_medium_really_holds()
        forget()
        offers = {one["key"]: one["bytes"] for one in self.api.get(f"/api/stores/{self.room.id}/room").json()["offers"]}
        self.assertLess(offers.get("waste", 0), 40_000)
        for _ in range(4):
            self.outside.at += timedelta(hours=2)
            sweep_store(self.room, now=self.outside.now())
        measure(self.room, now=self.outside.now())
        self.assertEqual({one["code"]: one["bytes"] for one in self.occupied()["nobodys"]}["held"], 0)

    def test_teams_devices_and_plans_go_by_their_names(self):
        self.assertEqual({one["name"]: one["backups"] for one in self.occupied(by="team")["lines"]}, {"Shore Crew": 1, "no team": 1})
        self.assertEqual([one["name"] for one in self.occupied(by="device")["lines"]], ["Orlo H1, Holder of p2", "Orlo H1, Holder of p1"])
        self.assertEqual([one["name"] for one in self.occupied(by="plan")["lines"]], ["Nightly"])
        self.assertIn("Photos", [one["name"] for one in self.occupied(by="kind")["lines"]])

    def test_a_device_is_divided_among_its_kinds_and_its_backups(self):
        row = self.room.occupancies.get(device=self.two)
        kinds = self.occupied(device=str(self.two.id))
        self.assertEqual(kinds["sum_bytes"], row.fair_bytes)
        self.assertGreater(next(one for one in kinds["lines"] if one["key"] == "photos")["alone_bytes"], 80_000)
        shares = BackupOccupancy.objects.filter(device=self.two)
        self.assertEqual(sum(one.fair_bytes for one in shares), row.fair_bytes)

    def test_what_leaves_is_nobodys(self):
        Copy.objects.filter(backup__device=self.two).update(state=CopyState.LEAVING)
        measure(self.room, now=self.outside.now())
        occupied = self.occupied(by="device")
        self.assertEqual([one["name"] for one in occupied["lines"]], ["Orlo H1, Holder of p1"])
        leaving = next(one for one in occupied["nobodys"] if one["code"] == "leaving")
        self.assertGreater(leaving["bytes"], 80_000)
        self.assertEqual(occupied["sum_bytes"], self.lying())

    def test_what_goes_by_itself_is_added_up_for_the_day(self):
        Copy.objects.filter(backup__device=self.one).update(state=CopyState.LEAVING)
        gone = Copy.objects.get(backup__device=self.two)
        self.outside.open_vault(self.room.where).remove(gone.backup_id.bytes)
        gone.delete()
        measure(self.room, now=self.outside.now(), anew=True)
        parts = {
            one["code"]: one["bytes"] for one in self.occupied(by="device")["nobodys"] if one["code"] in ("leaving", "unneeded", "marked")
        }
        self.assertGreater(parts["unneeded"], 70_000)
        self.assertEqual(StoreDay.objects.get().going_bytes, sum(parts.values()))

    def test_what_another_program_wrote_stands_in_the_table_too(self):
        vault = self.outside.open_vault(self.room.where)
        request = Request(device="laptop", device_told={"name": "laptop"}, kinds=("photos",), note="", zone="UTC")
        Capture(
            MemoryDevice({("photos", "strange"): random.Random(7).randbytes(50_000)}), Writer(vault), request, clock=self.outside.now
        ).run(None)
        measure(self.room, now=self.outside.now())
        occupied = self.occupied(by="device")
        self.assertEqual(occupied["lines"][-1]["name"], "devices that are not in the list")
        self.assertGreater(occupied["lines"][-1]["fair_bytes"], 50_000)
        self.assertEqual(occupied["sum_bytes"], self.lying())

    def test_kinds_by_team_add_up_to_the_teams(self):
        rows = self.api.get(f"/api/stores/{self.room.id}/occupied/kinds").json()
        teams = {one["name"]: one["fair_bytes"] for one in self.occupied(by="team")["lines"]}
        self.assertEqual({row["team"] or "no team": sum(row["kinds"].values()) for row in rows}, teams)

    def test_as_a_table_it_ends_in_the_same_sum(self):
        answer = self.api.get(f"/api/stores/{self.room.id}/occupied.csv", {"by": "team"})
        rows = list(csv.DictReader(io.StringIO(answer.content.decode())))
        self.assertEqual(sum(int(row["share"]) for row in rows[:-1]), int(rows[-1]["share"]))
        self.assertEqual((rows[-1]["name"], int(rows[-1]["share"])), ("all that lies there", self.lying()))

    def test_it_is_read_in_the_same_queries_however_many_there_are(self):
        with CaptureQueriesContext(connection) as few:
            self.occupied(by="device")
        for number in range(3, 7):
            device = self.device(f"p{number}")
            self.plan(device, store=self.room, name=f"Plan {number}")
            self.run_now(device)
        measure(self.room, now=self.outside.now())
        with CaptureQueriesContext(connection) as many:
            self.occupied(by="device")
        self.assertEqual(len(many), len(few))


class Remembered(Measured):
    def path(self):
        return self.outside.remembered / f"{self.room.vault_id}.trees"

    def figures(self) -> list[dict]:
        return [self.occupied(by=by) for by in ("team", "device", "kind")]

    def test_what_was_read_once_is_not_read_again_and_tells_the_same(self):
        self.assertTrue(self.path().exists())
        fresh = self.figures()
        with mock.patch("core.vault.needs._read", side_effect=lambda vault, chunks, needs: iter(self.assertFalse(chunks) or ())):
            measure(self.room, now=self.outside.now())
        self.room.refresh_from_db()
        self.assertEqual((self.figures(), self.room.trouble), (fresh, ""))

    def test_each_night_all_is_read_and_what_differs_is_said_and_made_anew(self):
        fresh, kept = self.figures(), self.path().read_bytes()
        known = decoded_trees(kept)
        turned = replace(known, ids=known.ids[16:] + known.ids[:16])
        self.path().write_bytes(turned.encoded())
        measure(self.room, now=self.outside.now())
        self.assertNotEqual(self.figures(), fresh)
        look_after(self.room.id, now=self.outside.now())
        (said,) = JournalEntry.objects.filter(what="store.remembered_wrong")
        self.assertRegex(said.says, r"was not what [1-9] of its lists say")
        self.assertEqual(decoded_trees(self.path().read_bytes()).differing(known), 0)
        self.assertEqual(self.figures()[1]["lines"], fresh[1]["lines"])
        look_after(self.room.id, now=self.outside.now())
        self.assertEqual(JournalEntry.objects.filter(what="store.remembered_wrong").count(), 1)

    def test_a_file_that_cannot_be_read_or_kept_costs_time_only(self):
        fresh = self.figures()
        self.path().write_bytes(b"cut")
        with self.assertLogs("attic.storage", "WARNING"):
            measure(self.room, now=self.outside.now())
        self.assertEqual(self.figures(), fresh)
        self.assertNotEqual(self.path().read_bytes(), b"cut")
        path = self.path()
        path.write_bytes(b"no folder")
        self.outside.remembered = path
        with self.assertLogs("attic.storage", "WARNING"):
            measure(self.room, now=self.outside.now())
        self.assertEqual(self.figures(), fresh)

    def test_what_was_remembered_of_a_store_that_is_gone_goes(self):
        old = self.path().with_name("0" * 32 + ".trees")
        old.write_bytes(b"")
        self.outside.devices["p1"].content["photos", "new"] = b"new"
        self.run_now(Device.objects.get(id=self.one.id))
        measure(self.room, now=self.outside.now())
        self.assertEqual((old.exists(), self.path().exists()), (False, True))


class OverTime(Measured):
    def test_a_day_is_noted_once_and_again_when_it_changes(self):
        measure(self.room, now=self.outside.now())
        self.assertEqual(StoreDay.objects.count(), 1)
        self.outside.at += timedelta(days=1)
        self.outside.devices["p1"].content["photos", "more"] = random.Random(5).randbytes(60_000)
        self.run_now(Device.objects.get(id=self.one.id))
        measure(self.room, now=self.outside.now())
        answer = self.api.get(f"/api/stores/{self.room.id}/over-time", {"by": "team"}).json()
        self.assertEqual((sorted(answer["names"]), len(answer["days"])), (["Shore Crew", "no team"], 2))
        crew = answer["names"].index("Shore Crew")
        self.assertGreater(answer["days"][1]["parts"][crew], answer["days"][0]["parts"][crew] + 50_000)
        self.assertEqual([one["drawn"] for one in answer["days"]], [False, False])
        for by in ("device", "kind"):
            self.assertTrue(self.api.get(f"/api/stores/{self.room.id}/over-time", {"by": by}).json()["names"])

    def test_as_a_table(self):
        answer = self.api.get(f"/api/stores/{self.room.id}/over-time.csv", {"by": "team"})
        (row,) = csv.DictReader(io.StringIO(answer.content.decode()))
        self.assertEqual(int(row["stored"]), self.room.stored_bytes)
        self.assertIn("Shore Crew", row)

    def test_its_runway_is_told_with_the_list_once_enough_is_known(self):
        (row,) = self.api.get("/api/stores").json()
        self.assertEqual(row["runway"]["says"], "Nothing limits it.")
        self.room.allowance_bytes = self.room.stored_bytes + 200 * MIB
        self.room.save(update_fields=["allowance_bytes"])
        self.assertEqual(self.told()["says"], "Too little is known yet: it was measured on 1 day.")
        today = StoreDay.objects.get()
        for back in range(1, 40):
            StoreDay.objects.create(
                store=self.room, day=today.day - timedelta(days=back), stored_bytes=today.stored_bytes - back * 10 * MIB
            )
        said = self.told()
        self.assertEqual((said["days"], said["earliest"], said["latest"], said["says"]), (20, 20, 20, "Full in 20 days (20 to 20)."))
        self.assertEqual((said["full_on"], said["soon"], said["pace_bytes"]), (str(today.day + timedelta(days=20)), True, 300 * MIB))
        self.assertIn(f'attic_store_full_in_days{{store="{self.room.id}"}} 20.0', metrics_text(now=self.outside.at).decode())
        self.outside.at += timedelta(days=5)
        self.assertEqual(self.told()["days"], 15, "days that were not measured pass all the same")

    def test_its_day_is_the_offices_and_not_that_of_greenwich(self):
        self.room.allowance_bytes = self.room.stored_bytes + 200 * MIB
        self.room.save(update_fields=["allowance_bytes"])
        today = StoreDay.objects.get()
        for back in range(1, 40):
            StoreDay.objects.create(
                store=self.room, day=today.day - timedelta(days=back), stored_bytes=today.stored_bytes - back * 10 * MIB
            )
        self.outside.at = datetime.combine(today.day, time(23, 30), UTC)  # in Berlin the next day has begun
        said = self.told()
        self.assertEqual((said["days"], said["full_on"]), (19, str(today.day + timedelta(days=20))))

    def told(self) -> dict:
        return self.api.get("/api/stores").json()[0]["runway"]

    def test_what_goes_by_itself_is_no_growth(self):
        self.room.allowance_bytes = self.room.stored_bytes + 200 * MIB
        self.room.save(update_fields=["allowance_bytes"])
        today = StoreDay.objects.get()
        for back in range(1, 40):
            day, more = today.day - timedelta(days=back), (40 - back) * 10 * MIB
            StoreDay.objects.create(store=self.room, day=day, stored_bytes=today.stored_bytes + more, going_bytes=more)
        self.assertEqual(self.told()["says"], "It does not grow.")


class Allowances(Measured):
    def put(self, **fields: object):
        return self.api.put(f"/api/stores/{self.room.id}/allowances", fields, format="json")

    def rows(self) -> list[dict]:
        return self.api.get(f"/api/stores/{self.room.id}/allowances").json()

    def test_a_team_over_its_soft_one_is_over_and_after_its_grace_overdue(self):
        answer = self.put(team=self.crew.id, soft_bytes=100_000, grace_days=3)
        self.assertEqual((answer.status_code, answer.json()["standing"], answer.json()["of"]), (200, "over", "Shore Crew"))
        self.assertIn(
            "Shore Crew may hold 97.7 KiB before it needs a person after 3 days in Server room", JournalEntry.objects.first().says
        )
        self.outside.at += timedelta(days=3)
        measure(self.room, now=self.outside.now())
        (row,) = self.rows()
        self.assertEqual((row["standing"], row["soft_held"] > 100_000), ("overdue", True))
        still = self.put(team=self.crew.id, soft_bytes=100_001, grace_days=3).json()
        self.assertEqual((still["standing"], still["over_since"]), ("overdue", row["over_since"]), "a byte more begins no new grace period")
        self.put(team=self.crew.id, soft_bytes=10 * MIB)
        self.assertEqual([(row["standing"], row["over_since"]) for row in self.rows()], [("within", None)])

    def test_what_a_soft_one_counts_can_be_chosen_and_a_hard_one_counts_all(self):
        row = self.room.occupancies.get(device=self.one)
        for counts, held in (("needed", row.alone_bytes + row.shared_bytes), ("fair", row.fair_bytes), ("alone", row.alone_bytes)):
            answer = self.put(device=str(self.one.id), soft_bytes=1, soft_counts=counts, hard_bytes=5 * MIB).json()
            self.assertEqual((answer["soft_held"], answer["hard_held"]), (held, row.alone_bytes + row.shared_bytes))
        self.assertEqual(Allowance.objects.count(), 1)
        self.assertEqual(self.put(device=str(self.one.id), hard_bytes=1000).json()["standing"], "full")

    def test_what_it_counted_each_day_is_kept_for_its_runway(self):
        self.put(team=self.crew.id, hard_bytes=50 * MIB)
        measure(self.room, now=self.outside.now())
        self.assertEqual(list(StoreDay.objects.get().counted.values()), [self.rows()[0]["hard_held"]])
        self.assertEqual(self.rows()[0]["runway"]["short"], "not known yet")

    def test_a_store_calls_somebody_before_it_is_full(self):
        answer = self.put(soft_bytes=1000, grace_days=0).json()
        self.assertEqual((answer["of"], answer["standing"], answer["soft_held"]), ("Server room", "overdue", self.room.stored_bytes))
        self.assertEqual(self.put(hard_bytes=MIB).json()["field"], "hard_bytes")

    def test_what_makes_no_sense_is_named_with_its_field(self):
        empty = Team.objects.create(name="Nobody's")
        for value, field in (
            ({"team": self.crew.id, "hard_bytes": -1}, "hard_bytes"), ({"team": self.crew.id, "soft_bytes": 0}, "soft_bytes"),
            ({"team": self.crew.id, "hard_bytes": 1 << 60}, "hard_bytes"), ({"team": self.crew.id}, "hard_bytes"),
            ({"team": self.crew.id, "soft_bytes": 200, "hard_bytes": 100}, "soft_bytes"),
            ({"team": self.crew.id, "soft_bytes": 200, "grace_days": 4000}, "grace_days"),
            ({"team": empty.id, "soft_bytes": 200}, "team"), ({"team": self.crew.id, "device": str(self.one.id), "soft_bytes": 1}, "team"),
            ({"team": self.crew.id, "soft_bytes": 200, "soft_counts": "all"}, "soft_counts"),
        ):  # fmt: skip
            answer = self.put(**value)
            self.assertEqual((answer.status_code, answer.json().get("field")), (400, field), value)
        self.assertFalse(Allowance.objects.exists())
        self.assertEqual(self.put(team=12345, soft_bytes=200).status_code, 404)

    def test_it_can_be_taken_away_by_who_sets_the_office_up(self):
        id = self.put(team=self.crew.id, soft_bytes=1000).json()["id"]
        self.assertEqual(self.signed_in("ulla").delete(f"/api/allowances/{id}").status_code, 403)
        self.assertEqual(self.api.delete(f"/api/allowances/{id}").status_code, 204)
        self.assertEqual((self.rows(), JournalEntry.objects.first().what), ([], "allowance.taken_away"))

    def test_two_who_take_it_away_at_once(self):
        self.put(team=self.crew.id, soft_bytes=1000)
        row = Allowance.objects.get()
        take_allowance_away(row, by=self.ines)
        with self.assertRaisesRegex(Conflict, "already"):
            take_allowance_away(Allowance(id=1, store=self.room), by=self.ines)
        self.assertEqual(JournalEntry.objects.filter(what="allowance.taken_away").count(), 1)
