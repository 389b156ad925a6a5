"""One bad row, device, store or message takes nothing else with it."""

from datetime import date, timedelta
from unittest import mock

from core.content.errors import LinkError
from server.oversight.standing import standings
from server.people.models import Office
from server.plans.models import Plan
from server.retention.actions.look_after import look_after
from server.runs.actions.line_up_night import line_up_night
from server.runs.actions.start_due import start_due
from server.runs.models import Copy, CopyState, LinedUp, Run
from server.telling.actions.send import send_waiting
from server.telling.actions.watch_office import watch_office
from server.telling.models import Hook, Message
from server.tests.pretend import OfficeTestCase

BAD_PLANS: list[dict[str, object]] = [
    {"starts_on": date(1, 1, 1)}, {"starts_on": date(9999, 12, 31)}, {"ends_on": date(1, 1, 1)}, {"rule": "FREQ=NEVER"}, {"rule": ""},
    {"keep_last": 0, "keep_daily": 0}, {"reach": "nothing"}, {"kinds": ["no kind"]}, {"needs_battery_percent": 32_000},
    {"exclusions": [{"kind": "no kind", "under": "x"}]}, {"exceptions": [date(1, 1, 1), date(9999, 12, 31)]},
    {"promise_seconds": 2_147_483_647}, {"not_in_use_minutes": 32_000},
]  # fmt: skip
PAGES = (
    "today", "ribbon", "devices", "devices?order=name&fold=0", "plans", "stores", "night", "report", "promises", "incidents", "anomalies",
    "runs", "runs/totals", "runs/causes", "teams", "holders", "journal", "pauses", "users", "messages", "hooks", "imports", "restores",
    "closed-days", "clock", "me", "names", "kinds",
)  # fmt: skip


class ABadPlan(OfficeTestCase):
    """It came into the database by another way than the interface; a good one stands beside it."""

    def furnish(self):
        super().furnish()
        self.one, self.two = self.device("p1"), self.device("p2")
        self.good, self.bad = self.plan(self.one, name="Good"), self.plan(self.two, name="Bad")
        self.run_now(self.one)
        self.run_now(self.two)

    def pages(self) -> None:
        entries = [f"devices/{self.one.id}", f"devices/{self.two.id}", f"devices/{self.two.id}/backups", f"devices/{self.two.id}/coverage",
                f"devices/{self.two.id}/wipe", f"plans/{self.good.id}", f"plans/{self.bad.id}", f"stores/{self.good.store_id}"]  # fmt: skip
        for page in [*PAGES, *entries]:
            answer = self.api.get(f"/api/{page}")
            self.assertLess(answer.status_code, 500, page)

    def test_leaves_every_page_the_watch_the_line_up_the_start_and_the_rules_of_others_alone(self):
        start = self.outside.at
        for change in BAD_PLANS:
            with self.subTest(change=change):
                Plan.objects.filter(id=self.bad.id).update(**change)
                self.outside.at = start.replace(hour=12)
                self.pages()
                watch_office(now=self.outside.at)
                line_up_night(now=self.outside.at)
                self.assertTrue(LinedUp.objects.filter(device=self.one).exists())
                self.outside.at = start.replace(hour=21, minute=5)
                start_due(now=self.outside.at)
                self.assertTrue(Run.objects.filter(device=self.one, planned_for__isnull=False).exists())
                look_after(self.good.store_id)
                Run.objects.filter(planned_for__isnull=False).delete()
                LinedUp.objects.all().delete()
                fresh = {name: getattr(self.bad, name) for name in change}
                Plan.objects.filter(id=self.bad.id).update(**fresh)

    def test_is_a_condition_of_its_own_with_its_device_and_its_way_out(self):
        Plan.objects.filter(id=self.bad.id).update(starts_on=date(1, 1, 1))
        causes = {cause["code"]: cause for cause in self.api.get("/api/today").json()["causes"]}
        cause_told = causes[f"plan {self.bad.id}"]
        self.assertIn("Bad cannot be computed", cause_told["says"])
        self.assertEqual(([row["name"] for row in cause_told["devices"]], cause_told["step"]), (["Orlo H1"], "plan"))
        answer = {plan["name"]: plan["fault"] for plan in self.api.get("/api/plans").json()}
        self.assertTrue(answer["Bad"])
        self.assertEqual(answer["Good"], "")
        self.assertEqual({row.plan.name: bool(row.plan_fault) for row in standings(now=self.outside.at)}, {"Good": False, "Bad": True})

    def test_a_rule_that_cannot_be_computed_removes_nothing_and_the_others_go_on(self):
        for _ in range(2):
            self.outside.at += timedelta(days=1)
            for device in (self.one, self.two):
                self.run_now(device)
        Plan.objects.update(keep_last=1, keep_daily=0)
        Plan.objects.filter(id=self.bad.id).update(keep_last=0)
        look_after(self.good.store_id)
        present = Copy.objects.filter(state=CopyState.PRESENT)
        self.assertEqual((present.filter(backup__device=self.one).count(), present.filter(backup__device=self.two).count()), (1, 3))


class ABadMessage(OfficeTestCase):
    def test_a_secret_that_does_not_open_holds_up_no_mail(self):
        hook = Hook.objects.create(name="Gate", address="https://hook.example/x", secret=b"sealed by another key", added_at=self.outside.at)
        common = {"subject": "s", "body": "{}", "not_before": self.outside.at, "made_at": self.outside.at}
        Message.objects.create(key="1", way="hook", hook=hook, to=hook.address, **common)
        Message.objects.create(key="2", way="mail", user=self.ines, to="ines@office.example", **common)
        for error in (
            LinkError("The secret does not open."),
            RuntimeError("out of the blue"),
            MemoryError(),
            UnicodeDecodeError("utf-8", b"x", 0, 1, "no"),
        ):
            Message.objects.update(state="waiting", attempts=0, not_before=self.outside.at)
            with mock.patch.object(self.outside, "unseal", side_effect=error):
                self.assertEqual(send_waiting(now=self.outside.now()), (1, 1), error)
            states = dict(Message.objects.values_list("key", "state"))
            self.assertEqual(states, {"1": "waiting", "2": "sent"})
            self.assertTrue(Message.objects.get(key="1").error)


class ABadOffice(OfficeTestCase):
    def test_a_zone_that_is_none_is_said_and_nothing_else_falls(self):
        Office.objects.update(zone="Nowhere/At_All")
        for page in ("me", "today", "devices"):
            self.assertLess(self.api.get(f"/api/{page}").status_code, 500, page)
