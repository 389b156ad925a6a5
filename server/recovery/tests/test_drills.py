from datetime import timedelta
from unittest import mock

from procrastinate.contrib.django.models import ProcrastinateJob

from core.vault import blobs as names
from server import ports
from server.jobs import CARRY_OUT_DRILL, CHECK_STORE
from server.oversight.actions.age_out import age_out
from server.people.models import JournalEntry
from server.ports import outside
from server.recovery.actions.carry_out_drill import carry_out_drill
from server.recovery.actions.owe_drills import owe_drills
from server.recovery.models import Drill, DrillRules, DrillState
from server.runs.models import Copy
from server.tests.pretend import OfficeTestCase


class DrillsTestCase(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.plan(self.one)
        self.run_now(self.one)

    def ask(self, **fields: object):
        return self.api.post("/api/drills", {"device": str(self.one.id)} | fields, format="json")

    def drilled(self, **more: object) -> dict:
        answer = self.ask()
        self.assertEqual(answer.status_code, 201, answer.content)
        carry_out_drill(Drill.objects.first().id, **more)
        return self.api.get(f"/api/drills/{answer.json()['id']}").json()

    def set_rules(self, **fields: object):
        usual = {"a_day": 1, "most_minutes": 30, "most_bytes": 1 << 30, "limit_bytes_per_second": None, "wanted_days": None}
        return self.api.put("/api/drills/rules", usual | fields, format="json")


class ADrill(DrillsTestCase):
    def test_what_comes_back_right_is_counted_and_nothing_stays(self):
        drilled = self.drilled()
        backup = self.one.backups.first()
        self.assertEqual((drilled["state"], drilled["items"], drilled["size_bytes"]), ("right", backup.items, backup.size_bytes))
        self.assertEqual({one["label"]: one["count"] for one in drilled["opened"]}, {"records": 150})
        self.assertEqual([one["name"] for one in drilled["unopened"]["named"]], ["notes.sqlite"])
        self.assertEqual(list((outside().exports / "scratch").iterdir()), [])

    def test_damage_in_the_store_is_wrong_names_it_and_has_the_store_checked(self):
        blobs = next(iter(self.outside.stores.values()))
        for name, _ in list(blobs.list(names.PACKS)):
            content = bytearray(blobs.read(name))
            content[len(content) // 2] ^= 1
            blobs.delete(name)
            blobs.create(name, bytes(content))
        ProcrastinateJob.objects.filter(task_name=CHECK_STORE.name).delete()
        drilled = self.drilled()
        self.assertEqual(drilled["state"], "wrong")
        self.assertGreater(drilled["lost"]["count"], 0)
        self.assertEqual(JournalEntry.objects.get(what="drill.wrong").facts["count"], drilled["lost"]["count"])
        self.assertLess(drilled["items"], drilled["of_items"])
        self.assertTrue(ProcrastinateJob.objects.filter(task_name=CHECK_STORE.name, args__percent=100).exists())
        self.assertIn("did not get back", self.api.get("/api/journal").json()["results"][0]["says"])

    def test_names_are_only_for_who_may_look_inside(self):
        id = self.drilled()["id"]
        named = self.signed_in("ulla").get(f"/api/drills/{id}").json()["unopened"]["named"]
        self.assertEqual([(one["name"], one["kind"]) for one in named], [("", "App data")])

    def test_one_of_a_device_at_a_time(self):
        self.assertEqual(self.ask().status_code, 201)
        again = self.ask()
        self.assertEqual((again.status_code, again.json()["code"]), (409, "state.conflict"))

    def test_without_a_whole_backup_at_hand_there_is_nothing_to_drill(self):
        Copy.objects.update(intact=False)
        self.assertEqual(self.ask().status_code, 409)

    def test_a_running_one_is_stopped_with_its_next_piece(self):
        self.ask()
        id = Drill.objects.get().id

        def stop(*arguments: object) -> float:
            Drill.objects.filter(id=id).update(stop_asked=True)
            return next(ticking)

        ticking = iter(range(1, 10_000_000, 5))
        carry_out_drill(id, clock=stop)
        self.assertEqual(Drill.objects.get().state, DrillState.STOPPED)

    def test_one_that_another_worker_ended_meanwhile_stays_as_it_ended(self):
        self.ask()
        id = Drill.objects.get().id

        def end(*arguments: object) -> float:
            Drill.objects.filter(id=id).update(state=DrillState.FAILED, cause="by another")
            return 1.0

        self.assertEqual((carry_out_drill(id, clock=end).state, Drill.objects.get().cause), (DrillState.FAILED, "by another"))

    def test_a_waiting_one_is_stopped_at_once(self):
        id = self.ask().json()["id"]
        self.assertEqual(self.api.post(f"/api/drills/{id}/stop").json()["state"], "stopped")
        self.assertEqual(self.api.post(f"/api/drills/{id}/stop").status_code, 409)
        self.assertEqual(carry_out_drill(Drill.objects.get().id).state, DrillState.STOPPED)

    def test_of_a_device_with_a_key_of_its_own_it_fails_and_says_who_can(self):
        self.sealed_backup(self.one, Copy.objects.get().store)
        drilled = self.drilled()
        self.assertEqual((drilled["state"], drilled["items"]), ("failed", 0))
        self.assertIn("Whoever holds its passphrase", drilled["remedy"])

    def test_a_store_that_is_away_fails_it_with_a_cause(self):
        self.ask()
        with mock.patch.object(outside(), "open_vault", side_effect=OSError("gone")):
            drilled = carry_out_drill(Drill.objects.get().id)
        self.assertEqual((drilled.state, bool(drilled.cause)), (DrillState.FAILED, True))

    def test_the_time_that_it_has_ends_it_and_nothing_proven_is_no_success(self):
        ticking = iter([0.0, *[1e9] * 1_000_000])
        drilled = self.drilled(clock=lambda: next(ticking))
        self.assertEqual((drilled["state"], drilled["cause"][:8]), ("failed", "Its time"))

    def test_the_limit_is_held(self):
        self.set_rules(limit_bytes_per_second=100_000)
        slept: list[float] = []
        self.drilled(clock=lambda: sum(slept), sleep=slept.append)
        self.assertAlmostEqual(sum(slept), self.one.backups.first().size_bytes / 100_000, delta=1.0)


class ByThemselves(DrillsTestCase):
    def turn(self) -> list[str]:
        """A day passes: the devices that are drilled."""
        outside().at += timedelta(days=1)
        owe_drills(now=ports.clock().now())
        rows = list(Drill.objects.filter(state=DrillState.WAITING))
        for row in rows:
            carry_out_drill(row.id)
        return [str(row.device_id) for row in rows]

    def test_every_device_has_its_turn_and_every_store_of_it(self):
        two = self.device("p2")
        self.plan(two, name="Other", kinds=["contacts"])
        self.run_now(two)
        self.assertEqual(sorted(self.turn() + self.turn()), sorted([str(self.one.id), str(two.id)]))
        self.assertEqual(Drill.objects.filter(state=DrillState.RIGHT, by=None).count(), 2)
        first = list(Drill.objects.order_by("asked_at").values_list("device_id", flat=True))
        self.turn()
        self.assertEqual(Drill.objects.order_by("-asked_at").first().device_id, first[0], "the one that was drilled the longest ago")

    def test_once_a_day_and_not_before_the_morning(self):
        self.turn()
        self.assertEqual(owe_drills(now=ports.clock().now()), 0)
        outside().at = outside().at.replace(hour=2) + timedelta(days=1)
        self.assertEqual(owe_drills(now=ports.clock().now()), 0)

    def test_none_where_the_office_wants_none(self):
        self.set_rules(a_day=0)
        self.assertEqual(self.turn(), [])

    def test_one_whose_job_was_lost_is_taken_up_and_not_for_ever(self):
        self.set_rules(a_day=0)
        left = outside().exports / "scratch" / self.ask().json()["id"] / "000000"
        left.parent.mkdir(parents=True)
        left.write_bytes(b"of somebody")
        for attempt in range(5):
            ProcrastinateJob.objects.filter(task_name=CARRY_OUT_DRILL.name).delete()
            Drill.objects.filter(attempts=attempt).update(attempts=attempt + 1, state=DrillState.RUNNING)
            outside().at += timedelta(minutes=5)
            owe_drills(now=ports.clock().now())
        self.assertEqual(Drill.objects.get().state, DrillState.FAILED)
        self.assertFalse(left.parent.exists(), "what its worker left behind is gone")

    def test_a_device_that_was_not_proven_for_so_long_is_an_incident_where_the_office_wants_that(self):
        def unproven() -> list[str]:
            causes = self.api.get("/api/today").json()["causes"]
            return [device["name"] for cause in causes if cause["code"] == "unproven" for device in cause["devices"]]

        self.assertEqual(unproven(), [])
        self.set_rules(wanted_days=30)
        self.assertEqual(unproven(), [self.one.name])
        self.drilled()
        self.assertEqual(unproven(), [])
        outside().at += timedelta(days=31)
        self.assertEqual(unproven(), [self.one.name])

    def test_it_stands_beside_the_newest_check(self):
        row = self.api.get("/api/three-two-one").json()["results"][0]
        self.assertIsNone(row["drilled_at"])
        self.drilled()
        answer = self.api.get("/api/three-two-one").json()
        self.assertEqual(answer["evidence"]["drilled"], 1)
        self.assertIsNotNone(answer["results"][0]["drilled_at"])

    def test_rules_that_are_not_possible_name_the_field(self):
        for field, value in {"a_day": 51, "most_minutes": 0, "most_bytes": 5, "limit_bytes_per_second": 10, "wanted_days": 0}.items():
            answer = self.set_rules(**{field: value})
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, field))
        self.assertEqual(DrillRules.objects.count(), 0)

    def test_old_ones_are_let_go(self):
        self.drilled()
        outside().at += timedelta(days=1100)
        age_out(now=ports.clock().now())
        self.assertEqual(Drill.objects.count(), 0)
