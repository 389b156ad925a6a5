"""What a run could not take: partial until somebody has accepted it; accepted things stay named, new ones count again."""

import os
import shutil
import tempfile
from pathlib import Path
from unittest import mock

from server.people.models import JournalEntry
from server.runs.models import Omission
from server.tests.pretend import OfficeTestCase


class WhatIsLeftOut(OfficeTestCase):
    def setUp(self):
        super().setUp()
        self.root = Path(tempfile.mkdtemp(prefix="attic-left-"))
        self.addCleanup(shutil.rmtree, self.root)
        for name in ("a.txt", "shut/b.txt", "cache/c.txt"):
            (self.root / name).parent.mkdir(exist_ok=True)
            (self.root / name).write_text(name)
        os.mkfifo(self.root / "pipe")
        body = {"path": str(self.root), "name": "Share", "holder": "nobody", "team": "", "family": "folder"}
        self.id = self.api.post("/api/devices/folder", body, format="json").json()["id"]
        self.share = self.devices_by_id(self.id)
        self.plan(self.share, kinds=["documents"])
        self.refused = {"shut"}

    def devices_by_id(self, id):
        from server.fleet.models import Device

        return Device.objects.get(id=id)

    def run_it(self):
        real = os.open

        def refuse(path, *more, **names):
            if os.path.basename(str(path)) in self.refused:
                raise PermissionError(13, "Permission denied")
            return real(path, *more, **names)

        with mock.patch("os.open", refuse):
            return self.run_now(self.share)

    def accept(self, run, **body):
        return self.api.post(f"/api/runs/{run.id}/accept", {"why": "the app's own"} | body, format="json")

    def test_a_folder_that_may_not_be_read_makes_a_partial_one_a_pipe_does_not(self):
        run = self.run_it()
        self.assertEqual(run.state, "partial")
        answer = self.api.get(f"/api/runs/{run.id}").json()["skipped"]
        self.assertEqual(
            [(one["name"], one["code"], one["counts"]) for one in answer], [("shut", "denied", True), ("pipe", "special", False)]
        )
        self.assertTrue(answer[0]["reason"])
        self.refused = set()
        self.assertEqual(self.run_it().state, "complete")

    def test_accepted_by_path_it_stays_named_and_a_new_one_counts_again(self):
        run = self.run_it()
        answer = self.accept(run, path="shut").json()
        self.assertEqual([one["counts"] for one in answer["skipped"]], [False, False])
        self.assertEqual(JournalEntry.objects.get(what="omission.accepted").facts["reason"], "", "it is accepted for its place")
        again = self.run_it()
        self.assertEqual((again.state, sorted(one["name"] for one in again.skipped)), ("complete", ["pipe", "shut"]))
        self.refused = {"shut", "cache"}
        self.assertEqual(self.run_it().state, "partial")
        self.assertEqual(self.api.delete(f"/api/omissions/{Omission.objects.get().id}").status_code, 204)
        self.refused = {"shut"}
        self.assertEqual(self.run_it().state, "partial")

    def test_accepted_by_reason_for_all_that_are_alike(self):
        run = self.run_it()
        self.assertEqual(self.accept(run, code="denied", alike=True).status_code, 200)
        self.assertTrue(JournalEntry.objects.get(what="omission.accepted").facts["reason"])
        self.refused = {"shut", "cache"}
        self.assertEqual(self.run_it().state, "complete")
        answer = self.api.get(f"/api/devices/{self.id}/omissions").json()
        self.assertEqual((answer["count"], [one["alike"] for one in answer["accepted"]]), (3, [True]))

    def test_only_what_was_left_out_can_be_accepted_and_only_with_a_reason(self):
        run = self.run_it()
        for body, field in (
            ({"path": "elsewhere"}, "path"),
            ({}, "path"),
            ({"code": "nonsense"}, "code"),
            ({"path": "shut", "why": " "}, "why"),
        ):
            answer = self.accept(run, **body)
            self.assertEqual((answer.status_code, answer.json()["field"]), (400, field), body)
        self.assertFalse(Omission.objects.exists())

    def test_coverage_counts_what_is_left_out_of_a_kind(self):
        (self.root / "a.txt").chmod(0o000)
        real = os.open

        def refuse(path, *more, **names):
            if str(path).endswith("a.txt"):
                raise PermissionError(13, "Permission denied")
            return real(path, *more, **names)

        self.refused = set()
        with mock.patch("os.open", refuse):
            self.assertEqual(self.run_it().state, "partial")
        kinds = {one["kind"]: one["left_out"] for one in self.api.get(f"/api/devices/{self.id}/coverage").json()["kinds"]}
        self.assertEqual(kinds["documents"], 1)

    def test_the_answer_before_a_wipe_knows_it(self):
        run = self.run_it()
        codes = {one["code"] for one in self.api.get(f"/api/devices/{self.id}/wipe").json()["reasons"]}
        self.assertIn("partial", codes)
        self.accept(run, path="shut")
        codes = {one["code"] for one in self.api.get(f"/api/devices/{self.id}/wipe").json()["reasons"]}
        self.assertNotIn("partial", codes)
