"""Nothing is removed by mistake of a clock; when in doubt, it stays. And a night is not lost for it either."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

from procrastinate.contrib.django.models import ProcrastinateJob

from core.vault.check import check
from server.people.actions.clock import look_at_clock, settle_clock
from server.people.clock import ClockInDoubt, in_doubt
from server.people.models import ClockState, JournalEntry
from server.retention.actions.apply_rule import apply_rule
from server.retention.actions.leave_sooner import leave_sooner
from server.retention.actions.look_after import look_after, sweep_store
from server.retention.actions.owe_maintenance import owe_maintenance
from server.runs.models import Backup, Copy, CopyState, Run, RunState
from server.runs.tasks import ask_clocks, carry_out_run, tick
from server.telling.actions.watch_office import watch_office
from server.telling.models import Message
from server.tests.pretend import OfficeTestCase

BACK_IN_2001 = datetime(2001, 1, 1, tzinfo=UTC)
FORWARD = timedelta(days=20)


class Clocks(OfficeTestCase):
    """Nightly at 22:00 in Berlin; keep everything of seven days, and be late after 400. Seven backups, one a day."""

    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.nightly = self.plan(self.one, keep_last=0, keep_daily=0, keep_within=7, promise_seconds=400 * 86_400)
        self.place = self.nightly.store
        look_at_clock(now=self.outside.at)
        for day in range(7):
            self.outside.devices["p1"].content["contacts", "c000"] = f"day {day}".encode()
            self.run_now(self.one)
            self.outside.at += timedelta(days=1)
        look_at_clock(now=self.outside.at)

    def jump(self, by: timedelta) -> None:
        """The clock is set; the machine's counter goes on as before."""
        self.outside.at += by
        self.outside.jumped += by

    def restart(self, off: timedelta = timedelta(hours=1)) -> None:
        self.outside.at += off
        self.outside.boot += "+"

    def present(self) -> int:
        return Copy.objects.filter(state=CopyState.PRESENT).count()

    def tick(self) -> None:
        tick.func(timestamp=0)

    def everything(self) -> None:
        """All that a clock could make happen, twice a day for three days."""
        for _ in range(6):
            self.outside.at += timedelta(hours=12)
            self.tick()
            owe_maintenance(now=self.outside.now())
            look_after(self.place.id)
            sweep_store(self.place, now=self.outside.now())
            watch_office(now=self.outside.now())


class NothingIsRemoved(Clocks):
    def test_back_in_2001_seven_copies_stay_seven_and_no_byte_goes(self):
        before = set(self.outside.stores[self.place.where].held)
        self.jump(BACK_IN_2001 - self.outside.at)
        self.everything()
        self.assertEqual(self.present(), 7)
        with self.assertRaises(ClockInDoubt):
            apply_rule(self.one, self.place, now=self.outside.now())
        self.assertLessEqual({name for name in before if name.startswith("packs/")}, set(self.outside.stores[self.place.where].held))
        self.assertTrue(check(self.outside.open_vault(self.place.where), percent=100).ok)

    def test_nor_does_an_undo_period_end_sooner(self):
        self.jump(FORWARD)
        self.tick()
        with self.assertRaises(ClockInDoubt):
            leave_sooner(self.place, why="The store is full.", word="sooner", by=self.ines)

    def test_twenty_days_ahead_nothing_either(self):
        self.jump(FORWARD)
        self.everything()
        self.assertGreaterEqual(self.present(), 7)

    def test_after_a_restart_with_an_empty_battery(self):
        self.restart(BACK_IN_2001 - self.outside.at)
        self.everything()
        self.assertEqual(self.present(), 7)

    def test_time_that_truly_passes_is_believed(self):
        self.outside.at += timedelta(days=30)
        look_at_clock(now=self.outside.at)
        self.assertFalse(in_doubt())
        look_after(self.place.id)
        self.assertLess(self.present(), 7)


class ItIsSaid(Clocks):
    def test_on_today_in_health_in_the_journal_and_by_mail(self):
        self.jump(FORWARD)
        self.tick()
        self.ines.email, self.ines.wants_alerts = "ines@office.example", True
        self.ines.save(update_fields=["email", "wants_alerts"])
        watch_office(now=self.outside.now())
        causes = {cause["code"]: cause for cause in self.api.get("/api/today").json()["causes"]}
        self.assertIn("jumped 20 days ahead", causes["clock"]["says"])
        self.assertTrue(causes["clock"]["step_label"])
        health = self.client.get("/healthz")
        self.assertEqual(health.status_code, 503)
        self.assertIn("clock", " ".join(health.json()["troubles"]))
        since = ClockState.objects.get().doubt_since
        self.outside.at += timedelta(minutes=1)
        self.tick()
        self.assertEqual((JournalEntry.objects.filter(what="clock.doubted").count(), ClockState.objects.get().doubt_since), (1, since))
        self.assertTrue(Message.objects.filter(subject__contains="clock").exists())

    def test_its_page_says_why_and_who_was_heard(self):
        self.jump(FORWARD)
        self.tick()
        self.outside.clocks = [("mail", "mail", -FORWARD)]
        ask_clocks.func(timestamp=0)
        answer = self.api.get("/api/clock").json()
        self.assertIn("20 days ahead", answer["says"])
        self.assertEqual([(row["kind"], round(row["off_seconds"] / 86_400)) for row in answer["witnesses"]], [("mail", -20)])


class HowItIsSettled(Clocks):
    def test_two_witnesses_that_agree_with_it_settle_it_without_anybody(self):
        self.jump(FORWARD)
        self.tick()
        self.assertTrue(in_doubt())
        self.outside.clocks = [("mail", "mail", timedelta()), ("kernel", "kernel", timedelta())]
        ask_clocks.func(timestamp=0)
        self.tick()
        self.assertFalse(in_doubt())
        self.assertIn("agree", ClockState.objects.get().settled_why)

    def test_what_was_heard_before_the_jump_says_nothing_of_it(self):
        self.outside.clocks = [("mail", "mail", timedelta()), ("kernel", "kernel", timedelta())]
        ask_clocks.func(timestamp=0)
        self.outside.clocks = []
        self.outside.at += timedelta(seconds=10)
        self.jump(FORWARD)
        self.tick()
        self.assertTrue(in_doubt())

    def test_devices_are_heard_when_they_are_met(self):
        two = self.device("p2")
        self.plan(self.one, two, name="Both", keep_last=9)
        self.jump(FORWARD)
        self.tick()
        for device in (self.one, two):
            state = self.outside.devices[device.agent_id]
            state.told = replace(state.told, clock=self.outside.at)
            self.run_now(device)
        self.assertTrue(in_doubt(), "devices alone are one voice")
        self.outside.clocks = [("kernel", "kernel", timedelta())]
        ask_clocks.func(timestamp=0)
        self.tick()
        self.assertFalse(in_doubt())

    def test_witnesses_that_agree_against_it_say_by_how_much_it_is_wrong(self):
        self.outside.clocks = [("mail", "mail", timedelta(days=300)), ("the store Cloud", "bucket", timedelta(days=300, seconds=20))]
        ask_clocks.func(timestamp=0)
        self.tick()
        self.assertTrue(in_doubt())
        causes = {cause["code"]: cause for cause in self.api.get("/api/today").json()["causes"]}
        self.assertIn("300 days behind", causes["clock"]["says"])

    def test_set_back_to_what_it_was_it_is_believed_again(self):
        self.jump(FORWARD)
        self.tick()
        self.jump(-FORWARD)
        self.tick()
        self.assertFalse(in_doubt())

    def test_an_administrator_says_that_it_is_right_and_an_operator_may_not(self):
        self.jump(FORWARD)
        self.tick()
        self.assertEqual(self.signed_in("piet").post("/api/clock/settle").status_code, 403)
        self.assertEqual(self.api.post("/api/clock/settle").json()["doubt_since"], None)
        self.assertIn("Ines", JournalEntry.objects.filter(what="clock.settled").get().says)
        look_after(self.place.id)
        self.assertEqual(self.present(), 7, "its protection has lapsed meanwhile: nothing more goes by that clock alone")
        self.run_now(self.one)
        look_after(self.place.id)
        self.assertLess(self.present(), 7)

    def test_a_clock_that_could_not_be_believed_is_not_believed_because_the_machine_was_restarted(self):
        self.jump(FORWARD)
        self.tick()
        self.restart()
        self.tick()
        self.assertTrue(in_doubt())


class NoNightIsLost(Clocks):
    def owed_on(self, day: str) -> int:
        """How many runs are begun when the clock (right again) shows ten past ten that evening."""
        self.outside.at = datetime.fromisoformat(f"{day}T21:10").replace(tzinfo=UTC)
        self.outside.jumped = timedelta()
        self.tick()
        return Run.objects.filter(state=RunState.WAITING, night=day).count()

    def test_a_tick_twenty_days_ahead_writes_nothing_into_the_future_and_the_next_night_is_owed(self):
        real = self.outside.at
        self.jump(FORWARD)
        self.tick()
        self.assertFalse(Run.objects.filter(planned_for__gt=real + timedelta(days=1)).exists())
        self.jump(-FORWARD)
        self.assertEqual(self.owed_on("2026-03-09"), 1)

    def test_rows_of_the_future_that_are_there_already_silence_nothing(self):
        for days in range(1, 25):
            at = self.outside.at + timedelta(days=days)
            Run.objects.create(
                device=self.one, plan=self.nightly, store=self.place, trigger="schedule", state="missed", night=at.date(),
                planned_for=at.replace(hour=22, minute=30, second=0, microsecond=0), asked_at=at,
            )  # fmt: skip
        self.assertEqual(self.owed_on("2026-03-09"), 1)

    def test_in_doubt_nights_go_on_by_the_machines_counter(self):
        self.outside.at = datetime(2026, 3, 9, 12, 0, tzinfo=UTC)
        look_at_clock(now=self.outside.at)
        self.jump(FORWARD)
        self.tick()
        self.assertFalse(Run.objects.filter(state=RunState.WAITING).exists())
        self.outside.at += timedelta(hours=9, minutes=10)  # ten past ten in the evening, truly
        self.tick()
        run = Run.objects.get(state=RunState.WAITING)
        self.assertEqual(f"{run.planned_for:%m-%d %H:%M}", "03-09 21:00")

    def test_after_a_restart_in_doubt_nothing_is_planned_and_the_scheduler_is_not_called_dead(self):
        self.restart(BACK_IN_2001 - self.outside.at)
        count = Run.objects.count()
        self.tick()
        self.assertEqual(Run.objects.count(), count)
        self.assertNotIn("scheduler has stopped", str(self.client.get("/healthz").json()))


class BackupsMadeInDoubt(Clocks):
    def furnish(self):
        super().furnish()
        self.newest = Backup.objects.order_by("-finished_at").first()
        self.jump(FORWARD)
        self.tick()
        self.outside.devices["p1"].content["contacts", "c001"] = b"in doubt"
        self.doubted = self.run_now(self.one).backup

    def test_they_restore_and_are_counted_in_no_promise_and_by_no_rule(self):
        self.assertTrue(self.doubted.in_doubt)
        self.assertEqual(self.api.get(f"/api/backups/{self.doubted.id}/inside?kind=contacts").status_code, 200)
        self.assertEqual(self.api.get(f"/api/devices/{self.one.id}").json()["newest_id"], str(self.newest.id))
        self.jump(-FORWARD)
        self.tick()
        look_after(self.place.id)
        self.assertEqual(Copy.objects.get(backup=self.doubted).state, CopyState.PRESENT)
        self.assertTrue(Backup.objects.get(id=self.doubted.id).in_doubt, "the clock was wrong when it was made")

    def test_found_right_their_dates_are_confirmed(self):
        settle_clock(by=self.ines)
        self.tick()
        self.assertFalse(Backup.objects.get(id=self.doubted.id).in_doubt)
        self.assertEqual(self.api.get(f"/api/devices/{self.one.id}").json()["newest_id"], str(self.doubted.id))

    def test_or_somebody_corrects_one(self):
        self.jump(-FORWARD)
        self.tick()
        path = f"/api/backups/{self.doubted.id}/date"
        self.assertEqual(self.api.post(path, {"at": None}, format="json").json()["field"], "at")
        self.assertEqual(self.api.post(path, {"at": "2040-01-01T00:00:00Z"}, format="json").json()["field"], "at")
        at = self.outside.at - timedelta(minutes=1)
        self.assertEqual(self.api.post(path, {"at": at.isoformat()}, format="json").status_code, 204)
        row = Backup.objects.get(id=self.doubted.id)
        self.assertEqual((row.in_doubt, row.finished_at), (False, at))
        self.assertEqual(self.api.get(f"/api/devices/{self.one.id}").json()["newest_id"], str(self.doubted.id))


class WhoWorksInDoubt(Clocks):
    def test_runs_by_hand_do_and_stores_are_measured(self):
        self.jump(FORWARD)
        self.tick()
        ProcrastinateJob.objects.all().delete()
        self.outside.devices["p1"].content["contacts", "c001"] = b"x"
        self.api.post(f"/api/devices/{self.one.id}/run", {}, format="json")
        job = ProcrastinateJob.objects.get(task_name="carry_out_run")
        carry_out_run.func(**job.args)
        self.assertEqual(Run.objects.order_by("-asked_at").first().state, RunState.COMPLETE)
        ProcrastinateJob.objects.all().delete()
        owe_maintenance(now=self.outside.now())
        self.assertFalse(
            set(ProcrastinateJob.objects.values_list("task_name", flat=True)) & {"apply_rules", "finish_removals", "sweep_store"}
        )
