"""So that tonight fits: what is short, what really helps by then, and ending an undo period early."""

import random
from datetime import date, timedelta

from procrastinate.contrib.django.models import ProcrastinateJob

from core.units import MIB
from core.vault.sweep import sweep
from server.people.models import JournalEntry, Office
from server.plans.models import PlanTarget
from server.retention.actions.look_after import look_after
from server.retention.actions.measure import measure
from server.runs.actions.hold_backup import hold_backup
from server.runs.actions.line_up_night import line_up_night
from server.runs.models import Backup, Copy, CopyState, LinedUp, Run
from server.storage.at_hand import forget
from server.storage.models import Allowance, Store
from server.storage.queries import opened
from server.tests.pretend import OfficeTestCase


class Nights(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one, self.two = self.device("p1"), self.device("p2")
        self.nightly = self.plan(self.one, self.two, kinds=["contacts", "app_data", "photos"])
        self.room = self.nightly.store
        self.outside.devices["p2"].content["photos", "own"] = random.Random(2).randbytes(80_000)
        for device in (self.one, self.two):
            self.run_now(device)
        measure(self.room, now=self.outside.now())
        self.room.refresh_from_db()
        self.outside.at += timedelta(hours=1)

    def expect(self, one: int, two: int, left: int) -> None:
        """What the runs of tonight are expected to store, and what there is left for them."""
        Run.objects.filter(device=self.one).update(stored_bytes=one)
        Run.objects.filter(device=self.two).update(stored_bytes=two)
        Store.objects.filter(id=self.room.id).update(allowance_bytes=self.room.stored_bytes + 4 * MIB + left)
        line_up_night(now=self.outside.at)

    def tonight(self) -> dict:
        forget()
        answer = self.api.get(f"/api/stores/{self.room.id}/room/tonight")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def ways(self) -> dict[str, dict]:
        return {one["help"]: one for one in self.tonight()["ways"]}


class WhatHelps(Nights):
    def test_a_night_that_fits_needs_nothing(self):
        self.expect(1000, 1000, 500_000)
        tonight = self.tonight()
        self.assertEqual((tonight["short"], tonight["lacking"], tonight["ways"]), ([], [], []))

    def test_what_is_short_by_how_much_and_a_larger_allowance_or_a_run_that_waits(self):
        self.expect(300_000, 2000, 200_000)
        tonight = self.tonight()
        (short,) = tonight["short"]
        self.assertEqual((short["device_id"], short["expected_bytes"], short["room"]), (str(self.one.id), 300_000, f"store {self.room.id}"))
        self.assertEqual(
            [(one["name"], one["left_bytes"], one["wanted_bytes"]) for one in tonight["lacking"]], [("Server room", 200_000, 102_000)]
        )
        larger, waits = self.ways()["allowance"], self.ways()["wait"]
        self.assertEqual((larger["limit_bytes"], larger["suffices"]), (self.room.stored_bytes + 4 * MIB + 302_000, True))
        self.assertEqual((waits["device"], waits["bytes"], waits["suffices"]), (str(self.one.id), 300_000, True))
        Store.objects.update(allowance_bytes=larger["limit_bytes"])
        line_up_night(now=self.outside.at)
        self.assertEqual(self.tonight()["short"], [], "it does what was said")

    def test_the_smallest_that_suffices_waits_and_a_late_one_never(self):
        self.expect(300_000, 250_000, 310_000)
        self.assertEqual((self.ways()["wait"]["device"], self.ways()["wait"]["suffices"]), (str(self.two.id), True))
        LinedUp.objects.filter(device=self.two).update(late=True)
        self.assertEqual(self.ways()["wait"]["device"], str(self.one.id))
        LinedUp.objects.update(late=True)
        self.assertNotIn("wait", self.ways())

    def test_a_full_medium_is_not_helped_by_an_allowance(self):
        self.expect(300_000, 2000, 200_000)
        Store.objects.update(free_bytes=250_000 + 4 * MIB)
        self.assertNotIn("allowance", self.ways())

    def test_of_a_device_that_is_short_only_its_own_run_and_allowance_help(self):
        self.expect(300_000, 2000, 5_000_000)
        needs = self.room.occupancies.get(device=self.one)
        Allowance.objects.create(store=self.room, device=self.one, hard_bytes=needs.alone_bytes + needs.shared_bytes + 1000)
        line_up_night(now=self.outside.at)
        tonight = self.tonight()
        self.assertEqual([one["name"] for one in tonight["lacking"]], [f"{self.one.name} in Server room"])
        self.assertEqual([(one["help"], one["limit_bytes"]) for one in tonight["ways"]], [("allowance", None), ("wait", None)])

    def test_another_store_that_the_plan_names(self):
        self.expect(300_000, 2000, 200_000)
        other = self.store("Boathouse")
        target = PlanTarget.objects.create(plan=self.nightly, store=other, order=1)
        way = self.ways()["fall_over"]
        self.assertEqual((way["title"], way["bytes"], way["plan"]), ("Nightly into Boathouse", 300_000, str(self.nightly.id)))
        self.assertIn("its plan does not say so yet", way["says"])
        PlanTarget.objects.filter(id=target.id).update(falls_over=True)
        self.assertIn("goes there by itself", self.ways()["fall_over"]["says"])
        Store.objects.filter(id=other.id).update(trouble="away")
        self.assertNotIn("fall_over", self.ways())

    def test_marked_packs_whose_grace_is_over_are_given_back_to_the_byte(self):
        opened(self.room).remove(Backup.objects.get(device=self.two).id.bytes)
        Copy.objects.filter(backup__device=self.two).update(state=CopyState.REMOVED)
        Store.objects.update(thorough_until=date(2027, 1, 1))
        for _ in range(2):
            sweep(opened(self.room), now=self.outside.at)
            self.outside.at += timedelta(hours=2)
        self.expect(300_000, 2000, 200_000)
        way = self.ways()["sweep"]
        self.assertGreater(way["bytes"], 80_000)
        before = opened(self.room).stored_bytes()
        ProcrastinateJob.objects.all().delete()
        self.assertEqual(self.api.post(f"/api/stores/{self.room.id}/room/sweep").status_code, 202)
        self.assertEqual([job.task_name for job in ProcrastinateJob.objects.all()], ["sweep_store"])
        sweep(opened(self.room), now=self.outside.at)
        self.assertAlmostEqual(before - opened(self.room).stored_bytes(), way["bytes"], delta=2000)
        self.assertNotIn("sweep", self.ways())


class EndingAnUndoPeriod(Nights):
    def furnish(self):
        super().furnish()
        Office.objects.update(undo_days=7)
        self.outside.devices["p2"].content["photos", "own"] = random.Random(3).randbytes(90_000)
        self.run_now(self.two)
        self.run_now(self.two)
        self.old = Backup.objects.filter(device=self.two).earliest("finished_at")
        Copy.objects.filter(backup=self.old).update(
            state=CopyState.LEAVING, leaving_since=self.outside.at, leaves_on=date(2026, 3, 20), by_hand=True, leaving_by=self.ines
        )
        measure(self.room, now=self.outside.now())
        self.room.refresh_from_db()
        self.expect(300_000, 2000, 200_000)

    def sooner(self, **fields: str):
        body = {"why": "The room is full.", "word": "sooner"} | fields
        return self.api.post(f"/api/stores/{self.room.id}/room/sooner", body, format="json")

    def test_it_is_offered_with_the_day_on_which_its_bytes_are_free(self):
        way = self.ways()["sooner"]
        self.assertEqual((way["suffices"], way["free_on"] > str(self.outside.at.date())), (False, True))
        self.assertGreater(way["bytes"], 80_000)
        self.assertTrue(way["says"].startswith("1 backup leaves already; it could not be taken back any more."), way["says"])

    def test_it_needs_a_reason_a_word_and_an_administrator(self):
        for field, value in (("why", {"why": " "}), ("word", {"word": "yes"})):
            self.assertEqual(self.sooner(**value).json()["field"], field)
        self.api = self.signed_in("piet")
        self.assertEqual(self.sooner().status_code, 403)

    def test_it_goes_at_once_and_what_is_on_hold_stays(self):
        answer = self.sooner()
        self.assertEqual((answer.status_code, answer.json()), (200, {"copies": 1}))
        said = JournalEntry.objects.get(what="store.left_sooner")
        self.assertEqual(said.says, "1 copy of 1 device leaves Server room without the rest of their undo period: The room is full.")
        look_after(self.room.id, now=self.outside.now())
        self.assertEqual(Copy.objects.get(backup=self.old).state, CopyState.REMOVED)
        self.assertEqual(self.sooner().json()["field"], "store")

    def test_a_hold_that_came_meanwhile_keeps_it(self):
        self.sooner()
        hold_backup(self.old, reason="Asked for.", by=self.ines)
        look_after(self.room.id, now=self.outside.now())
        self.assertEqual(Copy.objects.get(backup=self.old).state, CopyState.PRESENT)
