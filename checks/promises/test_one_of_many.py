"""One that cannot be told, read or reached takes no other with it, and is said where somebody looks."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace
from typing import Any
from unittest import mock
from uuid import UUID

from core.content.items import Item
from core.content.kinds import FOLDERS
from core.errors import AtticError
from core.vault.errors import StoreUnreachable
from server.api.problems import Conflict
from server.fleet.models import Device
from server.oversight.actions.age_out import age_out
from server.oversight.actions.anomalies import look_for_anomalies
from server.people.models import ClockWitness, User
from server.plans.actions.save_plan import DraftTarget
from server.recovery.actions.write_office import write_into
from server.retention.actions import look_after as looking
from server.retention.actions import owe_copies as owing
from server.runs.actions import look_for_drives as drives
from server.runs.actions import mend_store
from server.runs.actions.part_drive import go_on_parting
from server.runs.actions.scan_device import kinds_in
from server.runs.actions.take_found import take_found
from server.runs.models import Backup, Copy, Run, Stray
from server.storage.actions.add_store import _with_the_offices_key
from server.storage.actions.ask_clocks import ask_stores_clocks
from server.storage.actions.take_sweeping import take_sweeping
from server.storage.models import Drive, DriveState, Store
from server.tests.pretend import OfficeTestCase


def breaking(first: Exception, then: Callable[..., Any]) -> mock.Mock:
    """Breaks the first time it is called."""
    calls = []

    def act(*words: Any, **fields: Any) -> Any:
        calls.append(words)
        if len(calls) == 1:
            raise first
        return then(*words, **fields)

    return mock.Mock(side_effect=act)


class OneOfMany(OfficeTestCase):
    def furnish(self) -> None:
        super().furnish()
        self.room, self.cloud, self.cellar = self.store("Server room"), self.store("Cloud"), self.store("Cellar")
        self.one, self.two = self.device("p1"), self.device("p2")
        self.plan(self.one, self.two, store=self.room)
        self.backups = [self.run_now(device).backup for device in (self.one, self.two)]

    def trouble(self, store: Store) -> str:
        return str(Store.objects.values_list("trouble", flat=True).get(id=store.id))

    def test_what_the_office_knows_is_written_again_the_next_night(self) -> None:
        with mock.patch("server.recovery.actions.write_office.write_office", side_effect=RuntimeError("odd")):
            self.assertIs(write_into(self.room.id, now=self.outside.at), False)
        self.assertTrue(self.trouble(self.room))
        self.assertIsNotNone(Store.objects.get(id=self.room.id).office_on)
        self.assertTrue(write_into(self.room.id, now=self.outside.at))

    def test_the_rule_of_a_device_and_what_it_is_owed(self) -> None:
        rule = breaking(RuntimeError("odd"), lambda *_, **__: None)
        with mock.patch.object(looking, "apply_rule", rule), self.assertLogs("attic.retention", "ERROR") as said:
            looking._apply_rules(self.room, self.outside.at)
        self.assertEqual((rule.call_count, len(said.output)), (2, 1))
        owed = breaking(RuntimeError("odd"), lambda *_, **__: 3)
        several = {"targets": (DraftTarget(store=self.room.id), DraftTarget(store=self.cloud.id))}
        self.plan(self.one, self.two, store=self.room, name="Two stores", **several)
        with mock.patch.object(owing, "owe_copies_of", owed), self.assertLogs("attic.retention", "ERROR") as said:
            self.assertEqual(owing.owe_copies(now=self.outside.at), 3)
        self.assertEqual((owed.call_count, len(said.output)), (2, 1))

    def test_a_drive_that_cannot_be_told(self) -> None:
        for store in (self.cloud, self.cellar):
            Drive.objects.create(store=store)
        looked = breaking(RuntimeError("odd"), lambda *_: True)
        with mock.patch.object(drives, "_looked_at", looked), self.assertLogs("attic.runs", "ERROR") as said:
            self.assertEqual(drives.look_for_drives(now=self.outside.at), 1)
        self.assertEqual((looked.call_count, len(said.output)), (2, 1))

    def test_a_drive_that_does_not_let_itself_be_flushed_says_so_and_goes_on_parting(self) -> None:
        drive = Drive.objects.create(store=self.cloud)
        self.assertEqual(go_on_parting(self.cloud).state, DriveState.HERE)
        Drive.objects.update(state=DriveState.PARTING, asked_at=self.outside.at)
        for _ in range(2):
            with mock.patch.object(self.outside, "flush_drive", side_effect=StoreUnreachable("The cable is loose.")):
                drive = go_on_parting(self.cloud)
            self.assertEqual((drive.state, drive.hindered_by), (DriveState.PARTING, "The cable is loose."))
        self.assertIn("cable", self.trouble(self.cloud))
        self.assertEqual((go_on_parting(self.cloud).state, Drive.objects.get().hindered_by), (DriveState.PARTED, ""))

    def test_a_store_that_cannot_give_what_another_one_can(self) -> None:
        backup = self.backups[0]
        Copy.objects.filter(backup=backup).update(intact=False)
        for store in (self.cloud, self.cellar):
            Copy.objects.create(backup=backup, store=store)
        mending = breaking(StoreUnreachable("It is away."), lambda *_: SimpleNamespace(left=()))
        with mock.patch.object(mend_store, "repair", mending), self.assertLogs("attic.runs", "WARNING"):
            self.assertEqual(mend_store.mend_from_others(self.room, {backup.id}), 1)
        self.assertTrue(Copy.objects.get(backup=backup, store=self.room).intact)
        Copy.objects.filter(backup=backup, store=self.room).update(intact=False)
        with mock.patch.object(mend_store, "repair", side_effect=StoreUnreachable("x")), self.assertLogs("attic.runs", "WARNING"):
            self.assertEqual(mend_store.mend_from_others(self.room, {backup.id}), 0)
        with mock.patch.object(mend_store, "damaged_backups", side_effect=StoreUnreachable("x")), self.assertLogs("attic.runs", "WARNING"):
            mend_store.mended_by_run(Run.objects.get(backup=backup), self.outside.open_vault(self.room.where))
        self.assertFalse(Copy.objects.get(backup=backup, store=self.room).intact)

    def test_a_clock_that_is_not_heard(self) -> None:
        there = self.outside.at - timedelta(seconds=90)
        heard = breaking(StoreUnreachable("It is away."), lambda *_: SimpleNamespace(clock=lambda: there))
        with mock.patch.object(self.outside, "blobs", heard):
            ask_stores_clocks(now=self.outside.at)
        self.assertEqual((heard.call_count, ClockWitness.objects.filter(kind="bucket").count()), (3, 2))
        self.assertEqual(set(ClockWitness.objects.filter(kind="bucket").values_list("off_seconds", flat=True)), {-90.0})
        with mock.patch.object(self.outside, "blobs", lambda *_: SimpleNamespace(clock=lambda: None)):
            ClockWitness.objects.all().delete()
            ask_stores_clocks(now=self.outside.at)
        self.assertFalse(ClockWitness.objects.exists(), "a folder has no clock")

    def test_a_found_backup_that_cannot_be_read(self) -> None:
        manifests = {backup.id: self.outside.open_vault(self.room.where).manifest(backup.id.bytes) for backup in self.backups}
        for backup in self.backups:
            Stray.objects.create(
                store=self.room, backup_id=backup.id, device_key="old", finished_at=backup.finished_at, items=1, size_bytes=1,
                found_at=self.outside.at, told={"name": "Old one", "holder": "Somebody"},
            )  # fmt: skip
        Copy.objects.all().delete()
        Backup.objects.all().delete()
        bad = {backup.id for backup in self.backups}

        def readable(_: object, id: bytes) -> object:
            if UUID(bytes=id) in bad:
                raise AtticError("It cannot be read.")
            return manifests[UUID(bytes=id)]

        with mock.patch("core.vault.vault.Vault.manifest", readable):
            with self.assertRaisesRegex(Conflict, "None of these backups can be read"):
                take_found(self.room, "old", device=None, by=self.ines)
            self.assertFalse(Device.objects.filter(name="Old one").exists())
            bad.remove(self.backups[1].id)
            take_found(self.room, "old", device=None, by=self.ines)
        self.assertEqual([one.id for one in Device.objects.get(name="Old one").backups.all()], [self.backups[1].id])
        self.assertEqual([one.backup_id for one in Stray.objects.all()], [self.backups[0].id], "it stays in the list of what is found")

    def test_a_kind_that_holds_nothing(self) -> None:
        at = datetime(2026, 3, 2, tzinfo=UTC)
        held = {
            "contacts": [],
            "photos": [
                Item(kind="photos", id=id, name=id, size_bytes=size, modified=at + timedelta(days=size), tag="t")
                for id, size in (("a", 5), ("b", 2))
            ],
        }
        seen: list[str] = []
        rows, times = kinds_in(SimpleNamespace(inventory=held.get), [FOLDERS, *held], lambda kind, _: seen.append(kind))  # type: ignore[arg-type]
        self.assertEqual((seen, times), (["contacts", "photos"], [at + timedelta(days=2), at + timedelta(days=5)]))
        self.assertEqual(rows[0], {"kind": "contacts", "items": 0, "size_bytes": 0, "newest_name": "", "newest_at": None, "largest": []})
        self.assertEqual((rows[1]["items"], rows[1]["size_bytes"], rows[1]["newest_name"], rows[1]["largest"][0]["name"]), (2, 7, "a", "a"))

    def test_a_store_that_does_not_open_leaves_the_key_to_another_and_none_is_said(self) -> None:
        first = Store.objects.order_by("added_at", "id").first()
        self.outside.stores.pop(first.where)
        self.assertIsNotNone(_with_the_offices_key())
        self.outside.stores.clear()
        with self.assertRaisesRegex(Conflict, f"{first.name} for one"):
            _with_the_offices_key()

    def test_who_sweeps_a_store_that_somebody_else_took_a_moment_ago(self) -> None:
        Store.objects.filter(id=self.room.id).update(swept_by="The old office")
        other = SimpleNamespace(sweeper=SimpleNamespace(who="another", name="The third office"))
        with (
            mock.patch("server.storage.actions.take_sweeping.hand_over", lambda *_, **__: other),
            self.assertRaisesRegex(Conflict, "The third office has just"),
        ):
            take_sweeping(Store.objects.get(id=self.room.id), by=User.objects.get(id=self.ines.id))
        self.assertEqual(Store.objects.get(id=self.room.id).swept_by, "The old office")

    def test_nothing_is_let_go_of_while_the_clock_is_in_doubt_and_an_older_backup_is_not_judged_by_a_newer(self) -> None:
        with (
            mock.patch("server.oversight.actions.age_out.in_doubt", lambda: True),
            mock.patch("server.oversight.actions.age_out.write_months") as months,
        ):
            self.assertEqual(age_out(now=self.outside.at), {})
            self.assertFalse(months.called)
        self.run_now(self.one)
        self.assertEqual(look_for_anomalies(self.backups[0], now=self.outside.at), [])
