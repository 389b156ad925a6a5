from datetime import UTC, date, datetime, timedelta
from uuid import uuid4
from zoneinfo import ZoneInfo

from django.db import connection
from django.urls import URLPattern
from rest_framework.test import APIClient

from core.schedule.nights import coming_night
from server.api.permissions import May
from server.fleet.models import Device
from server.oversight.models import Incident
from server.oversight.ribbon import past_nights, planned_on
from server.project.urls import api
from server.runs.actions.ask_run import ask_run_by_hand
from server.runs.models import Copy, Run
from server.runs.queries import with_newest
from server.telling.actions.watch_office import watch_office
from server.tests.pretend import OfficeTestCase


class EveryAddressAsksWhoIsThere(OfficeTestCase):
    """Walks all addresses with all roles; a new one without a stated permission is refused to auditors."""

    PUBLIC = {"me", "sign-in", "first-administrator", "zones"}
    OWN = {"me/wishes", "me/password"}
    """Everybody decides these for themselves."""
    READS_OF_ADMINISTRATORS = {"server-key", "stores/<uuid:id>/slots", "stores/<uuid:id>/offices"}
    READS_OF_OPERATORS = {"hooks", "messages", "devices/<uuid:id>/readiness", "backups/<uuid:id>/inside", "backups/<uuid:id>/item", "backups/<uuid:id>/thumbnail",
                          "preflight", "restores/<uuid:id>/archive", "devices/<uuid:id>/filling", "devices/<uuid:id>/filling/left-out",
                          "devices/<uuid:id>/own-cloud/room"}  # fmt: skip
    WRITES_OF_OPERATORS = {
        "devices/<uuid:id>/own-cloud/letter",
        "drills",
        "drives/<uuid:id>/part",
        "drives/<uuid:id>/use",
        "drills/<uuid:id>/stop",
        "devices/<uuid:id>/run",
        "causes/run",
        "pauses",
        "pauses/<uuid:id>",
        "incidents/<uuid:id>/put-off",
        "anomalies/<uuid:id>/settle",
        "devices/<uuid:id>/scan",
        "devices/<uuid:id>/wipe",
        "restores/<uuid:id>/stop",
        "exports/<uuid:id>/erase",
        "stores/<uuid:id>/differences",
        "strays/<int:id>/adopt",
        "backups/<uuid:id>/copy",
        "runs/<uuid:id>/stop",
        "runs/<uuid:id>/accept",
        "backups/<uuid:id>/note",
        "omissions/<int:id>",
        "devices/<uuid:id>/kinds",
        "kind-choices/<int:id>",
        "backups/<uuid:id>/hold",
        "leaving/keep",
        "holds",
        "holds/preview",
        "holds/still-needed",
        "freezes",
        "stores/<uuid:id>/check",
        "stores/<uuid:id>/copies",
        "office/line",
        "copies/<int:id>/withdraw",
        "preflight",
        "restores",
    }

    def calls(self, client: APIClient):
        for pattern in api:
            assert isinstance(pattern, URLPattern)
            route = str(pattern.pattern)
            if route == "sign-out":
                continue  # it would end the walk
            path = "/api/" + route.replace("<uuid:id>", str(uuid4())).replace("<int:id>", "999999")
            path = path.replace("<uuid:one>", str(uuid4())).replace("<uuid:two>", str(uuid4())).replace("<str:day>", "2026-01-01")
            path = path.replace("<table:kind>", "csv")
            for method in ("get", "post", "put", "delete"):
                if hasattr(pattern.callback.cls, method):
                    yield route, method, getattr(client, method)(path, format="json").status_code

    def test_strangers_see_nothing_but_the_door(self):
        for route, method, status in self.calls(APIClient()):
            if route not in self.PUBLIC:
                self.assertEqual(status, 401, f"{method} {route}")

    def test_auditors_read_and_write_nothing(self):
        for route, method, status in self.calls(self.signed_in("ulla")):
            if route in self.PUBLIC | self.OWN:
                continue
            refused = method != "get" or route in self.READS_OF_OPERATORS | self.READS_OF_ADMINISTRATORS
            self.assertEqual(status == 403, refused, f"{method} {route} {status}")

    def test_operators_run_and_restore_and_change_no_settings(self):
        for route, method, status in self.calls(self.signed_in("piet")):
            if route in self.PUBLIC | self.OWN | {"pauses"} or method == "get":
                continue  # one device is theirs to pause, the office is not: see the accounts' tests
            self.assertEqual(status == 403, route not in self.WRITES_OF_OPERATORS, f"{method} {route} {status}")

    def test_administrators_are_refused_nowhere(self):
        for route, method, status in self.calls(self.api):
            self.assertNotIn(status, (401, 403), f"{method} {route}")

    def test_who_is_signed_in_is_told_what_they_may_do(self):
        answer = {name: self.signed_in(name).get("/api/me").json()["may"] for name in ("ulla", "piet", "ines")}
        self.assertEqual(answer["ulla"], ["read"])
        self.assertEqual(set(answer["ines"]) - set(answer["piet"]), {"set_up", "see_keys", "pause_everything", "remove"})
        self.assertEqual(APIClient().get("/api/me").json()["may"], [])

    def test_every_permission_is_asked_for_somewhere(self):
        asked = {getattr(pattern.callback.cls, side, None) for pattern in api for side in ("reads", "writes")}
        # reading is what everybody who is signed in may; everything is paused inside of the action that pauses one thing
        self.assertEqual(set(May) - asked, {May.PAUSE_EVERYTHING, May.SET_UP} - asked)
        self.assertIn(May.READ, asked)

    def test_the_live_line_is_closed_to_strangers(self):
        self.assertEqual(self.client.get("/api/live").status_code, 401)

    def test_every_error_is_a_problem_document(self):
        answer = self.api.get(f"/api/runs/{uuid4()}")
        self.assertEqual((answer.status_code, answer["Content-Type"]), (404, "application/problem+json"))
        self.assertEqual(set(answer.json()), {"type", "code", "title", "remedy", "field", "status"})


class TodayAndDevices(OfficeTestCase):
    def devices(self, query: str = "") -> dict:
        return self.api.get(f"/api/devices?{query}").json()

    def test_an_empty_office_says_so(self):
        answer = self.api.get("/api/today").json()
        self.assertEqual((answer["promised"], answer["causes"]), (0, []))

    def test_standing_follows_backup_and_promise(self):
        one, two = self.device("p1"), self.device("p2")
        self.plan(one, two)
        self.run_now(one)
        by_key = {row["holder"]: row["standing"] for row in self.devices()["results"]}
        self.assertEqual(by_key, {"Holder of p1": "on_time", "Holder of p2": "never"})
        self.outside.at += timedelta(days=3)
        self.assertEqual(self.devices()["counts"], {"late": 1, "never": 1})
        self.assertEqual(self.api.get("/api/today").json()["inside"], 0)

    def test_worst_first_and_filters(self):
        one, two, three = (self.device(f"p{n}") for n in (1, 2, 3))
        self.plan(one, two)
        self.run_now(one)
        rows = self.devices()["results"]
        self.assertEqual([row["standing"] for row in rows], ["never", "no_plan", "on_time"])
        self.assertEqual(self.devices("standing=no_plan")["results"][0]["id"], str(three.id))
        self.assertEqual(self.devices("words=holder p2")["count"], 1)
        self.assertEqual(self.devices("standing=wrong")["field"], "standing")

    def test_causes_are_grouped_with_their_next_step(self):
        devices = [self.device(f"p{n}") for n in range(3)]
        self.plan(*devices)
        self.outside.away |= {"p0", "p1"}
        for device in devices[:2]:
            self.run_now(device)
        causes = self.api.get("/api/today").json()["causes"]
        self.assertEqual([(cause["says"], len(cause["devices"]), cause["step"]) for cause in causes],
                         [("Not seen on the office network", 2, "open"), ("Never backed up", 1, "run")])  # fmt: skip

    def test_a_cause_counts_all_of_its_devices_and_names_the_first_few(self):
        self.plan(*[self.device(f"p{n}", content={}) for n in range(15)])
        cause = self.api.get("/api/today").json()["causes"][0]
        self.assertEqual((cause["says"], cause["count"], len(cause["devices"])), ("Never backed up", 15, 12))
        self.assertEqual(self.devices(f"cause={cause['code']}&page_size=50")["count"], 15)
        self.assertEqual(self.devices("cause=of yesterday")["count"], 0)

    def test_one_act_asks_a_run_of_every_device_of_a_cause_and_says_why_not_of_the_others(self):
        held = [self.device(f"p{n}", content={}) for n in range(14)]
        self.plan(*held)
        ask_run_by_hand(held[3], note="", by=self.ines)
        code = self.api.get("/api/today").json()["causes"][0]["code"]
        answer = self.api.post("/api/causes/run", {"code": code}, format="json").json()
        self.assertEqual(answer, {"asked": 13, "refused": [{"says": "A run of this device is under way already.", "devices": 1}]})
        self.assertEqual(Run.objects.filter(state="waiting").values("device").distinct().count(), 14)
        self.assertEqual(set(Run.objects.values_list("by__username", flat=True)), {"ines"})

    def test_a_cause_that_is_gone_or_needs_something_else_asks_no_run(self):
        self.device("p1")
        for code, says in (("never", "This does not need anybody any more."), ("no_plan", "A run is not what this needs.")):
            answer = self.api.post("/api/causes/run", {"code": code}, format="json")
            self.assertEqual((answer.status_code, answer.json()["title"]), (409, says))
        self.assertFalse(Run.objects.exists())

    def test_the_ribbon_tells_how_many_things_need_a_person_and_are_not_put_off(self):
        self.device("p1")
        watch_office(now=self.outside.at)
        self.assertEqual(self.api.get("/api/ribbon").json()["needing"], 1)
        Incident.objects.update(put_off_until=self.outside.at.date() + timedelta(days=2), put_off_why="later")
        self.assertEqual(self.api.get("/api/ribbon").json()["needing"], 0)
        self.outside.at += timedelta(days=2)
        self.assertEqual(self.api.get("/api/ribbon").json()["needing"], 1)

    def test_today_costs_twenty_one_queries_for_two_devices_and_for_twenty(self):
        self.plan(*[self.device(f"p{n}", content={}) for n in range(2)])
        with self.assertNumQueries(21):
            self.api.get("/api/today")
        self.plan(*[self.device(f"q{n}", content={}) for n in range(18)], name="More")
        with self.assertNumQueries(21):
            self.assertEqual(self.api.get("/api/today").json()["promised"], 20)

    def test_what_is_damaged_is_found_at_the_damaged_copies_and_not_by_walking_the_history(self):
        one, two = self.device("p1"), self.device("p2")
        self.plan(one, two)
        whole, broken = self.run_now(one).backup, self.run_now(two).backup
        Copy.objects.filter(backup=broken).update(intact=False)
        rows = {row.id: row for row in with_newest(Device.objects.all())}
        self.assertEqual((rows[one.id].newest_id, rows[one.id].damaged_id), (whole.id, None))
        self.assertEqual((rows[two.id].newest_id, rows[two.id].damaged_id, rows[two.id].damaged_at), (None, broken.id, broken.finished_at))
        self.assertEqual([row.id for row in with_newest(Device.objects.all(), only=[two.id])], [two.id])
        with connection.cursor() as cursor:
            # what is present lies beside it in a table of two rows, and costs the same there
            cursor.execute("drop index copies_present")
            cursor.execute("set local enable_seqscan = off")
            cursor.execute("explain select backup_id from runs_copy where state = 'present' and not intact")
            self.assertIn("copies_damaged", str(cursor.fetchall()))

    def test_a_store_that_is_nearly_full_needs_a_person(self):
        from server.storage.models import Store

        store = self.store(allowance_bytes=1000)
        Store.objects.filter(id=store.id).update(stored_bytes=950)
        self.assertIn("50 bytes left", str(self.api.get("/api/today").json()["causes"]))

    def test_the_list_costs_the_same_queries_for_two_devices_and_for_twenty(self):
        self.plan(*[self.device(f"p{n}", content={}) for n in range(2)])
        with self.assertNumQueries(9):
            self.devices()
        self.plan(*[self.device(f"q{n}", content={}) for n in range(18)], name="More")
        with self.assertNumQueries(9):
            self.assertEqual(self.devices()["count"], 20)


class TheRibbon(OfficeTestCase):
    def run_row(self, night: str, state: str, planned: bool = True, hours_late: float = 0, device: int = 0) -> None:
        at = datetime.fromisoformat(f"{night}T21:00").replace(tzinfo=UTC)
        Run.objects.create(
            device=self.held[device], store=self.plan_.store, trigger="schedule" if planned else "by_hand", state=state, night=date.fromisoformat(night),
            planned_for=at if planned else None, asked_at=at, started_at=at + timedelta(hours=hours_late),
        )  # fmt: skip

    def furnish(self):
        super().furnish()
        self.held = [self.device(f"p{n}", content={}) for n in range(3)]
        self.plan_ = self.plan(*self.held)

    def night(self, night: str) -> tuple[int, int, int, int]:
        past = {str(one.night): one for one in past_nights(now=self.outside.at)}[night]
        return past.came, past.came_late, past.missing, past.under_way

    def test_came_late_and_missing_are_counted_by_device(self):
        self.run_row("2026-03-01", "complete", device=0)
        self.run_row("2026-03-01", "complete", hours_late=3, device=1)
        self.run_row("2026-03-01", "failed", device=2)
        self.assertEqual(self.night("2026-03-01"), (1, 1, 1, 0))

    def test_a_failure_that_was_made_good_by_hand_came_late(self):
        self.run_row("2026-03-01", "failed")
        self.run_row("2026-03-01", "complete", planned=False)
        self.assertEqual(self.night("2026-03-01"), (0, 1, 0, 0))

    def test_fourteen_nights_end_with_last_night(self):
        nights = past_nights(now=self.outside.at)
        self.assertEqual((len(nights), str(nights[-1].night)), (14, "2026-03-01"))

    def test_before_six_the_night_is_still_under_way(self):
        berlin = ZoneInfo("Europe/Berlin")
        self.assertEqual(coming_night(datetime(2026, 3, 2, 4, tzinfo=UTC), berlin), date(2026, 3, 1))
        self.assertEqual(coming_night(datetime(2026, 3, 2, 6, tzinfo=UTC), berlin), date(2026, 3, 2))

    def test_planned_devices_of_tonight_and_of_a_night_without_runs(self):
        self.assertEqual(planned_on(date(2026, 3, 2), now=self.outside.at), 3)
        self.plan(*self.held, name="Weekly", rule="FREQ=WEEKLY;BYDAY=TH")
        self.assertEqual((planned_on(date(2026, 3, 2), now=self.outside.at), planned_on(date(2026, 3, 5), now=self.outside.at)), (0, 3))


class Health(OfficeTestCase):
    def test_without_a_worker_it_is_not_up_and_says_why(self):
        answer = self.client.get("/healthz")
        self.assertEqual(answer.status_code, 503)
        self.assertIn("worker", " ".join(answer.json()["troubles"]))
