"""A device that gives far fewer items than it just had has not made a complete backup without a word."""

from datetime import timedelta

from core.coverage.anomalies import far_fewer
from server.oversight.actions.anomalies import _as_taken, look_for_anomalies
from server.oversight.models import Anomaly
from server.retention.actions.apply_rule import apply_rule
from server.runs.models import Backup, CopyState
from server.tests.pretend import OfficeTestCase


class FarFewer(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device(
            content={("contacts", f"c{n}"): b'{"display": "x%d"}' % n for n in range(40)} | {("photos", "p"): b"\xff\xd8"}
        )
        self.made = self.plan(self.one, keep_last=1, keep_daily=0)
        self.before = self.run_it()

    def run_it(self) -> Backup:
        self.outside.at += timedelta(days=1)
        run = self.run_now(self.one)
        look_for_anomalies(run.backup, now=self.outside.at)
        return run.backup

    def lose(self, *, down_to: int, kind: str = "contacts") -> None:
        content = self.outside.devices["p1"].content
        for _, id in sorted(place for place in content if place[0] == kind)[down_to:]:
            del content[kind, id]

    def newest(self) -> dict:
        return self.api.get(f"/api/devices/{self.one.id}").json()

    def test_it_counts_for_nothing_until_somebody_has_looked(self):
        self.lose(down_to=5)
        lost = self.run_it()
        self.assertEqual((lost.suspect, lost.lacking), (True, [{"kind": "contacts", "before": 40, "after": 5}]))
        self.assertEqual(self.newest()["newest_id"], str(self.before.id))
        self.assertEqual(apply_rule(self.one, self.made.store, now=self.outside.at), 0)
        self.assertEqual(self.before.copies.get().state, CopyState.PRESENT)
        odd = Anomaly.objects.get()
        self.assertEqual((odd.code, odd.kind, odd.numbers["before"], odd.numbers["after"]), ("shrunk", "contacts", 40, 5))
        covered = next(one for one in self.api.get(f"/api/devices/{self.one.id}/coverage").json()["kinds"] if one["kind"] == "contacts")
        self.assertEqual(covered["newest"]["backup"], str(self.before.id))
        self.api.post(f"/api/anomalies/{odd.id}/settle", {"why": "the holder cleared them"}, format="json")
        self.assertEqual(self.newest()["newest_id"], str(lost.id))
        self.assertEqual(look_for_anomalies(Backup.objects.get(id=lost.id), now=self.outside.at), [], "somebody has looked")
        self.assertEqual(apply_rule(self.one, self.made.store, now=self.outside.at), 1)

    def test_one_that_gives_nothing_at_all_is_the_same_and_the_next_whole_one_counts_at_once(self):
        content = dict(self.outside.devices["p1"].content)
        self.outside.devices["p1"].content.clear()
        self.assertTrue(self.run_it().suspect)
        self.assertEqual({row.code for row in Anomaly.objects.all()}, {"vanished"})
        self.outside.devices["p1"].content.update(content)
        whole = self.run_it()
        self.assertEqual((whole.suspect, self.newest()["newest_id"]), (False, str(whole.id)))

    def test_what_came_anew_is_what_was_not_unchanged(self):
        for changed in (3, 0):
            for n in range(changed):
                self.outside.devices["p1"].content["contacts", f"new{n}"] = b'{"display": "new"}'
            self.assertEqual(_as_taken(Backup.objects.get(id=self.run_it().id)).new_items, changed)

    def test_two_left_of_four_stops_nothing(self):
        self.assertEqual(far_fewer({"contacts": 4, "photos": 100}, {"contacts": 2, "photos": 99}), [])
        self.assertEqual([one.kind for one in far_fewer({"contacts": 40, "photos": 100}, {"contacts": 2, "photos": 99})], ["contacts"])
        self.assertEqual([one.kind for one in far_fewer({"contacts": 4}, {})], ["contacts"], "nothing at all is no handful less")

    def test_a_handful_less_and_a_kind_that_the_plan_takes_no_more_are_nobodys_concern(self):
        self.lose(down_to=31)
        self.assertFalse(self.run_it().suspect)
        self.lose(down_to=29)
        self.made.kinds = ["contacts"]
        self.made.reach = "all_but"
        self.made.save(update_fields=["kinds", "reach"])
        self.assertFalse(self.run_it().suspect)
