"""Records go when they are older than their time, and the month's report outlives them."""

from datetime import timedelta

from server import ports
from server.oversight.actions.age_out import age_out
from server.oversight.models import Incident, MonthReport, PromiseDay
from server.people.actions.let_go import delete_some
from server.people.ages import ages
from server.people.models import JournalEntry, Office
from server.recovery.models import Restore
from server.retention.actions.freeze import freeze
from server.runs.models import Backup, Copy, LinedUp, Run
from server.telling.models import Message
from server.tests.pretend import OfficeTestCase


class Ages(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.nightly = self.plan(self.one)
        self.runs = [self.run_now(self.one)]
        self.outside.at += timedelta(days=40)
        self.runs.append(self.run_now(self.one))
        self.then = self.outside.at

    def years_later(self, years: int = 4):
        self.outside.at = self.then + timedelta(days=366 * years)
        return age_out(now=self.outside.at)

    def file_of(self, restore: Restore):
        with ports.results().downloads.new(str(restore.id)) as file:
            file.write(b"PK of a whole archive")
        return self.outside.exports / f"{restore.id}.sealed"

    def restore(self, **more: object) -> Restore:
        fields = {"backup": self.runs[1].backup, "target": "archive", "asked_at": self.then, "finished_at": self.then, "state": "complete"}
        return Restore.objects.create(**{**fields, "by": self.ines, "file_name": "H1.zip", "file_bytes": 5, **more})

    def test_a_run_goes_once_its_backup_has_left_and_a_newer_one_is_there(self):
        self.assertNotIn("runs", self.years_later(), "its backup is still there")
        Copy.objects.filter(backup=self.runs[0].backup).update(state="removed", removed_at=self.then)
        self.assertEqual(self.years_later(5)["runs"], 1)
        self.assertEqual(list(Run.objects.all()), [self.runs[1]])
        self.assertFalse(Backup.objects.filter(id=self.runs[0].backup.id).exists(), "nor what remained of the backup")
        Copy.objects.update(state="removed", removed_at=self.then)
        self.years_later(9)
        self.assertEqual(list(Run.objects.all()), [self.runs[1]], "the last one of a device stays")

    def test_the_report_of_a_month_outlives_its_runs(self):
        month = self.runs[0].night.isoformat()[:7]
        before = self.api.get(f"/api/report?month={month}").json()
        self.assertEqual((before["totals"]["runs"], before["made_at"]), (1, None))
        Copy.objects.update(state="removed", removed_at=self.then)
        self.years_later()
        self.assertEqual(Run.objects.filter(night__startswith=month).count(), 0)
        after = self.api.get(f"/api/report?month={month}").json()
        self.assertIsNotNone(after.pop("made_at"))
        before.pop("made_at")
        self.assertEqual(after, before)
        self.assertEqual(MonthReport.objects.filter(month=f"{month}-01").count(), 1)

    def test_a_month_is_written_once_it_is_over_and_never_again(self):
        self.outside.at = self.then.replace(day=28)
        age_out(now=self.outside.at)
        written = MonthReport.objects.count()
        self.outside.at = (self.then.replace(day=1) + timedelta(days=32)).replace(day=2)
        age_out(now=self.outside.at)
        self.assertEqual(MonthReport.objects.count(), written, "a night of the last day may still be under way")
        self.outside.at += timedelta(days=3)
        age_out(now=self.outside.at)
        self.assertEqual(MonthReport.objects.count(), written + 1)
        kept = MonthReport.objects.first().told
        Run.objects.update(stored_bytes=123_456_789)
        age_out(now=self.outside.at + timedelta(days=1))
        self.assertEqual(MonthReport.objects.first().told, kept)

    def test_each_sort_has_its_time(self):
        restore = self.restore()
        path = self.file_of(restore)
        Message.objects.create(key="a", way="mail", to="x", subject="s", body="b", state="sent", not_before=self.then, made_at=self.then)
        Message.objects.create(key="b", way="mail", to="x", subject="s", body="b", not_before=self.then, made_at=self.then)
        Incident.objects.create(code="x", mark="late", written_out="s", opened_at=self.then, closed_at=self.then)
        Incident.objects.create(code="y", mark="late", written_out="s", opened_at=self.then)
        PromiseDay.objects.create(day=self.then.date(), device=self.one, standing="on_time", kept=True)
        age_out(now=self.then + timedelta(days=6))
        self.assertTrue(path.exists())
        age_out(now=self.then + timedelta(days=8))
        self.assertEqual((path.exists(), Restore.objects.get().file_name, Restore.objects.get().file_bytes), (False, "", 5))
        self.assertEqual(Message.objects.count(), 2)
        age_out(now=self.then + timedelta(days=181))
        self.assertEqual(list(Message.objects.values_list("key", flat=True)), ["b"], "what still waits is not old")
        self.years_later()
        self.assertEqual(list(Incident.objects.values_list("code", flat=True)), ["y"], "what needs somebody stays")
        self.assertEqual((PromiseDay.objects.count(), LinedUp.objects.count(), Restore.objects.count()), (0, 0, 0))
        self.years_later(11)
        said = JournalEntry.objects.filter(what="records.aged").order_by("-id").first()
        self.assertIn("the journal", said.says)
        self.assertFalse(JournalEntry.objects.filter(at__lt=self.outside.at - timedelta(days=3653)).exists())

    def test_nothing_goes_while_nothing_leaves_the_office(self):
        Copy.objects.update(state="removed", removed_at=self.then)
        freeze(reason="a lawyer wrote", by=self.ines)
        self.assertEqual(self.years_later(), {})
        self.assertEqual(Run.objects.count(), 2)

    def test_one_sort_that_fails_holds_up_no_other(self):
        runs = next(age for age in ages() if age.code == "runs")
        Copy.objects.update(state="removed", removed_at=self.then)
        object.__setattr__(runs, "remove", lambda rows: 1 / 0)
        self.addCleanup(object.__setattr__, runs, "remove", delete_some)
        with self.assertLogs("attic.oversight", "ERROR"):
            gone = self.years_later(11)
        self.assertNotIn("runs", gone)
        self.assertIn("journal", gone)


class TheOfficeSetsThem(OfficeTestCase):
    def test_with_what_would_go_shown_first(self):
        JournalEntry.objects.update(at=self.outside.at - timedelta(days=500))
        before = {row["code"]: row for row in self.api.get("/api/office/ages").json()}
        self.assertEqual((before["journal"]["days"], before["journal"]["going"]), (3653, 0))
        body = {"ages": {"journal": 365, "messages": 30}}
        shown = {row["code"]: row for row in self.api.post("/api/office/ages/preview", body, format="json").json()}
        self.assertGreater(shown["journal"]["going"], 0)
        self.assertEqual(Office.objects.get().ages, {})
        self.assertEqual(self.api.put("/api/office/ages", body, format="json").status_code, 200)
        self.assertEqual(Office.objects.get().ages, {"journal": 365, "messages": 30})
        self.assertIn("the journal 3653 → 365 days", JournalEntry.objects.filter(what="office.ages").get().says)

    def test_less_than_the_least_is_refused_and_names_it(self):
        for wrong, field in (({"journal": 364}, "journal"), ({"runs": 0}, "runs"), ({"downloads": 99_999}, None), ({"nothing": 5}, "ages")):
            answer = self.api.put("/api/office/ages", {"ages": wrong}, format="json")
            self.assertEqual(answer.status_code, 400)
            if field:
                self.assertEqual(answer.json()["field"], field)
        self.assertEqual(Office.objects.get().ages, {})
