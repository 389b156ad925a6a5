import random
from datetime import timedelta

from server.people.models import JournalEntry
from server.runs.models import Copy
from server.tests.pretend import OfficeTestCase


class WhatFillsIt(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.content = {("photos", f"Camera/{n}.jpg"): random.Random(n).randbytes(30_000) for n in range(4)}
        self.content |= {("videos", "regatta.mp4"): random.Random("v").randbytes(200_000), ("attachments", "a1"): bytes(700)}
        self.content["messages", "t1"] = b'{"with": ["Jun Sato"], "messages": [{"text": "look", "attachments": ["a1"]}]}'
        self.one = self.device(content=self.content)
        self.made = self.plan(self.one, kinds=["photos", "videos", "documents", "messages", "attachments"])
        self.first = self.run_now(self.one).backup
        del self.content["videos", "regatta.mp4"]
        self.outside.at += timedelta(days=10)
        self.second = self.run_now(self.one).backup

    def told(self, path: str = "", **query: object):
        return self.api.get(f"/api/devices/{self.one.id}/filling{path}", query)

    def test_it_is_told_of_its_backups_in_the_store(self):
        answer = self.told().json()
        self.assertEqual((answer["backups"], answer["newest"], answer["plan"]["name"]), (2, str(self.second.id), self.made.name))
        self.assertEqual(answer["largest"][0]["size_bytes"], 30_000)
        (gone,) = answer["only_old"]
        self.assertEqual((gone["name"], gone["backups"], gone["last_backup"], gone["now"]), ("regatta.mp4", 1, str(self.first.id), False))
        self.assertEqual(answer["only_old_items"], 1)
        self.assertGreater(answer["only_old_bytes"], gone["old_bytes"])
        self.assertEqual(answer["folders"], [{"kind": "photos", "under": "Camera", "items": 4, "size_bytes": 120_000}])
        self.assertEqual(answer["talks"]["lines"], [{"id": "t1", "name": "Jun Sato", "attachments": 1, "size_bytes": 700}])

    def test_a_backup_that_leaves_is_none_of_it(self):
        Copy.objects.filter(backup=self.first).update(state="leaving")
        answer = self.told().json()
        self.assertEqual((answer["backups"], answer["only_old"], answer["only_old_bytes"]), (1, [], 0))

    def test_a_backup_that_came_meanwhile_is_there_at_once(self):
        self.told()
        self.content["documents", "tide.pdf"] = random.Random("d").randbytes(80_000)
        self.run_now(self.one)
        self.assertEqual(self.told().json()["largest"][0]["name"], "tide.pdf")

    def test_what_an_exclusion_would_mean(self):
        answer = self.told("/left-out", kind="photos", under="Camera").json()
        self.assertEqual(
            (answer["items"], answer["size_bytes"], answer["backups"], answer["others"], answer["already"]), (4, 120_000, 2, 0, False)
        )
        self.made.exclusions = [{"kind": "photos", "under": "camera"}]
        self.made.save(update_fields=["exclusions"])
        self.plan_joined()
        answer = self.told("/left-out", kind="photos", under="Camera/0.jpg").json()
        self.assertEqual((answer["items"], answer["others"], answer["already"]), (1, 1, True))

    def plan_joined(self):
        other = self.device("p2", content={("photos", "x"): b"x"})
        self.made.assignments.create(device=other, since=self.outside.at)

    def test_what_cannot_be_answered_says_what_to_do(self):
        self.assertEqual(self.told("/left-out", kind="photos", under=" / ").json()["field"], "exclusions")
        self.assertEqual(self.told(store=str(self.first.id)).json()["field"], "store")
        bare = self.device("p3", content={("photos", "x"): b"x"})
        answer = self.api.get(f"/api/devices/{bare.id}/filling")
        self.assertEqual((answer.status_code, answer.json()["remedy"]), (404, "Look again after its next run."))

    def test_who_looked_is_in_the_journal_and_only_some_may(self):
        self.told()
        self.told()
        said = JournalEntry.objects.filter(what="content.looked_into", device=self.one.id)
        self.assertEqual([one.says for one in said], [f"What fills {self.one.name}, {self.one.holder.name}, was looked at, item by item."])
        self.api = self.signed_in("ulla")
        self.assertEqual((self.told().status_code, self.told("/left-out", kind="photos", under="a").status_code), (403, 403))

    def test_a_sealed_device_is_said_to_be_sealed(self):
        sealed = self.device("p4", content={})
        self.sealed_backup(sealed, self.first.copies.get().store)
        answer = self.api.get(f"/api/devices/{sealed.id}/filling").json()
        self.assertEqual(answer["code"], "vault.device_sealed")
