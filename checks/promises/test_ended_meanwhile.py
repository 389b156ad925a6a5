"""Between the moment in which something is chosen and the one in which it is held somebody else may have ended it: it stays so."""

from collections.abc import Callable
from datetime import timedelta
from unittest import mock

from django.db.models import Model

from core.vault.errors import StoreAway, StoreFull, StoreReadOnly, StoreUnreachable
from server.recovery.actions import owe_drills
from server.recovery.actions import requeue as restores
from server.recovery.models import Drill, DrillState, Restore, RestoreState
from server.runs.actions import compare_store, copy_backup, fall_over, requeue
from server.runs.actions.end_run import ended_badly
from server.runs.actions.take_import import drop_import
from server.runs.models import Copy, CopyState, Import, ImportState, Run, RunState
from server.storage.actions.note_trouble import note_trouble
from server.storage.models import Store
from server.tests.pretend import OfficeTestCase


class Meanwhile(OfficeTestCase):
    def furnish(self) -> None:
        super().furnish()
        self.room, self.one = self.store(), self.device()
        self.plan(self.one, store=self.room)
        self.backup = self.run_now(self.one).backup
        self.late = self.outside.at + timedelta(days=3)

    def stays(self, row: Model, *doing: Callable[[], object], answer: object = False) -> None:
        """Nothing of the row changes, and nobody is told anything of it."""
        kind = type(row)
        before = kind.objects.filter(pk=row.pk).values().get()  # type: ignore[attr-defined]
        for act in doing:
            self.assertEqual(act(), answer)
        self.assertEqual(kind.objects.filter(pk=row.pk).values().get(), before)  # type: ignore[attr-defined]

    def test_a_run(self) -> None:
        done = Run.objects.get()
        self.stays(done, lambda: requeue._requeued(done.id, self.late), lambda: requeue._taken_up(done, self.late))
        self.stays(done, lambda: fall_over._moved(done, self.room, StoreUnreachable("It is away.")))
        self.stays(
            done, lambda: ended_badly(done.id, StoreUnreachable("x"), began_reading=True, now=self.late).state, answer=RunState.COMPLETE
        )
        Run.objects.update(state=RunState.WAITING, next_try_at=None)
        waiting = Run.objects.get()
        self.stays(waiting, lambda: requeue._requeued(waiting.id, self.late))
        Run.objects.update(next_try_at=self.late)
        self.stays(Run.objects.get(), lambda: requeue._taken_up(waiting, self.late))
        Run.objects.update(next_try_at=None, state=RunState.RUNNING, log=[{"at": self.late.isoformat(), "says": "It goes on."}])
        self.stays(Run.objects.get(), lambda: requeue._taken_up(waiting, self.late + requeue.SILENT - timedelta(seconds=1)))
        self.assertTrue(requeue._taken_up(waiting, self.late + requeue.SILENT))

    def test_a_restore_and_a_drill(self) -> None:
        restore = Restore.objects.create(
            backup=self.backup, device=self.one, target="device", state=RestoreState.COMPLETE, asked_at=self.late
        )
        self.stays(restore, lambda: restores._taken_up(restore, self.late))
        drill = Drill.objects.create(device=self.one, store=self.room, backup=self.backup, state=DrillState.RIGHT, asked_at=self.late)
        self.stays(drill, lambda: owe_drills._taken_up(drill, self.late))

    def test_a_copy(self) -> None:
        copy = Copy.objects.get()
        Copy.objects.update(state=CopyState.REMOVED)
        self.stays(copy, lambda: compare_store._missing(copy.id, self.room, self.late), lambda: compare_store._back(copy.id))
        self.stays(copy, lambda: copy_backup._cut(copy, StoreUnreachable("x")), answer=None)

    def test_an_import_that_is_stored_already_is_asked_to_stop_and_ends_by_itself(self) -> None:
        row = Import.objects.create(name="a", path="/a", state=ImportState.IMPORTING, at=self.late, by=self.ines)
        drop_import(row, by=self.ines)
        row.refresh_from_db()
        self.assertEqual((row.state, row.stop_asked), (ImportState.IMPORTING, True))
        Import.objects.update(state=ImportState.SCANNING, stop_asked=False)
        drop_import(row, by=self.ines)
        row.refresh_from_db()
        self.assertEqual((row.state, row.stop_asked, row.cause), (ImportState.FAILED, True, "It was stopped by hand."))
        drop_import(row, by=self.ines)
        self.assertFalse(Import.objects.exists())

    def test_a_store_that_is_known_to_be_elsewhere_is_in_no_trouble(self) -> None:
        self.stays(self.room, lambda: note_trouble(self.room.id, StoreAway("It rests in the safe.")), answer=None)
        note_trouble(self.room.id, StoreUnreachable("It hums and does nothing."))
        self.assertIn("hums", Store.objects.get().trouble)

    def test_who_is_blamed_for_a_copy_that_broke_off(self) -> None:
        """The target when it does not answer, or takes nothing; else nobody can tell."""
        errors = ((StoreFull("full"), "full"), (StoreReadOnly("closed"), "closed"), (StoreUnreachable("cut"), ""))
        for error, trouble in errors:
            Store.objects.update(trouble="", trouble_code="", trouble_remedy="")
            copy_backup.OpenStores().blame(self.room, error)
            self.assertEqual(Store.objects.get().trouble[: len(trouble) or 1], trouble, error)
        with mock.patch("core.vault.vault.Vault.lists", side_effect=StoreUnreachable("The far one is down.")):
            copy_backup.OpenStores().blame(self.room, StoreUnreachable("cut"))
        self.assertIn("far one", Store.objects.get().trouble)
