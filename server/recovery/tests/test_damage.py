"""One damaged chunk takes away what it touches and nothing else."""

from server.recovery.actions.carry_out import carry_out
from server.recovery.models import Restore
from server.runs.actions.check_store import check_store
from server.runs.models import Copy
from server.tests.pretend import OfficeTestCase


class OneDamagedChunk(OfficeTestCase):
    def furnish(self):
        super().furnish()
        photos = {("photos", f"p{n}"): bytes([n]) * 40_000 + f"{n}".encode() for n in range(5)}
        self.one = self.device(content=photos | {("contacts", f"c{n}"): b'{"display": "x%d"}' % n for n in range(8)})
        self.made = self.plan(self.one)
        self.backup = self.run_now(self.one).backup
        self.break_one("p2")
        check_store(self.made.store, percent=100, by=None)

    def break_one(self, id: str) -> None:
        """Flip a byte of the only chunk of a photo, where it lies."""
        vault = self.outside.open_vault(self.made.store.where)
        vault.refresh()
        stored = vault.item(vault.manifest(self.backup.id.bytes), "photos", id)
        place = vault.index.place(stored.spans[0].chunk)
        held = self.outside.stores[self.made.store.where].held
        name = next(name for name in held if name.endswith(place.pack.hex()))
        bad = bytearray(held[name])
        bad[place.offset + 30] ^= 1
        held[name] = bytes(bad)

    def told(self) -> dict:
        return self.api.get(f"/api/devices/{self.one.id}").json()

    def test_the_copy_tells_what_is_damaged_and_the_device_is_late_and_not_never(self):
        copy = Copy.objects.get()
        self.assertEqual((copy.intact, copy.damaged), (False, {"photos": {"items": 1, "names": ["p2"]}}))
        said = self.told()
        self.assertEqual((said["standing"], said["newest_id"], said["damaged_id"]), ("late", None, str(self.backup.id)))
        causes = self.api.get("/api/today").json()["causes"]
        self.assertIn("late damaged", [cause["code"] for cause in causes])
        self.assertNotIn("never", [cause["code"] for cause in causes])

    def test_coverage_and_wipe_count_what_is_whole(self):
        kinds = {one["kind"]: one for one in self.api.get(f"/api/devices/{self.one.id}/coverage").json()["kinds"]}
        self.assertEqual((kinds["contacts"]["cover"], kinds["contacts"]["newest"]["items"]), ("backed_up", 8))
        self.assertEqual(kinds["photos"]["newest"]["items"], 4)
        reasons = {one["code"]: one["says"] for one in self.api.get(f"/api/devices/{self.one.id}/wipe").json()["reasons"]}
        self.assertIn("1 photo cannot be had back", reasons["damaged"])
        self.assertNotIn("no_backup", reasons)

    def test_a_list_marks_it_and_everything_else_can_be_restored(self):
        answer = self.api.get(f"/api/backups/{self.backup.id}/inside?kind=photos").json()
        self.assertEqual({item["id"]: item["damaged"] for item in answer["items"]}, {f"p{n}": n == 2 for n in range(5)})

        before = dict(self.outside.devices["p1"].content)
        self.outside.devices["p1"].content.clear()
        body = {"backup": str(self.backup.id), "everything": True, "kinds": [], "items": [], "target": "device", "when_there": "replace"}
        self.api.post("/api/restores", body | {"device": str(self.one.id)}, format="json")
        restore = carry_out(Restore.objects.get().id)
        self.assertEqual(restore.state, "partial")
        del before["photos", "p2"]
        self.assertEqual(self.outside.devices["p1"].content, before)

    def test_an_archive_says_of_each_kind_how_much_left_and_that_it_is_not_whole(self):
        for n in range(5):
            if n != 2:
                self.break_one(f"p{n}")
        body = {"backup": str(self.backup.id), "everything": True, "kinds": [], "items": [], "target": "archive", "when_there": "keep_both"}
        self.api.post("/api/restores", body | {"device": None}, format="json")
        restore = carry_out(Restore.objects.get().id)
        told = {one["kind"]: (one["chosen"], one["written"], len(one["damaged"]), one["whole"]) for one in restore.report["kinds"]}
        self.assertEqual((restore.state, told), ("partial", {"photos": (5, 0, 5, False), "contacts": (8, 8, 0, True)}))

    def test_the_next_run_mends_it(self):
        self.outside.at = self.outside.at.replace(hour=self.outside.at.hour + 1)
        run = self.run_now(self.one)
        self.assertEqual((run.state, self.told()["newest_id"]), ("complete", str(run.backup.id)))
