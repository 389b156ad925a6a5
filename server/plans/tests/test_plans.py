import uuid
from dataclasses import replace
from datetime import timedelta

from core.errors import BadInput
from server.fleet.models import Device
from server.people.models import JournalEntry
from server.plans.actions.join_by_team import join_by_team
from server.plans.actions.rule_versions import note_version
from server.plans.actions.save_plan import LOWEST_LIMIT_BYTES, MOST_TARGETS, DraftTarget, checked, save_plan, targets_of
from server.plans.models import Assignment, Plan
from server.tests.pretend import OfficeTestCase


class PlanTestCase(OfficeTestCase):
    def body(self, **changes: object) -> dict[str, object]:
        store = self.store() if not hasattr(self, "_store") else self._store
        self._store = store
        fields = {
            "name": "Nightly", "kinds": ["contacts"], "pattern": {"shape": "weekdays", "weekdays": [0, 3]}, "starts_at": "22:00", "window_closes": "06:00", "store": str(store.id),
            "promise_seconds": 172_800, "keep_last": 3, "keep_daily": 7, "keep_weekly": 4, "keep_monthly": 12, "devices": [],
        }  # fmt: skip
        return fields | changes


class SavingAPlan(PlanTestCase):
    def test_bad_input_names_the_field_and_saves_nothing(self):
        cases: dict[str, dict[str, object]] = {
            "kinds": {"kinds": []},
            "days": {"pattern": {"shape": "weekdays", "weekdays": []}},
            "window_closes": {"window_closes": "22:05"},
            "store": {"store": str(uuid.uuid4())},
            "promise_seconds": {"promise_seconds": 60},
            "keep_last": {"keep_last": 0, "keep_daily": 0, "keep_weekly": 0, "keep_monthly": 0},
            "name": {"name": ""},
            "devices": {"devices": [str(uuid.uuid4())]},
            "exclusions": {"exclusions": [{"kind": "documents", "under": "a"}] * 201},
        }
        for field, change in cases.items():
            answer = self.api.post("/api/plans", self.body(**change), format="json")
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, field), answer.json())
            self.assertTrue(answer.json()["remedy"])
        self.assertFalse(Plan.objects.exists())

    def test_a_name_is_measured_whoever_brings_it(self):
        draft = self.draft(self.store())
        self.assertEqual(checked(replace(draft, name="x" * 80), Plan(added_at=self.outside.at)).name, "x" * 80)
        for name in ("x" * 81, " ", ""):
            with self.assertRaises(BadInput) as raised:
                checked(replace(draft, name=name), Plan(added_at=self.outside.at))
            self.assertEqual(raised.exception.field, "name")

    def test_an_unknown_kind_is_refused_with_the_known_ones(self):
        answer = self.api.post("/api/plans", self.body(kinds=["smoke"]), format="json")
        self.assertIn("contacts", answer.json()["remedy"])

    def test_a_device_follows_one_plan_only(self):
        device = self.device()
        first = self.api.post("/api/plans", self.body(devices=[str(device.id)]), format="json").json()
        second = self.api.post("/api/plans", self.body(name="Other", devices=[str(device.id)]), format="json").json()
        self.assertEqual(Assignment.objects.get().plan_id, uuid.UUID(second["id"]))
        self.assertEqual(self.api.get(f"/api/plans/{first['id']}").json()["devices"], [])

    def test_what_somebody_else_changed_meanwhile_is_not_undone_in_silence(self):
        id = self.api.post("/api/plans", self.body(), format="json").json()["id"]
        read = self.api.get(f"/api/plans/{id}").json()["revision"]
        first = self.api.put(f"/api/plans/{id}", self.body(keep_last=9, revision=read), format="json")
        self.assertEqual((first.status_code, first.json()["keep_last"]), (200, 9))
        second = self.api.put(f"/api/plans/{id}", self.body(promise_seconds=90_000, revision=read), format="json")
        self.assertEqual((second.status_code, second.json()["code"]), (409, "state.changed_meanwhile"))
        self.assertIn("Ines", second.json()["title"])
        self.assertEqual(Plan.objects.get().keep_last, 9)
        over = self.api.put(f"/api/plans/{id}", self.body(revision=first.json()["revision"]), format="json")
        self.assertEqual((over.status_code, over.json()["keep_last"]), (200, 3))

    def test_a_plan_that_lost_a_device_to_another_one_has_changed_too(self):
        device = self.device()
        first = self.api.post("/api/plans", self.body(devices=[str(device.id)]), format="json").json()
        self.api.post("/api/plans", self.body(name="Other", devices=[str(device.id)]), format="json")
        again = self.body(devices=[str(device.id)], revision=first["revision"])
        self.assertEqual(self.api.put(f"/api/plans/{first['id']}", again, format="json").status_code, 409)

    def test_a_plan_that_is_followed_cannot_be_removed(self):
        device = self.device()
        id = self.api.post("/api/plans", self.body(devices=[str(device.id)]), format="json").json()["id"]
        self.assertEqual(self.api.delete(f"/api/plans/{id}").status_code, 409)
        self.api.put(f"/api/plans/{id}", self.body(devices=[]), format="json")
        self.assertEqual(self.api.delete(f"/api/plans/{id}").status_code, 204)


class WhoJoins(PlanTestCase):
    def test_a_device_of_a_team_without_a_plan_follows_the_teams_plan(self):
        team = self.device().team
        other = self.device("p2")
        plan = self.api.post("/api/plans", self.body(teams=[team.id], devices=[str(other.id)]), format="json").json()
        own = self.api.post("/api/plans", self.body(name="Own", devices=[str(other.id)]), format="json").json()
        self.assertEqual(plan["teams"], [team.id])
        read = self.api.get(f"/api/plans/{plan['id']}").json()["revision"]
        self.assertEqual(join_by_team(now=self.outside.now()), 1)
        rows = {str(row.device.agent_id): str(row.plan_id) for row in Assignment.objects.select_related("device")}
        self.assertEqual(rows, {"p1": plan["id"], "p2": own["id"]})
        self.assertEqual(join_by_team(now=self.outside.now()), 0)
        self.assertIn("follows the plan of Shore Crew", JournalEntry.objects.latest("id").says)
        late = self.api.put(f"/api/plans/{plan['id']}", self.body(devices=[], revision=read), format="json")
        self.assertEqual(late.status_code, 409, "whoever edits it meanwhile would take the device out again unseen")

    def test_a_device_that_is_not_in_use_stays_without(self):
        device = self.device()
        Device.objects.filter(id=device.id).update(state="lost")
        self.api.post("/api/plans", self.body(teams=[device.team_id]), format="json")
        self.assertEqual(join_by_team(now=self.outside.now()), 0)

    def test_a_team_has_one_plan_and_leaving_it_out_changes_nothing(self):
        team = self.device().team
        first = self.api.post("/api/plans", self.body(teams=[team.id]), format="json").json()
        second = self.api.post("/api/plans", self.body(name="Second", teams=[team.id]), format="json").json()
        self.assertEqual(self.api.get(f"/api/plans/{first['id']}").json()["teams"], [])
        self.api.put(f"/api/plans/{second['id']}", self.body(name="Second"), format="json")
        self.assertEqual(self.api.get(f"/api/plans/{second['id']}").json()["teams"], [team.id])
        bad = self.api.put(f"/api/plans/{second['id']}", self.body(name="Second", teams=[999]), format="json")
        self.assertEqual((bad.status_code, bad.json()["field"]), (400, "teams"))


class ThePreview(PlanTestCase):
    def preview(self, **changes: object):
        return self.api.post("/api/plans/preview", self.body(**changes), format="json")

    def test_the_next_five_runs_are_in_the_offices_zone(self):
        # it is Monday 08:00 in Berlin; Mondays and Thursdays at 22:00 are 21:00 UTC until 29 March 2026
        runs = self.preview().json()["next_runs"]
        expected = ["2026-03-02T21:00", "2026-03-05T21:00", "2026-03-09T21:00", "2026-03-12T21:00", "2026-03-16T21:00"]
        self.assertEqual([run["at"][:16] for run in runs[:5]], expected)

    def test_a_promise_that_the_dates_cannot_keep_is_said(self):
        self.assertIn("4 days", self.preview().json()["shortfall"])
        self.assertEqual(self.preview(promise_seconds=5 * 86_400).json()["shortfall"], "")

    def test_what_is_kept_after_a_year_follows_the_rule(self):
        kept = self.preview(pattern={"shape": "every_night"}, keep_last=0, keep_daily=7, keep_weekly=0, keep_monthly=0).json()["kept_days"]
        # the newest seven days that have one: today's does not exist yet in the morning
        self.assertEqual(kept, [f"2026-02-{day}" for day in range(23, 29)] + ["2026-03-01"])

    def test_an_impossible_draft_answers_with_the_field(self):
        self.assertEqual(self.preview(kinds=[]).json()["field"], "kinds")


class WhenAPlanRuns(PlanTestCase):
    def preview(self, **changes: object):
        return self.api.post("/api/plans/preview", self.body(**changes), format="json").json()

    def test_each_sentence_comes_back_as_it_was_saved(self):
        fields = {
            "every night at 22:00": {"shape": "every_night"},
            "every 3 days at 22:00": {"shape": "every_days", "days": 3},
            "on Tuesdays and Saturdays at 22:00": {"shape": "weekdays", "weekdays": [1, 5]},
            "on the first Monday of each month at 22:00": {"shape": "monthly", "weekdays": [0], "nth": 1},
            "every 4 hours from 08:00 to 16:00 on working days": {
                "shape": "working_time", "weekdays": [0, 1, 2, 3, 4], "hours": 4, "from_hour": 8, "to_hour": 16,
            },
            "by the rule FREQ=MONTHLY;BYMONTHDAY=15, counted from 22:00": {"shape": "rule", "rule": "FREQ=MONTHLY;BYMONTHDAY=15"},
        }  # fmt: skip
        for sentence, pattern in fields.items():
            body = self.body(pattern=pattern, name=sentence[:60], promise_seconds=90 * 86_400)
            saved = self.api.post("/api/plans", body, format="json").json()
            self.assertEqual(saved["sentence"], sentence)
            again = self.api.put(f"/api/plans/{saved['id']}", body | {"pattern": saved["pattern"]}, format="json").json()
            self.assertEqual(again["pattern"], saved["pattern"])

    def test_what_is_saved_first_comes_back_in_its_order(self):
        saved = self.api.post("/api/plans", self.body(first_kinds=["photos", "contacts"]), format="json").json()
        self.assertEqual(self.api.get(f"/api/plans/{saved['id']}").json()["first_kinds"], ["photos", "contacts"])
        refused = self.api.put(f"/api/plans/{saved['id']}", self.body(first_kinds=["photos", "smoke"]), format="json")
        self.assertEqual((refused.status_code, refused.json()["field"]), (400, "first_kinds"))

    def test_rules_that_make_no_sense_are_refused_with_their_field(self):
        cases = (
            ({"shape": "rule", "rule": "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30"}, "rule"),
            ({"shape": "rule", "rule": "FREQ=SECONDLY"}, "rule"),
            ({"shape": "rule", "rule": "whenever"}, "rule"),
            ({"shape": "rule", "rule": ""}, "rule"),
            ({"shape": "every_days", "days": 0}, "days"),
            ({"shape": "working_time", "weekdays": [0], "from_hour": 9, "to_hour": 9}, "to_hour"),
        )
        for pattern, field in cases:
            self.assertEqual(self.preview(pattern=pattern)["field"], field, pattern)
        self.assertEqual(self.preview(starts_on="2026-05-01", ends_on="2026-04-01")["field"], "ends_on")
        self.assertEqual(self.preview(window_closes="22:00")["field"], "window_closes")
        self.assertEqual(self.preview(needs_battery_percent=120)["field"], "needs_battery_percent")

    def test_exceptions_closed_days_and_the_last_day(self):
        from datetime import date

        from server.people.models import ClosedDay

        ClosedDay.objects.create(day=date(2026, 3, 4), name="Regatta")
        preview = self.preview(pattern={"shape": "every_night"}, exceptions=["2026-03-03"], skips_closed_days=True, ends_on="2026-03-06")
        self.assertEqual([run["at"][:10] for run in preview["next_runs"]], ["2026-03-02", "2026-03-05", "2026-03-06"])
        self.assertEqual(preview["skipped_days"], ["2026-03-03", "2026-03-04"])

    def test_the_next_night_on_which_clocks_change_is_marked(self):
        # IANA data: Berlin goes from 02:00 to 03:00 on 29 March 2026
        marks = [
            (run["at"], run["clocks"])
            for run in self.preview(pattern={"shape": "every_night"}, starts_at="02:30")["next_runs"]
            if run["clocks"]
        ]
        self.assertEqual(marks, [("2026-03-29T01:30:00Z", "moved")])

    def test_a_plan_whose_runs_are_over_has_no_next_one(self):
        saved = self.api.post("/api/plans", self.body(ends_on="2026-03-03", starts_on="2026-03-02"), format="json").json()
        self.outside.at += timedelta(days=9)
        self.assertIsNone(self.api.get(f"/api/plans/{saved['id']}").json()["next_run"])

    def test_a_list_of_plans_costs_the_same_queries_however_long_it_is(self):
        self.api.post("/api/plans", self.body(), format="json")
        with self.assertNumQueries(7):
            self.api.get("/api/plans")
        for number in range(5):
            self.api.post("/api/plans", self.body(name=f"Plan {number}"), format="json")
        with self.assertNumQueries(7):
            self.api.get("/api/plans")


class AtTheBoundsOfAPlan(OfficeTestCase):
    def test_a_promise_of_an_hour_is_one_and_a_shorter_one_is_none(self):
        store, one = self.store(), self.device()
        made = save_plan(self.draft(store, promise_seconds=3600, own_cloud_seconds=3600), devices=[one.id], by=self.ines)
        self.assertEqual((made.promise_seconds, made.own_cloud_seconds), (3600, 3600))
        for field in ("promise_seconds", "own_cloud_seconds"):
            with self.assertRaises(BadInput) as caught:
                save_plan(self.draft(store, name="Short", **{field: 3599}), devices=[], by=self.ines)
            self.assertEqual(caught.exception.field, field)

    def test_a_rule_that_says_what_it_said_is_no_new_version(self):
        plan, now = self.plan(self.device()), self.outside.now()
        for told, new in (({"last": 4}, True), ({"last": 4}, False), (None, True), (None, False), ({"last": 4}, True)):
            self.assertEqual(note_version(told, by=self.ines, now=now, plan=plan, store=plan.store) is not None, new)


class Targets(OfficeTestCase):
    def test_a_plan_has_at_most_so_many_stores_each_with_a_limit_that_ends(self):
        stores = [self.store(f"Shelf {n}") for n in range(MOST_TARGETS + 1)]
        several = tuple(DraftTarget(store=store.id) for store in stores)
        self.assertEqual(len(targets_of(self.draft(stores[0], targets=several[:-1]))), MOST_TARGETS)
        slow = DraftTarget(store=stores[0].id, limit_bytes_per_second=LOWEST_LIMIT_BYTES)
        self.assertEqual(targets_of(self.draft(stores[0], targets=(slow,)))[0].limit_bytes_per_second, LOWEST_LIMIT_BYTES)
        for wrong in (several, (replace(slow, limit_bytes_per_second=LOWEST_LIMIT_BYTES - 1),)):
            with self.assertRaises(BadInput) as caught:
                targets_of(self.draft(stores[0], targets=wrong))
            self.assertEqual(caught.exception.field, "targets")
