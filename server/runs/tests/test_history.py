"""The history of runs: what is filtered, what it adds up to, exports, comparisons; and what looks wrong in it."""

import csv
import io
import json
from dataclasses import replace
from datetime import timedelta

from asgiref.sync import async_to_sync

from server.oversight.tasks import after_run
from server.runs.models import Run
from server.runs.tests.test_nights import NightsTestCase, utc


class WhatLooksWrong(NightsTestCase):
    """Anomalies of real runs: what the device gives is changed between them."""

    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.plan(self.one)
        for day in range(9):
            self.outside.at = utc("2026-03-02T08:00") + timedelta(days=day)
            self.outside.devices["p1"].content["contacts", f"new{day}"] = b"another contact"
            self.look(self.run_now(self.one))

    def look(self, run: Run) -> list[str]:

        after_run.func(run_id=str(run.id))
        return [row["code"] for row in self.api.get("/api/anomalies?open=true").json()["results"]]

    def test_ordinary_days_are_not_odd(self):
        self.assertEqual(self.api.get("/api/anomalies").json()["count"], 0)

    def test_half_of_the_contacts_gone_is_told_once_compared_and_settled(self):
        content = self.outside.devices["p1"].content
        for key in [key for key in content if key[0] == "contacts"][:60]:
            del content[key]
        before = Run.objects.order_by("-asked_at").first().backup.id
        self.outside.at += timedelta(days=1)
        self.assertEqual(self.look(self.run_now(self.one)), ["shrunk"])
        row = self.api.get("/api/anomalies?open=true").json()["results"][0]
        self.assertEqual((row["kind"], row["before"]), ("contacts", str(before)))
        self.assertGreater(row["numbers"]["before"] - row["numbers"]["after"], 50)
        causes = [cause["code"] for cause in self.api.get("/api/today").json()["causes"]]
        self.assertIn("odd shrunk", causes)
        self.outside.at += timedelta(days=1)
        self.assertEqual(self.look(self.run_now(self.one)), ["shrunk"])  # the next usual one does not undo what is gone
        piet = self.signed_in("piet")
        piet.post(f"/api/anomalies/{row['id']}/settle", {"why": "a shared address book was removed"}, format="json")
        self.assertEqual(self.api.get("/api/anomalies?open=true").json()["count"], 0)
        self.assertNotIn("odd shrunk", [cause["code"] for cause in self.api.get("/api/today").json()["causes"]])

    def test_everything_rewritten_at_once_as_malware_would(self):
        content = self.outside.devices["p1"].content
        for key in [key for key in content if key[0] == "contacts"]:
            content[key] = b"x" + content[key][::-1]
        self.outside.at += timedelta(days=1)
        self.assertIn("many_changed", self.look(self.run_now(self.one)))

    def test_a_clock_that_is_off_is_settled_by_itself_when_it_is_right_again(self):
        device = self.outside.devices["p1"]
        device.told = replace(device.told, clock=self.outside.at + timedelta(minutes=9))
        self.assertIn("clock_off", self.look(self.run_now(self.one)))
        device.told = replace(device.told, clock=None)
        self.assertEqual(self.look(self.run_now(self.one)), [])


class AHistoryThatAddsUp(NightsTestCase):
    def furnish(self):
        super().furnish()
        self.one, self.two = self.device("p1"), self.device("p2")
        self.plan(self.one, self.two)
        self.outside.away.add("p2")
        for device in (self.one, self.two):
            self.run_now(device)
        self.outside.devices["p1"].content.pop(("photos", "p1"))
        self.again = self.run_now(self.one)

    def test_totals_are_of_everything_that_is_filtered(self):
        answer = self.api.get("/api/runs/totals").json()
        self.assertEqual((answer["runs"], answer["came"], answer["did_not"]), (3, 2, 1))
        self.assertEqual(self.api.get(f"/api/runs/totals?device={self.two.id}").json()["came"], 0)
        self.assertEqual(self.api.get("/api/runs?outcome=did_not").json()["count"], 1)
        self.assertEqual(self.api.get("/api/runs?cause=link.away").json()["count"], 1)
        self.assertEqual(self.api.get("/api/runs?at_least_bytes=100000").json()["count"], 1)
        self.assertEqual(self.api.get("/api/runs?first=2026-03-02").json()["count"], 0)

    def test_causes_that_occur_can_be_chosen(self):
        self.assertEqual([(cause["code"], cause["runs"]) for cause in self.api.get("/api/runs/causes").json()], [("link.away", 1)])

    def test_exports_hold_every_row_and_open_safely(self):

        for kind in ("csv", "json"):
            answer = self.api.get(f"/api/runs/export.{kind}?outcome=came")
            text = b"".join(self.pieces(answer)).decode()
            rows = list(csv.DictReader(io.StringIO(text))) if kind == "csv" else json.loads(text)
            self.assertEqual([row["state"] for row in rows], ["complete", "complete"])
            self.assertEqual(rows[0]["device_name"], "Orlo H1")

    def pieces(self, answer):

        async def whole():
            return [piece async for piece in answer.streaming_content]

        return async_to_sync(whole)() if answer.is_async else list(answer.streaming_content)

    def test_two_runs_are_compared_kind_by_kind(self):
        first = Run.objects.filter(device=self.one).order_by("asked_at").first()
        answer = self.api.get(f"/api/runs/{first.id}/with/{self.again.id}").json()
        photos = next(row for row in answer["kinds"] if row["kind"] == "photos")
        self.assertEqual(photos["items"][0] - photos["items"][1], 1)

    def test_a_run_tells_its_stages_and_the_run_before(self):
        answer = self.api.get(f"/api/runs/{self.again.id}").json()
        self.assertEqual([stage["stage"] for stage in answer["stages"]], ["asking", "looking", "reading", "closing"])
        self.assertTrue(all(stage["seconds"] >= 0 for stage in answer["stages"]))
        self.assertEqual(answer["before_id"], str(Run.objects.filter(device=self.one).order_by("asked_at").first().id))
