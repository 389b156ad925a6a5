"""What a run waits for, and until when."""

from dataclasses import replace
from datetime import time, timedelta
from unittest import mock

from core.content.link import Card
from server.runs.actions.carry_out import EARLY, carry_out
from server.runs.actions.end_run import give_up
from server.runs.actions.start_due import start_due
from server.runs.models import Run, RunState
from server.runs.tests.test_nights import NightsTestCase


class WhatHoldsARunBack(NightsTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()

    def told(self, **state: object) -> None:
        device = self.outside.devices["p1"]
        device.told = replace(device.told, **state)

    def test_conditions_are_waited_for_and_told_in_plain_words(self):
        self.plan(self.one, needs_power=True, needs_battery_percent=40, not_in_use_minutes=30)
        self.tick("2026-03-02T21:00")
        run = Run.objects.get()
        self.told(on_power=False, battery_percent=80)
        run = carry_out(run.id)
        self.assertEqual((run.state, run.cause_code), (RunState.WAITING, "schedule.condition"))
        self.assertIn("on power", run.cause)
        self.told(on_power=True, last_used_at=self.outside.at)
        self.outside.at += timedelta(minutes=2)
        self.assertEqual(carry_out(run.id).cause, "It is in use.")
        self.told(on_power=True, last_used_at=self.outside.at - timedelta(hours=1))
        self.outside.at += timedelta(minutes=3)
        self.assertEqual(carry_out(run.id).state, RunState.COMPLETE)

    def test_it_is_tried_again_at_its_time_and_what_the_device_said_is_kept_until_then(self):
        self.plan(self.one, needs_power=True)
        self.tick("2026-03-02T21:00")
        self.told(on_power=False, card=Card(present=True, encrypted=True))
        waiting = carry_out(Run.objects.get().id)
        self.assertEqual(Run.objects.get().told, {"clock_off_seconds": 0.0, "encrypted": True})
        self.told(on_power=True)
        assert waiting.next_try_at is not None
        for early, state in ((timedelta(microseconds=1), RunState.WAITING), (timedelta(), RunState.COMPLETE)):
            at = waiting.next_try_at - EARLY - early
            self.assertEqual(carry_out(waiting.id, clock=lambda: at).state, state)  # noqa: B023

    def test_one_whose_time_is_over_keeps_its_cause_or_says_that_its_worker_ended(self):
        plan, now = self.plan(self.one), self.outside.now()
        for state, code, ends, told in (
            (RunState.RUNNING, "", RunState.FAILED, "run.lost"),
            (RunState.WAITING, "link.away", RunState.FAILED, "link.away"),
            (RunState.RUNNING, "link.away", RunState.FAILED, "link.away"),
            (RunState.WAITING, "", RunState.MISSED, "schedule.missed"),
        ):
            told_of = {"plan": plan, "store": plan.store, "trigger": "by_hand", "asked_at": now, "night": now.date()}
            run = Run.objects.create(device=self.one, state=state, cause_code=code, **told_of)
            ended = give_up(run.id, now)
            self.assertEqual((ended.state, ended.cause_code), (ends, told))

    def test_a_run_by_hand_asks_for_no_condition(self):
        self.plan(self.one, needs_power=True)
        self.told(on_power=False)
        self.assertEqual(self.run_now(self.one).state, RunState.COMPLETE)

    def test_a_device_that_was_away_is_caught_up_with_in_the_morning(self):
        self.plan(self.one, catch_up=True)
        self.outside.away.add("p1")
        self.tick("2026-03-02T21:00")
        run = carry_out(Run.objects.get().id)
        self.assertEqual((run.state, f"{run.gives_up_at:%m-%d %H:%M}"), (RunState.WAITING, "03-03 21:00"))
        for _ in range(4):
            self.outside.at = run.next_try_at
            run = carry_out(run.id)
        self.assertEqual(round((run.next_try_at - self.outside.at).total_seconds()), 900)
        self.outside.away.clear()
        start_due(now=self.outside.at + timedelta(seconds=50))
        self.assertIsNone(Run.objects.get().next_try_at)  # woken, for it is announced again
        self.assertEqual(carry_out(run.id).state, RunState.COMPLETE)

    def test_one_that_is_not_caught_up_with_makes_room_for_the_next_night(self):
        self.plan(self.one, catch_up=True)
        self.outside.away.add("p1")
        self.tick("2026-03-02T21:00")
        carry_out(Run.objects.get().id)
        self.assertEqual(self.tick("2026-03-03T21:00"), ["p1 03-03 21:00"])
        first = Run.objects.order_by("asked_at").first()
        self.assertEqual((first.state, first.cause_code), (RunState.FAILED, "link.away"))

    def test_a_full_store_stops_at_once_and_shows_the_way_out(self):
        store = self.store(allowance_bytes=4_500_000)
        self.plan(self.one, store=store)
        self.tick("2026-03-02T21:00")
        run = carry_out(Run.objects.get().id)
        self.assertEqual((run.state, run.cause_code, run.next_try_at), (RunState.REFUSED, "quota.does_not_fit", None))
        self.assertIn("room", run.remedy)

    def test_a_cut_connection_is_resumed_after_seconds_and_not_for_ever(self):
        self.plan(self.one)
        self.tick("2026-03-02T21:00")
        run, pauses = Run.objects.get(), []
        self.outside.devices["p1"].cut_after = 300_000
        for _ in range(12):
            run = carry_out(run.id)
            if run.next_try_at is None:
                break
            pauses.append(round((run.next_try_at - self.outside.at).total_seconds()))
            self.outside.at = run.next_try_at
            self.outside.devices["p1"].cut_after = 1
        self.assertEqual(pauses[:3], [10, 30, 60])
        self.assertEqual((run.state, run.attempts), (RunState.INTERRUPTED, 8))

    def test_a_device_that_moved_to_another_plan_is_let_go_and_runs_by_the_new_one(self):
        self.plan(self.one)
        self.outside.away.add("p1")
        self.tick("2026-03-02T21:00")
        carry_out(Run.objects.get().id)
        self.plan(self.one, name="Other", starts_at=time(23))
        self.assertEqual(self.tick("2026-03-02T21:30"), [])
        self.assertEqual(Run.objects.get().cause_code, "schedule.moved")
        self.assertEqual(self.tick("2026-03-02T22:00"), ["p1 03-02 22:00"])

    def test_one_that_was_ended_while_it_was_about_to_begin_stays_ended(self):

        from server.runs.actions.take_place import took_place

        self.plan(self.one)
        self.tick("2026-03-02T21:00")

        def too_late(run_id: object, **fields: object) -> bool:
            Run.objects.update(state=RunState.STOPPED)
            return took_place(run_id, **fields)

        with mock.patch("server.runs.actions.carry_out.took_place", side_effect=too_late):
            self.assertEqual(carry_out(Run.objects.get().id).state, RunState.STOPPED)
        self.assertEqual(Run.objects.get().state, RunState.STOPPED)

    def test_a_run_under_way_ends_by_the_plan_that_it_began_with(self):
        first = self.plan(self.one)
        self.tick("2026-03-02T21:00")
        Run.objects.update(state=RunState.RUNNING)
        self.plan(self.one, name="Other", kinds=["contacts"])
        self.tick("2026-03-02T21:01")
        run = carry_out(Run.objects.get().id)
        self.assertEqual((run.state, run.plan), (RunState.COMPLETE, first))
        self.assertGreater(len(run.backup.kinds), 1)
