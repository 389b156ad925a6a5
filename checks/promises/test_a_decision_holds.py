"""A decision holds: what a person was told is done cannot be undone by a machine that had decided before."""

from datetime import timedelta
from unittest import mock

from django.db import transaction
from django.test import SimpleTestCase

from checks.promises.sides import Sides
from core.content.errors import LinkCut
from core.recovery.selection import Selection
from server.api.problems import Conflict
from server.locks import lock_device
from server.people.actions.office import set_up_office
from server.people.models import JournalEntry, User
from server.recovery.actions.ask_restore import ask_restore
from server.recovery.actions.carry_out import carry_out as carry_out_restore
from server.recovery.actions.stop_restore import stop_restore
from server.recovery.models import Restore, RestoreState
from server.retention.actions.apply_rule import apply_rule
from server.retention.actions.look_after import look_after
from server.runs.actions.ask_run import ask_run_by_hand
from server.runs.actions.carry_out import carry_out
from server.runs.actions.copy_backup import ask_copy, copy_backup
from server.runs.actions.end_run import give_up
from server.runs.actions.hold_backup import hold_backup
from server.runs.actions.stop_run import stop_run
from server.runs.actions.take_import import drop_import
from server.runs.models import Backup, Copy, CopyState, Import, ImportState, Run, RunState
from server.runs.protection import BeingRemoved
from server.tests.pretend import PASSWORD, OfficeTestCase
from server.transition import IllegalMove, moves, transition

EVERYTHING = Selection(everything=True, kinds=frozenset(), items=frozenset())
MACHINES = (Run, Restore, Import, Copy)


class WhatARuleMayNotOverride(Sides):
    """Keep the last backup only; there are three, so two are about to leave."""

    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.nightly = self.plan(self.one, keep_last=1, keep_daily=0)
        self.place = self.nightly.store
        for day in range(3):
            self.outside.devices["p1"].content["contacts", "c000"] = f"day {day}".encode()
            self.run_now(self.one)
            self.outside.at += timedelta(days=1)
        self.oldest = Backup.objects.order_by("finished_at").first()

    def state(self, backup: Backup) -> str:
        return Copy.objects.get(backup=backup, store=self.place).state

    def rule(self) -> int:
        return apply_rule(self.one, self.place, now=self.outside.now())

    def test_a_hold_that_was_answered_while_the_store_was_being_opened_stays(self):
        real, answers = self.outside.open_vault, []

        def slow(path: str):
            answers.append(self.at_once(lambda: hold_backup(self.oldest, reason="evidence", by=self.ines))[0])
            return real(path)

        with mock.patch.object(self.outside, "open_vault", slow):
            look_after(self.place.id)
        held = not isinstance(answers[0], BeingRemoved)
        self.assertEqual(Backup.objects.get(id=self.oldest.id).hold_reason, "evidence" if held else "")
        self.assertEqual(self.state(self.oldest), CopyState.PRESENT if held else CopyState.REMOVED)

    def test_a_hold_waits_for_a_rule_that_is_deciding_and_is_then_refused_with_a_word(self):
        with transaction.atomic():
            self.rule()
            asked = self.begins(lambda: hold_backup(self.oldest, reason="evidence", by=self.ines))
            self.assertTrue(asked.waits(), "the hold did not wait for the decision")
        with self.assertRaises(BeingRemoved) as caught:
            asked.ends()
        self.assertIn("is being removed", caught.exception.message)
        self.assertFalse(JournalEntry.objects.filter(what="backup.held").exists())

    def test_a_rule_waits_for_a_hold_and_then_keeps_to_it(self):
        with transaction.atomic():
            hold_backup(self.oldest, reason="evidence", by=self.ines)
            deciding = self.begins(self.rule)
            self.assertTrue(deciding.waits(), "the rule did not wait for the hold")
        deciding.ends()
        look_after(self.place.id)
        self.assertEqual(self.state(self.oldest), CopyState.PRESENT)

    def test_nobody_ever_waits_for_a_store(self):
        real, answers = self.outside.open_vault, []

        def slow(path: str):
            # whoever decides about this device now is not held up by the store that is being opened
            answers.append(self.aside(lambda: hold_backup(Backup.objects.order_by("-finished_at").first(), reason="now", by=self.ines)))
            return real(path)

        with mock.patch.object(self.outside, "open_vault", slow):
            look_after(self.place.id)
        self.assertTrue(answers)

    def test_a_restore_that_waits_keeps_what_it_needs(self):
        restore = ask_restore(self.oldest, EVERYTHING, target="archive", device=None, when_there="skip", by=self.ines)
        look_after(self.place.id)
        self.assertEqual(self.state(self.oldest), CopyState.PRESENT)
        self.assertEqual(carry_out_restore(restore.id).state, RestoreState.COMPLETE)
        look_after(self.place.id)
        self.assertEqual(self.state(self.oldest), CopyState.REMOVED)

    def test_a_copy_that_waits_keeps_what_it_is_made_from(self):
        second = self.store("Safe drive")
        row = ask_copy(self.oldest, second, by=self.ines)
        look_after(self.place.id)
        self.assertTrue(copy_backup(row.id, by=self.ines))

    def test_restores_and_copies_of_what_is_being_removed_are_refused(self):
        self.rule()
        second = self.store("Safe drive")
        with self.assertRaises(BeingRemoved):
            ask_restore(self.oldest, EVERYTHING, target="archive", device=None, when_there="skip", by=self.ines)
        with self.assertRaises(BeingRemoved):
            ask_copy(self.oldest, second, by=self.ines)
        self.assertFalse(Restore.objects.exists())

    def test_a_lock_outside_of_a_transaction_is_no_lock(self):
        with self.assertRaises(RuntimeError):
            lock_device(self.one.id)


class StopHolds(Sides):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.nightly = self.plan(self.one)

    def test_a_stop_while_the_link_hangs_is_not_written_over_when_it_breaks(self):
        run = ask_run_by_hand(self.one, note="", by=self.ines)
        Run.objects.filter(id=run.id).update(planned_for=self.outside.at, gives_up_at=self.outside.at + timedelta(hours=8))
        device = self.outside.devices["p1"]

        def hangs(item):
            self.aside(lambda: stop_run(run, by=self.ines))
            raise LinkCut("The cable came loose.")
            yield b""

        with mock.patch.object(device, "read", hangs):
            ended = carry_out(run.id)
        self.assertEqual((ended.state, ended.stop_asked, ended.cause_code), (RunState.STOPPED, True, "run.stopped"))
        self.assertEqual(carry_out(run.id).state, RunState.STOPPED)
        self.assertFalse(Backup.objects.exists())

    def test_a_backup_that_was_closed_when_somebody_stopped_the_run_is_recorded_all_the_same(self):
        run = ask_run_by_hand(self.one, note="", by=self.ines)
        from server.runs.actions import carry_out as module

        real = module.ended_well

        def too_late(*arguments, **more):
            Run.objects.filter(id=run.id).update(state=RunState.STOPPED)
            return real(*arguments, **more)

        with mock.patch.object(module, "ended_well", too_late):
            self.assertEqual(carry_out(run.id).state, RunState.STOPPED)
        self.assertEqual(Copy.objects.get().state, CopyState.PRESENT)

    def test_a_restore_can_be_stopped_before_and_while_it_works(self):
        backup = self.run_now(self.one).backup
        first = ask_restore(backup, EVERYTHING, target="archive", device=None, when_there="skip", by=self.ines)
        self.assertEqual(stop_restore(first, by=self.ines).state, RestoreState.STOPPED)
        self.assertEqual(carry_out_restore(first.id).state, RestoreState.STOPPED)
        second = ask_restore(backup, EVERYTHING, target="archive", device=None, when_there="skip", by=self.ines)
        with mock.patch("server.recovery.actions.carry_out.chosen", side_effect=lambda *a, **k: [stop_restore(second, by=self.ines)][:0]):
            ended = carry_out_restore(second.id)
        self.assertIn(ended.state, (RestoreState.STOPPED, RestoreState.COMPLETE))
        with self.assertRaises(Conflict):
            stop_restore(second, by=self.ines)

    def test_two_workers_give_up_and_complete_the_same_run_and_one_of_them_wins(self):
        run = ask_run_by_hand(self.one, note="", by=self.ines)
        Run.objects.filter(id=run.id).update(state=RunState.RUNNING)
        results = self.at_once(*[lambda: give_up(run.id, self.outside.at)] * 4)
        self.assertEqual([result.state for result in results], [RunState.FAILED] * 4)
        self.assertEqual(len(Run.objects.get(id=run.id).log), 1, "it was ended more than once")


class OnlyOneOfMany(Sides):
    def test_six_requests_at_once_make_one_first_administrator(self):
        JournalEntry.objects.all().delete()
        User.objects.all().delete()
        fields = {"office_name": "Office", "zone": "UTC", "full_name": "", "password": PASSWORD, "now": self.outside.at}
        results = self.at_once(*[lambda n=n: set_up_office(username=f"first{n}", **fields) for n in range(6)])
        self.assertEqual(User.objects.count(), 1)
        self.assertEqual(sum(isinstance(result, Conflict) for result in results), 5)


class Drawings(SimpleTestCase):
    """The moves are read from the drawing in each enum's docstring."""

    def test_every_state_is_drawn_and_ends_somewhere(self):
        for model in MACHINES:
            drawn = moves(model.States)
            reached = {target for targets in drawn.values() for target in targets}
            first = model._meta.get_field("state").default
            self.assertLessEqual(set(model.States.values) - reached - {first}, {CopyState.COPYING}, model)

    def test_a_drawing_that_names_an_unknown_state_is_refused(self):
        from django.db import models

        class Wrong(models.TextChoices):
            """begun → ended"""

            BEGUN = "begun"

        with self.assertRaises(ValueError):
            moves(Wrong)


class EveryIllegalMove(OfficeTestCase):
    """Each pair of states that no arrow joins is tried, for each of the four."""

    def rows(self):
        one = self.device()
        self.plan(one)
        run = self.run_now(one)
        yield ask_restore(run.backup, EVERYTHING, target="archive", device=None, when_there="skip", by=self.ines)
        yield run
        yield Copy.objects.get()
        yield Import.objects.create(name="old", path="/old", at=self.outside.at)

    def test_is_refused_and_changes_nothing(self):
        tried = 0
        for row in self.rows():
            model = type(row)
            for before in model.States.values:
                for after in model.States.values:
                    model.objects.filter(pk=row.pk).update(state=before)
                    if after in moves(model.States)[before]:
                        self.assertEqual(transition(model, row.pk, after).state, after)
                        continue
                    with self.assertRaises(IllegalMove):
                        transition(model, row.pk, after, cause="changed by an illegal move")
                    now = model.objects.get(pk=row.pk)
                    self.assertEqual((now.state, "illegal" in now.cause), (before, False))
                    tried += 1
        self.assertGreater(tried, 120)

    def test_a_move_writes_its_own_fields_and_no_others(self):
        one = self.device()
        self.plan(one)
        run = ask_run_by_hand(one, note="", by=self.ines)
        stale = Run.objects.get(id=run.id)
        Run.objects.filter(id=run.id).update(stop_asked=True, note="meanwhile")
        transition(Run, stale.id, RunState.RUNNING, attempts=1)
        row = Run.objects.get(id=run.id)
        self.assertEqual((row.state, row.attempts, row.stop_asked, row.note), (RunState.RUNNING, 1, True, "meanwhile"))


class AnImportCanBeStopped(OfficeTestCase):
    def test_while_it_is_looked_into_and_its_row_goes_when_it_has_ended(self):
        row = Import.objects.create(name="old", path="/old", at=self.outside.at)
        drop_import(row, by=self.ines)
        row.refresh_from_db()
        self.assertEqual((row.state, bool(row.cause), bool(row.remedy)), (ImportState.FAILED, True, True))
        drop_import(row, by=self.ines)
        self.assertFalse(Import.objects.exists())
