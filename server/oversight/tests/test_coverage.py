from dataclasses import replace
from datetime import timedelta

from django.db import connection
from django.test.utils import CaptureQueriesContext

from core.content.accounts import Account
from core.content.link import Card, DeviceReport
from server.fleet.convert import told_account
from server.fleet.models import Device, Scan
from server.oversight.actions.sign_off import sign_off
from server.oversight.models import WipeAnswer
from server.people.models import Holder, JournalEntry, Team
from server.runs.actions.check_store import check_store
from server.runs.actions.copy_backup import ask_copy, copy_backup
from server.storage.models import Store
from server.tests.pretend import OfficeTestCase


class Furnished(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.plan(self.one)
        self.run_now(self.one)

    @property
    def content(self):
        return self.outside.devices["p1"].content

    def scan(self):
        return self.api.post(f"/api/devices/{self.one.id}/scan", format="json")

    def coverage(self):
        return {one["kind"]: one for one in self.api.get(f"/api/devices/{self.one.id}/coverage").json()["kinds"]}

    def wipe(self):
        return self.api.get(f"/api/devices/{self.one.id}/wipe").json()

    def codes(self) -> set[str]:
        return {reason["code"] for reason in self.wipe()["reasons"] if reason["blocks"]}


class Coverage(Furnished):
    def test_a_look_counts_what_is_there_and_reads_no_content(self):
        sent = self.outside.devices["p1"].sent_bytes
        answer = self.scan().json()
        self.assertEqual(self.outside.devices["p1"].sent_bytes, sent)
        photos = next(one for one in answer["kinds"] if one["kind"] == "photos")
        expected = {id: len(content) for (kind, id), content in self.content.items() if kind == "photos"}
        self.assertEqual((photos["live"]["items"], photos["live"]["size_bytes"]), (len(expected), sum(expected.values())))
        self.assertEqual(photos["largest"][0]["size_bytes"], max(expected.values()))
        self.assertEqual(photos["cover"], "backed_up")

    def test_a_kind_outside_of_the_plan_is_covered_by_nothing(self):
        self.content["health", "h1"] = b"{}"
        self.scan()
        coverage = self.coverage()["health"]
        self.assertEqual((coverage["cover"], coverage["planned"]), ("nothing", False))
        self.assertIn("uncovered", self.codes())

    def test_a_kind_that_is_only_synchronised_is_in_no_backup_and_blocks_a_wipe(self):
        """A deletion on the device would travel to the account, too."""
        self.content["health", "h1"] = b"{}"
        self.scan()
        account = Account(kind="health", service="Harbourlight", is_default=True, last_sync=self.outside.at)
        Device.objects.filter(id=self.one.id).update(accounts=[told_account(account)])
        self.assertEqual(self.coverage()["health"]["cover"], "in_step_only")
        (reason,) = [one for one in self.wipe()["reasons"] if one["code"] == "uncovered"]
        self.assertTrue(reason["blocks"])
        self.assertIn("An outside account synchronises them, which a deletion would follow.", reason["says"])

    def test_it_costs_the_same_few_queries_for_many_backups(self):
        self.scan()
        counts = []
        for _ in range(2):
            with CaptureQueriesContext(connection) as queries:
                self.coverage()
            counts.append(len(queries))
            for _ in range(3):
                self.outside.at += timedelta(hours=1)
                self.run_now(self.one)
        self.assertEqual(counts[0], counts[1])
        self.assertLess(counts[0], 14)

    def test_a_device_that_is_locked_or_away_keeps_its_last_look(self):
        self.scan()
        at = Scan.objects.get().at
        self.outside.devices["p1"].told = DeviceReport(make="", model="", family="orlo", os_version="9", locked=True)
        self.assertEqual(self.scan().json()["code"], "link.locked")
        self.outside.away.add("p1")
        self.assertEqual(self.scan().json()["code"], "link.away")
        self.assertEqual(Scan.objects.get().at, at)


class SafeToWipe(Furnished):
    def all_is_done(self):
        """Everything that the page asks for, through the server's own actions."""
        link = self.outside.devices["p1"]
        link.told = replace(link.told, finder_lock=False, card=Card(present=False))
        second = self.store("Cloud")
        copy_backup(ask_copy(self.one.backups.get(), second, by=self.ines).id, by=None)
        Store.objects.filter(id=second.id).update(off_site=True)
        for store in Store.objects.all():
            check_store(store, percent=100, by=None)
            self.api.post(f"/api/stores/{store.id}/prove-passphrase", {"passphrase": "low tide at the old sluice"}, format="json")
        self.scan()

    def test_no_at_first_and_yes_when_everything_is_done(self):
        self.assertEqual(self.codes(), {"not_looked", "unchecked", "one_copy", "unknown"})
        self.all_is_done()
        wipe = self.wipe()
        self.maxDiff = None
        self.assertEqual((wipe["safe"], [reason for reason in wipe["reasons"] if reason["blocks"]]), (True, []))

    def test_items_in_no_backup_are_listed_and_a_run_settles_it(self):
        self.all_is_done()
        self.content["photos", "new.jpg"] = b"\xff\xd8new"
        self.content["contacts", "c1"] = b'{"display": "changed"}'
        self.scan()
        reasons = [reason["says"] for reason in self.wipe()["reasons"] if reason["code"] == "missing"]
        self.assertEqual(len(reasons), 2)
        self.assertTrue(any("new.jpg" in says for says in reasons))
        self.outside.at += timedelta(minutes=5)
        self.run_now(self.one)
        self.assertNotIn("missing", self.codes())

    def test_finder_lock_and_an_encrypted_card_are_told_by_the_device(self):
        self.all_is_done()
        link = self.outside.devices["p1"]
        link.told = DeviceReport(
            make="", model="", family="orlo", os_version="9", finder_lock=True, card=Card(present=True, encrypted=True), locked=False
        )
        self.scan()
        self.assertEqual(self.codes(), {"finder_lock", "card_encrypted"})

    def test_a_device_that_does_not_tell_of_its_lock_is_not_called_safe(self):
        self.all_is_done()
        link = self.outside.devices["p1"]
        link.told = replace(link.told, finder_lock=None)
        self.scan()
        self.assertEqual(self.codes(), {"unknown"})

    def test_a_backup_of_which_nobody_can_tell_what_is_damaged_covers_nothing(self):
        self.all_is_done()
        self.one.backups.get().copies.update(intact=False)
        self.assertLessEqual({"damaged", "uncovered"}, self.codes())

    def test_a_signed_answer_stands_as_it_was_in_the_signers_name(self):
        fields = {"occasion": "before_repair", "note": "cracked screen"}
        answer = self.api.post(f"/api/devices/{self.one.id}/wipe", fields, format="json")
        self.assertEqual(answer.status_code, 201)
        id = answer.json()["id"]
        self.all_is_done()
        Device.objects.update(name="Renamed")
        signed = self.api.get(f"/api/wipe-answers/{id}").json()
        self.assertEqual((signed["safe"], signed["told"]["device"]["name"], signed["by_name"]), (False, "Orlo H1", "Ines"))
        self.assertTrue(signed["told"]["reasons"])
        self.assertIn("before a repair", JournalEntry.objects.get(what="device.wipe_answered").says)
        self.assertEqual(len(self.api.get(f"/api/devices/{self.one.id}/wipe/answers").json()), 1)

    def test_a_note_is_kept_as_far_as_its_row_holds_it(self):
        self.assertEqual(sign_off(self.one, occasion="other", note=f" {'n' * 400} ", by=self.ines).note, "n" * 300)

    def test_it_is_not_signed_without_an_occasion_nor_by_an_auditor(self):
        self.assertEqual(self.api.post(f"/api/devices/{self.one.id}/wipe", {"occasion": ""}, format="json").json()["field"], "occasion")
        answer = self.signed_in("ulla").post(f"/api/devices/{self.one.id}/wipe", {"occasion": "other"}, format="json")
        self.assertEqual(answer.status_code, 403)
        self.assertFalse(WipeAnswer.objects.exists())


class TheList(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.devices = [self.device(f"p{n}") for n in range(6)]
        self.plan(*self.devices[:4])
        for device in self.devices[:3]:
            self.run_now(device)
        Device.objects.filter(id=self.devices[0].id).update(team=None, serial="OR-77")

    def get(self, query: str = ""):
        return self.api.get(f"/api/devices?{query}").json()

    def test_what_is_on_time_folds_into_the_sums_of_its_team(self):
        page = self.get("fold=true")
        self.assertEqual({row["standing"] for row in page["results"]}, {"never", "no_plan"})
        sums = {team["team"]: (team["devices"], team["on_time"], len(team["newest"])) for team in page["teams"]}
        self.assertEqual(sums, {"Shore Crew": (5, 2, 2), "": (1, 1, 1)})
        self.assertEqual(page["teams"][-1]["team"], "")

    def test_sums_do_not_depend_on_the_page(self):
        whole, page = self.get(), self.get("page=2&page_size=2")
        self.assertEqual(whole["teams"], page["teams"])
        self.assertEqual((page["count"], len(page["results"])), (6, 2))

    def test_filters_and_orders(self):
        shore = Team.objects.get().id
        self.assertEqual(self.get(f"team={shore}")["count"], 5)
        self.assertEqual(self.get("team=0")["results"][0]["serial"], "OR-77")
        self.assertEqual(self.get("words=or-77")["count"], 1)
        self.assertEqual(self.get("link=sftp")["count"], 0)
        self.assertEqual(self.get(f"holder={self.devices[2].holder_id}")["count"], 1)
        names = [row["holder"] for row in self.get("order=holder")["results"]]
        self.assertEqual(names, sorted(names))
        ages = [row["newest_at"] for row in self.get("order=age")["results"]]
        self.assertEqual(ages[:3], [None, None, None])
        self.assertEqual(self.api.get("/api/devices?order=colour").status_code, 400)

    def test_the_number_of_queries_does_not_grow_with_the_devices(self):
        counts = []
        for _ in range(2):
            with CaptureQueriesContext(connection) as queries:
                self.get()
            counts.append(len(queries))
            for n in range(10, 20):
                self.device(f"more{n}{len(counts)}")
        self.assertEqual(counts[0], counts[1])


class TeamsAndHolders(OfficeTestCase):
    def test_pages_of_teams_and_holders_count_what_is_in_their_hands(self):
        one, two = self.device("p1"), self.device("p2")
        team = self.api.get("/api/teams").json()[0]
        self.assertEqual((team["name"], team["devices"], team["holders"]), ("Shore Crew", 2, 2))
        holder = self.api.get(f"/api/holders/{one.holder_id}").json()
        self.assertEqual([row["id"] for row in holder["rows"]], [str(one.id)])
        self.assertEqual(self.api.get("/api/holders?words=p2").json()["results"][0]["id"], two.holder_id)

    def test_names_change_and_collide(self):
        one, two = self.device("p1"), self.device("p2")
        path = f"/api/holders/{one.holder_id}/change"
        self.assertEqual(self.api.put(path, {"name": "A. New", "team": "Inland"}, format="json").status_code, 204)
        self.assertEqual(Holder.objects.get(id=one.holder_id).team.name, "Inland")
        self.assertEqual(self.api.put(path, {"name": two.holder.name, "team": ""}, format="json").json()["field"], "name")
        team = Team.objects.get(name="Shore Crew")
        self.assertEqual(self.api.put(f"/api/teams/{team.id}", {"name": "inland"}, format="json").json()["field"], "name")
        self.assertEqual(self.api.put(f"/api/teams/{team.id}", {"name": "Coast"}, format="json").status_code, 204)

    def test_what_is_needed_is_not_removed(self):
        one = self.device()
        self.assertEqual(self.api.delete(f"/api/holders/{one.holder_id}/change").status_code, 409)
        self.assertEqual(self.api.delete(f"/api/teams/{one.team_id}").status_code, 409)
        empty = Holder.objects.create(name="nobody")
        self.assertEqual(self.api.delete(f"/api/holders/{empty.id}/change").status_code, 204)
