"""Exceptions from a plan's rule; the rule of devices that are retired or lost, and the question at its end."""

from datetime import timedelta

from server.fleet.actions.change_device import change_device
from server.people.models import JournalEntry
from server.plans.models import RuleVersion
from server.retention.actions.look_after import look_after
from server.retention.tests.test_leaving import ThePile
from server.runs.models import Copy


class Said(ThePile):
    def say(self, rule: object, **fields: object):
        shown = self.api.post("/api/exceptions/consequences", {"rule": rule, **fields}, format="json")
        if shown.status_code != 200:
            return shown
        agreed = {"seen": shown.json()["digest"], "word": shown.json()["word"]}
        return self.api.post("/api/exceptions", {"rule": rule, "why": "there is room", **fields, **agreed}, format="json")

    def kept(self) -> int:
        return Copy.objects.filter(state="present").count()


class Exceptions(Said):
    def test_the_most_particular_wins_and_is_named(self):
        self.nights(2)
        store, team = str(self.room.id), self.one.team_id
        for value, last, named in (
            ({"store": store}, 5, "the exception for this store"), ({"plan": str(self.nightly.id), "store": store}, 6, "the plan's exception for this store"),
            ({"team": team}, 7, "its team's exception"), ({"team": team, "store": store}, 8, "its team's exception in this store"),
            ({"device": str(self.one.id)}, 9, "the exception for this device"),
            ({"device": str(self.one.id), "store": store}, 10, "the exception for this device in this store"),
        ):  # fmt: skip
            with self.subTest(named=named):
                self.assertEqual(self.say({"last": last, "minimum_age_seconds": 0}, **value).status_code, 204)
                self.nights(last - self.kept())
                self.assertEqual(self.kept(), last)
                self.night()
                self.assertEqual(self.kept(), last)
                self.assertIn(
                    f"{named}, version 1", Copy.objects.filter(state="leaving").order_by("-leaving_since", "-id").first().removed_by_rule
                )
        self.assertEqual(len(self.api.get("/api/exceptions").json()), 6)

    def test_one_that_removes_more_is_shown_first_and_ending_it_brings_back(self):
        self.say({"last": 9, "minimum_age_seconds": 0}, device=str(self.one.id))
        self.nights(6)
        body = {"rule": {"last": 1, "minimum_age_seconds": 0}, "device": str(self.one.id)}
        refused = self.api.post("/api/exceptions", body, format="json")
        self.assertEqual((refused.status_code, refused.json()["code"]), (409, "retention.unseen"))
        self.assertEqual(self.api.post("/api/exceptions/consequences", body, format="json").json()["leaves"], 5)
        self.assertEqual(self.say(body["rule"], device=body["device"]).status_code, 204)
        look_after(self.room.id)
        self.assertEqual(self.kept(), 1)
        self.assertEqual(self.say(None, device=str(self.one.id)).status_code, 204)
        look_after(self.room.id)
        self.assertEqual(self.kept(), 2, "the plan's own rule holds again")
        self.assertEqual(self.api.get("/api/exceptions").json(), [])
        self.assertEqual([row.number for row in RuleVersion.objects.filter(device=self.one)], [3, 2, 1])
        self.assertEqual(JournalEntry.objects.filter(what="rule.exception").count(), 3)

    def test_bad_input_names_its_field(self):
        good = {"last": 1}
        for value, rule, field in (
            ({}, good, "store"), ({"team": self.one.team_id, "device": str(self.one.id)}, good, "device"), ({"retired": True, "team": 1}, good, "retired"),
            ({"plan": str(self.nightly.id)}, good, "store"), ({"team": 999_999}, good, "team"), ({"device": str(self.one.id)}, {}, "keep_last"),
            ({"device": str(self.one.id)}, {"last": -1}, "last"), ({"device": str(self.one.id)}, {"within": {"count": 0, "unit": "days"}}, "count"),
        ):  # fmt: skip
            with self.subTest(told=value, rule=rule):
                refused = self.say(rule, **value)
                self.assertEqual((refused.status_code, refused.json()["field"]), (400, field))


class RetiredAndLost(Said):
    def test_their_rule_counts_from_the_day_they_became_so_and_then_somebody_is_asked(self):
        self.say({"last": 9, "minimum_age_seconds": 0}, device=str(self.one.id))
        self.nights(5)
        self.say(None, device=str(self.one.id))
        look_after(self.room.id)
        change_device(self.one, {"state": "retired"}, by=self.ines)
        self.assertEqual(self.kept(), 2)
        rule = {"last": 1, "minimum_age_seconds": 0, "within": {"count": 3, "unit": "days"}, "ask_after": {"count": 2, "unit": "years"}}
        self.assertEqual(self.say(rule, retired=True).status_code, 204)
        look_after(self.room.id)
        self.assertEqual(self.kept(), 3, "everything of three days, counted from its last one")
        foretold = [kept["falls_out_on"] for one in self.api.get(f"/api/devices/{self.one.id}/backups").json() for kept in one["kept"]]
        self.assertEqual(set(foretold), {None})
        self.outside.at += timedelta(days=400)
        look_after(self.room.id)
        self.assertEqual(self.kept(), 3, "time alone removes nothing more of it")
        self.assertEqual(self.asked(), [])
        self.outside.at += timedelta(days=400)
        self.assertEqual(self.asked(), ["Retired or lost for so long that somebody has to say whether their last backups may go"])
        _, done = self.remove(device=str(self.one.id))
        self.assertEqual(done.status_code, 200)
        self.outside.at += timedelta(days=8)
        look_after(self.room.id)
        self.assertEqual((self.kept(), self.asked()), (0, []))

    def asked(self) -> list[str]:
        return [cause["says"] for cause in self.api.get("/api/today").json()["causes"] if cause["code"] == "keep_or_not"]
