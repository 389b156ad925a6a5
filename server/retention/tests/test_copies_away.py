"""Copies whose store is away, full, paused or slow, and what is owed again."""

from datetime import timedelta

from procrastinate.contrib.django.models import ProcrastinateJob

from core.vault.memory import MemoryBlobs
from server.fleet.models import Scan
from server.people.queries import office_zone
from server.plans.actions.rule_versions import note_version
from server.plans.models import Plan, PlanTarget, RuleVersion
from server.retention.actions.apply_rule import apply_rule
from server.retention.actions.owe_copies import owe_copies_of
from server.retention.actions.owe_maintenance import owe_maintenance
from server.retention.tests.test_copies_owed import SeveralStores, later
from server.runs.actions.ask_run import ask_run_by_hand
from server.runs.actions.carry_copies import LEAST_TOLD, METERED, Paced, carry_copies
from server.runs.actions.carry_out import carry_out
from server.runs.actions.copy_backup import ask_copy
from server.runs.actions.fall_over import _expected_bytes
from server.runs.models import Copy, CopyState, Run, RunState
from server.runs.pace import speed_limit
from server.storage.actions.change_store import set_mode
from server.storage.models import Drive


class AwayAndBack(SeveralStores):
    def test_copies_wait_while_the_store_is_away_and_flow_when_it_is_back(self):
        taken = self.outside.stores.pop(self.cloud.where)
        first, second = self.night(), self.night()
        self.assertEqual(carry_copies(self.cloud.id), 0)
        self.cloud.refresh_from_db()
        self.assertTrue(self.cloud.trouble)
        self.assertEqual(self.states(self.cloud), ["owed", "owed"])
        self.assertTrue(all(Copy.objects.filter(store=self.cloud).values_list("cause", flat=True)))
        self.outside.stores[self.cloud.where] = taken
        self.assertEqual(carry_copies(self.cloud.id), 0, "not asked again at once")
        self.outside.at += timedelta(minutes=6)
        ProcrastinateJob.objects.all().delete()
        owe_maintenance(now=self.outside.at)
        self.assertTrue(ProcrastinateJob.objects.filter(task_name="carry_copies").exists())
        self.assertEqual(carry_copies(self.cloud.id), 2)
        self.cloud.refresh_from_db()
        self.assertEqual((self.cloud.trouble, self.states(self.cloud)), ("", ["present", "present"]))
        self.assertEqual({first.state, second.state}, {RunState.COMPLETE})

    def test_where_the_source_is_away_the_target_is_not_said_to_be(self):
        self.night()
        taken = self.outside.stores.pop(self.room.where)
        self.assertEqual(carry_copies(self.cloud.id), 0)
        self.room.refresh_from_db()
        self.cloud.refresh_from_db()
        self.assertEqual((bool(self.room.trouble), self.cloud.trouble), (True, ""))
        self.assertEqual(self.states(self.cloud), ["owed"])
        self.outside.stores[self.room.where] = taken
        self.outside.at += timedelta(minutes=2)
        self.assertEqual(carry_copies(self.cloud.id), 1)

    def test_only_what_somebody_asked_for_is_withdrawn(self):
        self.night()
        row = Copy.objects.get(store=self.cloud)
        self.assertEqual(self.api.post(f"/api/copies/{row.id}/withdraw").status_code, 409)
        Copy.objects.filter(id=row.id).update(state=CopyState.FAILED)
        self.assertEqual(self.api.post(f"/api/copies/{row.id}/withdraw").status_code, 409, "its plan would want it again at once")
        third = self.store("Third")
        asked = ask_copy(self.one.backups.get(), third, by=self.ines)
        self.assertEqual(self.api.post(f"/api/copies/{asked.id}/withdraw").status_code, 204)
        self.assertEqual(self.states(third), ["removed"])

    def test_what_minds_a_metered_line_waits_for_another_and_a_copy_under_way_stops(self):
        self.follow(plan=self.nightly, not_metered=True)
        self.night()
        line = lambda metered: self.api.post("/api/office/line", {"metered": metered}, format="json")  # noqa: E731
        self.assertTrue(line(True).json()["line_is_metered"])
        self.assertEqual(carry_copies(self.cloud.id), 0)
        row = Copy.objects.get(store=self.cloud)
        self.assertEqual((row.state, row.cause), (CopyState.OWED, METERED))
        line(False)
        self.outside.at += timedelta(minutes=11)
        ticking = iter(range(0, 100_000, 2))

        def turns_metered_on_the_way(_seconds: float) -> None:
            line(True)

        PlanTarget.objects.filter(store=self.cloud).update(limit_bytes_per_second=1)  # so that it sleeps
        carry_copies(self.cloud.id, seconds=lambda: float(next(ticking)), sleep=turns_metered_on_the_way)
        row.refresh_from_db()
        self.assertEqual((row.state, row.cause), (CopyState.OWED, METERED))
        line(False)
        PlanTarget.objects.filter(store=self.cloud).update(limit_bytes_per_second=None)
        self.outside.at += timedelta(minutes=30)
        self.assertEqual(carry_copies(self.cloud.id), 1)

    def test_a_copy_under_way_stops_once_its_store_is_only_read(self):
        self.night()
        PlanTarget.objects.filter(store=self.cloud).update(limit_bytes_per_second=1)  # so that it sleeps
        ticking = iter(range(0, 100_000, 2))
        paused = lambda _seconds: set_mode(self.cloud, "paused", why="it is moved", by=self.ines)  # noqa: E731
        self.assertEqual(carry_copies(self.cloud.id, seconds=lambda: float(next(ticking)), sleep=paused), 0)
        row = Copy.objects.get(store=self.cloud)
        self.assertEqual((row.state, row.cause), (CopyState.OWED, "Nothing is written into this store any more."))

    def test_a_backup_that_nobody_has_looked_at_is_owed_to_no_store(self):
        self.night()
        content = self.outside.devices["p1"].content
        for key in [key for key in content if key[0] == "contacts"]:
            del content[key]
        suspect = self.night().backup
        self.assertTrue(suspect.suspect)
        self.assertFalse(Copy.objects.filter(backup=suspect, store=self.cloud).exists())

    def test_a_copy_that_failed_is_owed_again_after_a_day(self):
        self.night()
        now = self.outside.now()
        for ago, owed in ((timedelta(days=1, seconds=-1), 0), (timedelta(days=1), 1)):
            Copy.objects.filter(store=self.cloud).update(state=CopyState.FAILED, asked_at=now - ago, attempts=5)
            self.assertEqual(owe_copies_of(self.one.id, now=now), owed)
            row = Copy.objects.get(store=self.cloud)
            self.assertEqual((row.state, row.attempts), (CopyState.OWED, 0) if owed else (CopyState.FAILED, 5))

    def test_where_no_rule_can_be_computed_nothing_is_judged_and_all_is_owed(self):
        self.night()
        Copy.objects.filter(store=self.cloud).delete()
        Plan.objects.update(keep_last=0, keep_daily=0)
        RuleVersion.objects.all().delete()
        self.assertEqual(owe_copies_of(self.one.id, now=self.outside.now()), 1)

    def test_how_fast_a_drive_takes_it_is_smoothed_and_a_few_bytes_tell_nothing(self):
        Drive.objects.create(store=self.cloud)
        self.night()
        Copy.objects.filter(store=self.cloud).update(state=CopyState.COPYING)
        row = Copy.objects.get(store=self.cloud)
        for done, took, speed in ((LEAST_TOLD, 0, None), (LEAST_TOLD - 1, 1, None), (100_000, 10, 10_000), (200_000, 10, 13_000)):
            ticking = iter((5.0, *[5.0 + took] * 3))
            pace = Paced(None, seconds=lambda: next(ticking), sleep=lambda _: None)  # noqa: B023
            pace(row, done, done)
            pace.note_speed(row)
            told = Drive.objects.get(store=self.cloud).bytes_per_second
            self.assertEqual(told if told is None else round(told), speed)

    def test_a_rule_is_applied_in_the_store_that_is_looked_after_and_in_no_other(self):
        for _ in range(3):
            self.night()
            carry_copies(self.cloud.id)
        self.assertEqual(apply_rule(self.one, self.room, now=self.outside.now()), 1)
        self.assertEqual([self.states(store).count("removing") for store in (self.room, self.cloud)], [1, 0])

    def test_a_device_that_follows_no_plan_any_more_is_owed_nothing(self):
        self.night()
        self.assertEqual(self.states(self.cloud), ["owed"])
        self.nightly.assignments.all().delete()
        self.assertEqual(owe_copies_of(self.one.id, now=self.outside.now()), 0)
        self.assertEqual(self.states(self.cloud), [])

    def test_what_left_a_store_is_owed_again_where_a_rule_keeps_more_and_withdrawn_where_it_does_not(self):
        for _ in range(3):
            self.night()
            carry_copies(self.cloud.id)
        gone = Copy.objects.filter(store=self.cloud).earliest("backup__finished_at")
        was = {"asked_at": None, "due_at": None, "attempts": 4, "cause": "old", "by": self.ines}
        Copy.objects.filter(id=gone.id).update(state=CopyState.REMOVED, removed_at=self.outside.now(), **was)
        for keep, owed in ((2, False), (3, True), (2, False)):
            Plan.objects.update(keep_last=keep)
            RuleVersion.objects.all().delete()
            note_version({"last": keep}, by=self.ines, now=self.outside.now(), plan=self.nightly)
            self.assertEqual(owe_copies_of(self.one.id, now=self.outside.now()), int(owed))
            gone.refresh_from_db()
            told = (gone.state, gone.cause, gone.asked_at is not None, gone.due_at is not None, gone.removed_at is not None)
            self.assertEqual(told, (CopyState.OWED if owed else CopyState.REMOVED, "" if owed else gone.cause, owed, owed, True))
            if owed:
                self.assertEqual((gone.attempts, gone.by), (0, None))

    def test_a_run_goes_to_the_next_store_that_its_plan_names_and_the_first_is_owed_it(self):
        self.follow(plan=self.nightly, falls_over=True)
        self.night()
        carry_copies(self.cloud.id)
        taken = self.outside.stores.pop(self.room.where)
        run = self.night()
        self.assertEqual((run.state, run.store, run.fell_over_from), (RunState.COMPLETE, self.cloud, self.room))
        self.assertIn("goes to Cloud instead and builds on the backup", "\n".join(line["says"] for line in run.log))
        self.assertLess(run.read_bytes, run.backup.size_bytes, "it read anew what lies there already")
        self.assertEqual((self.states(self.room), self.states(self.cloud)), (["present", "owed"], ["present", "present"]))
        self.assertEqual(
            self.fell_over(), [f"1 run went to another store, since {self.room.name} could not take them; what came lies there alone"]
        )
        self.outside.stores[self.room.where] = taken
        self.outside.at += timedelta(minutes=6)
        self.assertEqual(carry_copies(self.room.id), 1)
        self.assertEqual(self.fell_over(), [], "it does not end")
        self.assertEqual(self.night().store, self.room)

    def fell_over(self) -> list[str]:
        return [cause["says"] for cause in self.api.get("/api/today").json()["causes"] if cause["code"].startswith("fell_over")]

    def test_a_run_falls_over_to_no_store_that_the_plan_does_not_name_for_it(self):
        self.outside.stores.pop(self.room.where)
        run = self.run_now(self.one)
        self.assertEqual((run.store, run.fell_over_from, run.cause_code), (self.room, None, "store.missing"))

    def test_a_run_goes_nowhere_where_hours_or_speed_do_not_let_it_end(self):
        self.night()
        self.outside.stores.pop(self.room.where)
        noon = self.outside.at.astimezone(office_zone()).time().replace(tzinfo=None)
        for limits, said in (
            ({"copies_from": later(noon, 2), "copies_until": later(noon, 4)}, "its plan lets nothing go there before"),
            ({"limit_bytes_per_second": 256 * 1024}, "a second take"),
        ):
            with self.subTest(limits=limits):
                self.follow(plan=self.nightly, falls_over=True, **limits)
                run = self.cut_short(timedelta(seconds=1))
                self.assertEqual((run.store, run.fell_over_from, run.cause_code), (self.room, None, "store.missing"))
                self.assertIn(f"It does not go to Cloud: {said}" if "plan" in said else said, "\n".join(line["says"] for line in run.log))
        run = self.cut_short(timedelta(hours=1))
        self.assertEqual((run.state, run.store), (RunState.COMPLETE, self.cloud), "there is time enough")
        self.assertIn(
            "takes everything, since no backup of this device lies there: at most about", "\n".join(line["says"] for line in run.log)
        )
        self.assertEqual(speed_limit(self.one, run)(), 256 * 1024, "it reads no faster than that store's line allows")

    def test_where_nothing_lies_yet_all_of_the_device_is_reckoned_with(self):
        run = ask_run_by_hand(self.one, note="", by=self.ines)
        self.assertEqual(_expected_bytes(run, self.room), 0, "nothing is known of the device")
        Scan.objects.create(device=self.one, at=self.outside.at, kinds=[{"size_bytes": 300}, {"size_bytes": 40}])
        self.assertEqual(_expected_bytes(run, self.room), 340, "as it was seen")
        run = carry_out(run.id)
        self.assertEqual(_expected_bytes(run, self.room), run.read_bytes, "what a night brings")
        self.assertEqual(_expected_bytes(run, self.cloud), run.backup.size_bytes, "all, as the newest backup has it")

    def cut_short(self, left: timedelta):
        """A run whose window closes so soon."""
        self.outside.at += timedelta(days=1)
        content = bytes(count_of % 251 for count_of in range(40_000))
        self.outside.devices[self.one.agent_id].content["documents", f"d{self.outside.at:%d%H%M}"] = content
        run = ask_run_by_hand(self.one, note="", by=self.ines)
        Run.objects.filter(id=run.id).update(gives_up_at=self.outside.at + left)
        return carry_out(run.id)

    def test_a_run_that_would_not_fit_goes_where_it_fits(self):
        self.follow(plan=self.nightly, falls_over=True)
        self.room.allowance_bytes = 1
        self.room.save(update_fields=["allowance_bytes"])
        run = self.night()
        self.assertEqual((run.state, run.store), (RunState.COMPLETE, self.cloud))
        self.assertIn("left", "\n".join(line["says"] for line in run.log))

    def test_a_paused_store_is_written_by_nobody_and_a_detached_one_is_not_opened(self):
        self.night()
        set_mode(self.cloud, "paused", why="moved over the weekend", by=self.ines)
        self.assertEqual((carry_copies(self.cloud.id), self.states(self.cloud)), (0, ["owed"]))
        with self.assertRaisesMessage(Exception, "Cloud is paused"):
            ask_copy(self.one.backups.get(), self.cloud, by=self.ines)
        set_mode(self.room, "detached", why="", by=self.ines)
        held = self.outside.stores[self.room.where].held
        self.outside.stores[self.room.where] = MemoryBlobs()  # whoever opened it now would say that it is no store
        self.assertEqual(self.run_now(self.one).cause_code, "store.closed")
        self.outside.stores[self.room.where].held = held
        set_mode(self.room, "in_use", why="", by=self.ines)
        set_mode(self.cloud, "in_use", why="", by=self.ines)
        self.assertEqual(carry_copies(self.cloud.id), 1)
