"""A store that is drained into another and given up: nothing is lost that was not named."""

from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext

from server.plans.models import PlanTarget
from server.retention.actions.owe_copies import owe_copies
from server.runs.actions.carry_copies import carry_copies
from server.runs.actions.compare_store import compare_store
from server.runs.models import Copy, CopyState, Run, RunState, Stray
from server.storage.models import Drive, Mode, Rotation, Store
from server.tests.pretend import OfficeTestCase


class Draining(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.old, self.new, self.third = self.store("Old shelf"), self.store("New shelf"), self.store("Third shelf")
        self.nightly = self.plan(self.one, store=self.old, keep_last=2, keep_daily=0)
        self.backups = []
        for _ in range(4):
            self.outside.at += timedelta(days=1)
            self.backups.append(self.run_now(self.one).backup)

    def drain(self, into: Store | None = None):
        return self.api.post(f"/api/stores/{self.old.id}/drain", {"into": str((into or self.new).id)}, format="json")

    def outlook(self) -> dict:
        answer = self.api.get(f"/api/stores/{self.old.id}/drain", {"into": str(self.new.id)})
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def retire(self, **fields: object):
        return self.api.post(f"/api/stores/{self.old.id}/retire", {"seen": self.outlook()["digest"], "word": ""} | fields, format="json")

    def in_(self, store: Store) -> list:
        return list(
            Copy.objects.filter(store=store, state=CopyState.PRESENT).order_by("backup__finished_at").values_list("backup_id", flat=True)
        )

    def test_what_will_be_where_is_told_before(self):
        outlook = self.outlook()
        self.assertEqual((outlook["here"], outlook["there"], outlook["moving"], outlook["elsewhere"]), (4, 0, 4, 0))
        self.assertEqual((outlook["lost_count"], outlook["plans"], outlook["done"]), (4, ["Nightly"], False))

    def test_it_costs_the_same_queries_however_many_devices(self):
        def asked() -> int:
            with CaptureQueriesContext(connection) as queries:
                self.outlook()
            return len(queries)

        before = asked()
        others = [self.device(f"q{n}", content={("contacts", "c"): b"{}"}) for n in range(4)]
        self.plan(*others, store=self.old, name="Others")
        for one in others:
            self.run_now(one)
        self.assertEqual((asked(), self.outlook()["here"]), (before, 8))

    def test_it_is_carried_over_and_then_given_up_and_nothing_lies_nowhere(self):
        self.assertEqual(self.drain().status_code, 200)
        self.old.refresh_from_db()
        self.assertEqual((self.old.mode, self.old.draining_into_id), (Mode.READ_ONLY, self.new.id))
        self.assertEqual(list(PlanTarget.objects.values_list("store_id", flat=True)), [self.new.id])
        carry_copies(self.new.id)
        outlook = self.outlook()
        self.assertEqual((outlook["there"], outlook["moving"], outlook["lost_count"], outlook["done"]), (4, 0, 0, True))
        self.assertEqual(self.retire().status_code, 204)
        self.old.refresh_from_db()
        self.assertEqual((self.old.mode, self.in_(self.old), len(self.in_(self.new))), (Mode.RETIRED, [], 4))
        self.assertEqual([one["name"] for one in self.api.get("/api/stores/retired").json()], ["Old shelf"])
        self.assertNotIn("Old shelf", [one["name"] for one in self.api.get("/api/stores").json()])
        self.assertTrue(self.outside.stores["/stores/Old shelf"].held, "nothing in it was touched")

    def test_the_next_run_goes_to_the_other_one_and_one_that_waits_as_well(self):
        waiting = Run.objects.create(
            device=self.one, plan=self.nightly, store=self.old, trigger="by_hand", state=RunState.WAITING, night=self.outside.at.date(),
            asked_at=self.outside.at,
        )  # fmt: skip
        self.drain()
        waiting.refresh_from_db()
        self.assertEqual(waiting.store_id, self.new.id)

    def test_while_a_run_writes_there_it_is_not_begun(self):
        Run.objects.filter(backup=self.backups[0]).update(state=RunState.RUNNING)
        self.assertEqual(self.drain().status_code, 409)

    def test_given_up_too_early_it_names_what_would_lie_nowhere_and_wants_a_word(self):
        self.drain()
        refused = self.retire()
        self.assertEqual((refused.status_code, refused.json()["field"]), (400, "word"))
        self.assertEqual(len(self.in_(self.old)), 4)
        self.assertEqual(self.retire(word="give up").status_code, 204)
        self.assertIn("4 backups lie in no store any more", self.api.get("/api/journal").json()["results"][0]["says"])

    def test_what_was_missing_there_is_given_up_with_the_rest_and_says_why(self):
        self.drain()
        carry_copies(self.new.id)
        Copy.objects.filter(store=self.old, backup=self.backups[0]).update(state=CopyState.MISSING)
        turns = Rotation.objects.create(name="R", every_days=7, first_day=self.outside.at.date(), grace_days=1)
        Drive.objects.create(store=self.old, rotation=turns, place=2)
        self.assertEqual(self.retire().status_code, 204)
        told = {(copy.state, copy.removed_why, copy.removed_at is None) for copy in Copy.objects.filter(store=self.old)}
        self.assertEqual(told, {(CopyState.REMOVED, "Old shelf was retired; New shelf took over what it held.", False)})
        self.assertEqual(Drive.objects.values_list("rotation", "place").get(), (None, 0), "nobody waits for it any more")

    def test_what_was_not_shown_is_not_given_up(self):
        self.drain()
        seen = self.outlook()["digest"]
        carry_copies(self.new.id)
        answer = self.retire(seen=seen, word="give up")
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "state.changed_meanwhile"))

    def test_what_is_damaged_here_and_whole_nowhere_is_named_and_not_copied(self):
        Copy.objects.filter(backup=self.backups[0], store=self.old).update(intact=False)
        self.drain()
        carry_copies(self.new.id)
        outlook = self.outlook()
        self.assertEqual((outlook["there"], outlook["lost_count"], outlook["done"]), (3, 1, True))
        self.assertEqual((outlook["lost"][0]["backup_id"], outlook["lost"][0]["damaged"]), (str(self.backups[0].id), True))

    def test_what_is_damaged_here_and_whole_in_a_third_store_is_not_lost(self):
        Copy.objects.filter(backup=self.backups[0], store=self.old).update(intact=False)
        Copy.objects.create(backup=self.backups[0], store=self.third, state=CopyState.PRESENT)
        outlook = self.outlook()
        self.assertEqual((outlook["moving"], outlook["lost_count"]), (3, 3))

    def test_what_the_rule_there_would_not_keep_and_a_third_store_holds_is_not_copied(self):
        Copy.objects.create(backup=self.backups[0], store=self.third, state=CopyState.PRESENT)
        outlook = self.outlook()
        self.assertEqual((outlook["moving"], outlook["elsewhere"], outlook["lost_count"]), (3, 1, 3))
        self.drain()
        self.assertFalse(Copy.objects.filter(store=self.new, backup=self.backups[0]).exists())

    def test_what_was_about_to_leave_stays_and_nothing_leaves_it(self):
        Copy.objects.filter(backup=self.backups[0]).update(state=CopyState.LEAVING, leaves_on=self.outside.at.date())
        self.drain()
        self.assertEqual(Copy.objects.get(store=self.old, backup=self.backups[0]).state, CopyState.PRESENT)

    def test_a_plan_that_names_both_names_the_other_one_once(self):
        PlanTarget.objects.create(plan=self.nightly, store=self.new, order=1, delay_minutes=60)
        PlanTarget.objects.create(plan=self.nightly, store=self.third, order=2)
        self.drain()
        listed = list(PlanTarget.objects.order_by("order").values_list("store_id", "order"))
        self.assertEqual(listed, [(self.new.id, 0), (self.third.id, 1)])

    def test_it_is_stopped_and_stays_a_store(self):
        self.drain()
        self.assertEqual(self.api.post(f"/api/stores/{self.old.id}/drain/stop").status_code, 204)
        self.old.refresh_from_db()
        self.assertEqual((self.old.mode, self.old.draining_into_id), (Mode.READ_ONLY, None))
        self.assertEqual(self.api.post(f"/api/stores/{self.old.id}/drain/stop").status_code, 409)
        self.assertEqual(
            self.api.post(f"/api/stores/{self.old.id}/retire", {"seen": "", "word": "give up"}, format="json").status_code, 409
        )

    def test_into_itself_or_one_that_takes_nothing_is_refused(self):
        self.assertEqual(self.drain(self.old).status_code, 409)
        Store.objects.filter(id=self.new.id).update(mode=Mode.PAUSED)
        self.assertEqual(self.drain().status_code, 409)

    def test_what_the_plan_owed_anew_after_it_is_nothing(self):
        self.drain()
        carry_copies(self.new.id)
        owe_copies(now=self.outside.now())
        self.assertFalse(Copy.objects.filter(state=CopyState.OWED).exists())

    def test_taken_into_use_again_what_lies_there_is_found(self):
        self.drain()
        carry_copies(self.new.id)
        self.retire()
        self.assertEqual(self.api.post(f"/api/stores/{self.old.id}/mode", {"mode": "in_use", "why": ""}, format="json").status_code, 200)
        self.outside.at += timedelta(hours=2)
        self.old.refresh_from_db()
        compare_store(self.old, now=self.outside.now())
        self.assertEqual((self.old.retired_at, Stray.objects.filter(store=self.old).count()), (None, 4))

    def test_retired_is_nothing_that_is_set_by_hand(self):
        answer = self.api.post(f"/api/stores/{self.old.id}/mode", {"mode": "retired", "why": ""}, format="json")
        self.assertEqual(answer.status_code, 400)
