"""A change of a plan is shown over the real history before it is saved, and nothing more leaves by it than was shown."""

from datetime import timedelta

from server.fleet.models import Device
from server.people.models import Holder, Team
from server.plans.actions.rule_versions import note_version
from server.plans.models import RuleVersion
from server.retention.actions.look_after import look_after
from server.retention.tests.test_leaving import ThePile
from server.runs.actions.come_back import NOT_LEAVING
from server.runs.models import Backup, Copy


class Puts(ThePile):
    def put(self, **changes: object):
        body = {
            "name": "Nightly", "kinds": ["contacts", "photos", "documents", "app_data"], "pattern": {"shape": "every_night"},
            "starts_at": "22:00", "window_closes": "06:00", "store": str(self.room.id), "promise_seconds": 172_800, "keep_last": 5,
            "keep_daily": 0, "keep_weekly": 0, "keep_monthly": 0, "keep_minimum_age_seconds": 0, "devices": [str(self.one.id)],
        } | changes  # fmt: skip
        return body, self.api.put(f"/api/plans/{self.nightly.id}", body, format="json")


class NothingLeavesUnseen(Puts):
    def test_last_1_by_a_slip_is_not_saved_before_it_was_seen(self):
        self.put(keep_last=5)
        self.nights(5)
        body, refused = self.put(keep_last=1)
        self.assertEqual((refused.status_code, refused.json()["code"]), (409, "retention.unseen"))
        self.assertIn("4 copies leave", str(refused.json()))
        shown = self.api.post("/api/plans/consequences", body | {"id": str(self.nightly.id)}, format="json").json()
        self.assertEqual((shown["leaves"], shown["stays"], shown["word"], shown["first_day"]), (4, 1, "remove", "2026-03-14"))
        self.assertEqual([point["state"] for point in shown["devices"][0]["points"]], ["stays"] + ["leaves"] * 4)
        _, unsaid = self.put(keep_last=1, seen=shown["digest"])
        self.assertEqual((unsaid.status_code, unsaid.json()["field"]), (400, "word"))
        _, saved = self.put(keep_last=1, seen=shown["digest"], word="remove")
        self.assertEqual((saved.status_code, saved.json()["keep_last"]), (200, 1))
        look_after(self.room.id)
        self.assertEqual(self.states(), ["leaving"] * 4 + ["present"])
        self.assertEqual(RuleVersion.objects.filter(plan=self.nightly).count(), 3)

    def test_a_longer_rule_and_one_that_says_the_same_need_nothing(self):
        self.put(keep_last=5)
        self.nights(5)
        self.assertEqual(self.put(keep_last=5)[1].status_code, 200)
        self.assertEqual(self.put(keep_last=9)[1].status_code, 200)

    def test_a_gap_is_told_by_its_neighbours(self):
        self.put(keep_last=9)
        for days in (0, 40, 1, 1):
            self.outside.at += timedelta(days=days)
            self.night()
        body, _ = self.put(keep_last=1, keep_monthly=1, keep_yearly=2)
        shown = self.api.post("/api/plans/consequences", body | {"id": str(self.nightly.id)}, format="json").json()
        self.assertEqual((shown["gaps"], shown["devices"][0]["gap_from"]), (0, None))
        Backup.objects.filter(id=self.backups()[0].id).update(hold_reason="kept")
        body, _ = self.put(keep_last=1)
        shown = self.api.post("/api/plans/consequences", body | {"id": str(self.nightly.id)}, format="json").json()
        self.assertEqual((shown["gaps"], shown["devices"][0]["gap_from"], shown["devices"][0]["gap_to"]), (1, "2026-03-02", "2026-04-16"))
        self.assertEqual(shown["devices"][0]["points"][-1]["state"], "held")

    def test_a_held_store_by_another_rule_is_the_more_particular_one(self):
        note_version({"last": 5}, by=self.ines, now=self.outside.at, store=self.room, why="the room has space")
        self.nights(4)
        self.assertEqual(self.states(), ["present"] * 4)
        note_version({"last": 1}, by=self.ines, now=self.outside.at, device=self.one)
        look_after(self.room.id)
        self.assertEqual(self.states(), ["leaving"] * 3 + ["present"])
        self.assertIn("exception for this device, version 1", Copy.objects.filter(state="leaving").first().removed_by_rule)
        note_version(None, by=self.ines, now=self.outside.at, device=self.one)
        look_after(self.room.id)
        self.assertEqual(self.states(), ["present"] * 4)


class TwoVersions(Puts):
    def test_lie_side_by_side_on_the_real_history(self):
        self.put(keep_last=5)
        self.nights(5)
        shown = self.api.post("/api/plans/consequences", self.put(keep_last=1)[0] | {"id": str(self.nightly.id)}, format="json").json()
        self.put(keep_last=1, seen=shown["digest"], word="remove")
        listed = self.api.get(f"/api/plans/{self.nightly.id}/rule-versions").json()
        newest, before = listed["results"][:2]
        self.assertEqual([row["rule"]["last"] for row in (newest, before)], [1, 5])
        beside = self.api.get(f"/api/rule-versions/{before['id']}/beside").json()
        self.assertEqual([row["id"] for row in beside["results"]], [row["id"] for row in listed["results"]])
        answer = self.api.get(f"/api/rule-versions/{before['id']}/compare?other={newest['id']}").json()
        self.assertEqual((answer["one"]["number"], answer["other"]["number"]), (before["number"], newest["number"]))
        self.assertEqual((answer["only_one"]["leaves"], answer["only_other"]["leaves"]), (4, 0))
        back = self.api.get(f"/api/rule-versions/{newest['id']}/compare?other={before['id']}").json()
        self.assertEqual((back["only_one"]["leaves"], back["only_other"]["leaves"]), (0, 4))

    def test_of_an_exception_and_of_two_rules(self):
        self.nights(3)
        now = self.outside.at
        one = note_version({"last": 3}, by=self.ines, now=now, device=self.one)
        two = note_version({"last": 1}, by=self.ines, now=now, device=self.one)
        other = note_version({"last": 1}, by=self.ines, now=now, store=self.room)
        Copy.objects.update(state="present", **NOT_LEAVING)
        answer = self.api.get(f"/api/rule-versions/{one.id}/compare?other={two.id}").json()
        self.assertEqual((answer["only_one"]["leaves"], answer["only_other"]["leaves"]), (2, 0))
        refused = self.api.get(f"/api/rule-versions/{one.id}/compare?other={other.id}")
        self.assertEqual((refused.status_code, refused.json()["field"]), (400, "other"))


class AChangeOfDevices(ThePile):
    """Retired devices keep the last one; Inland Crew keeps two; the plan keeps nine."""

    def furnish(self):
        super().furnish()
        note_version({"last": 9}, by=self.ines, now=self.outside.at, plan=self.nightly)
        self.nightly.keep_last = 9
        self.nightly.save(update_fields=["keep_last"])
        self.nights(5)
        self.inland = Team.objects.create(name="Inland Crew")
        note_version({"last": 1}, by=self.ines, now=self.outside.at)
        note_version({"last": 2}, by=self.ines, now=self.outside.at, team=self.inland)

    def shown(self, **values: str):
        return self.api.post(
            "/api/devices/change/consequences", {"devices": [str(self.one.id)], "values_told": values}, format="json"
        ).json()

    def test_one_that_would_be_retired_is_shown_first(self):
        path, body = f"/api/devices/{self.one.id}/change", {"values_told": {"state": "retired"}}
        refused = self.api.put(path, body, format="json")
        self.assertEqual((refused.status_code, refused.json()["code"]), (409, "retention.unseen"))
        shown = self.shown(state="retired")
        self.assertEqual((shown["leaves"], shown["stays"], shown["word"]), (4, 1, "remove"))
        self.assertEqual(self.api.put(path, body | {"seen": shown["digest"]}, format="json").json()["field"], "word")
        self.assertEqual(Device.objects.get(id=self.one.id).state, "in_use")
        done = self.api.put(path, body | {"seen": shown["digest"], "word": "remove"}, format="json")
        self.assertEqual(done.status_code, 200, done.content)
        look_after(self.room.id)
        self.assertEqual(self.states(), ["leaving"] * 4 + ["present"])

    def test_the_same_for_lost_and_for_what_a_leaver_left_behind(self):
        for state in ("lost", "left"):
            self.assertEqual(self.shown(state=state)["leaves"], 4)
        for state in ("away", "in_repair", "in_use"):
            self.assertEqual(self.shown(state=state)["digest"], "")

    def test_another_team_has_another_rule(self):
        shown = self.shown(team="Inland Crew")
        self.assertEqual((shown["leaves"], shown["stays"]), (3, 2))
        body = {"devices": [str(self.one.id)], "values_told": {"team": "Inland Crew"}}
        self.assertEqual(self.api.post("/api/devices/change", body, format="json").status_code, 409)
        agreed = body | {"seen": shown["digest"], "word": shown["word"]}
        self.assertEqual(self.api.post("/api/devices/change", agreed, format="json").status_code, 200)

    def test_looking_creates_no_team_and_no_holder(self):
        self.shown(team="A new crew", holder="Somebody new")
        self.assertFalse(Team.objects.filter(name="A new crew").exists() or Holder.objects.filter(name="Somebody new").exists())

    def test_what_cannot_show_anything_says_where_it_is_shown(self):
        rows = f"id,state\n{self.one.id},retired\n"
        digest = self.api.post("/api/devices/import/preview", {"content": rows}, format="json").json()["digest"]
        answer = self.api.post("/api/devices/import", {"content": rows, "digest": digest}, format="json")
        self.assertEqual(
            (answer.status_code, "on their pages" in answer.json()["remedy"] or "by hand" in answer.json()["remedy"]), (409, True)
        )
        self.assertEqual(Device.objects.get(id=self.one.id).state, "in_use")

    def test_a_change_of_the_name_asks_nothing(self):
        path = f"/api/devices/{self.one.id}/change"
        self.assertEqual(self.api.put(path, {"values_told": {"name": "Orlo H9"}}, format="json").status_code, 200)
