"""Making room: what is offered and what never is, sums to the byte, proposals, and that it is really free on its day."""

import random
from datetime import timedelta

from core.units import MIB
from core.vault import blobs as names
from core.vault.accounting import Accounts
from core.vault.copying import copy
from server.fleet.models import Device, DeviceState
from server.people.models import JournalEntry, Office, Team, User
from server.plans.models import KindChoice, Plan
from server.retention.actions.freeze import freeze, lift
from server.retention.actions.look_after import look_after
from server.retention.actions.measure import measure
from server.retention.room.bench import bench, proposal
from server.runs.models import Backup, Copy, CopyState
from server.storage.at_hand import forget
from server.storage.models import Store, StoreDay
from server.storage.queries import opened
from server.tests.pretend import OfficeTestCase

NIGHTS = 9


class Room(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.old, self.new = (self.device(name, content={("contacts", "c1"): b"{}"}) for name in ("p1", "p2"))
        self.plan(self.old, self.new, keep_last=100)
        self.room = Store.objects.get()
        for night in range(NIGHTS):
            for number, device in enumerate((self.old, self.new)):
                content = self.outside.devices[f"p{number + 1}"].content
                content["photos", f"of {night}"] = random.Random(f"{number} {night}").randbytes(50_000)
                content.pop(("photos", f"of {night - 1}"), None)
                self.run_now(device)
            self.outside.at += timedelta(days=1)

    def bench(self) -> dict:
        answer = self.api.get(f"/api/stores/{self.room.id}/room")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def offers(self) -> dict[str, dict]:
        return {one["key"]: one for one in self.bench()["offers"]}

    def post(self, what: str, **fields: object):
        return self.api.post(f"/api/stores/{self.room.id}/room/{what}", fields, format="json")

    def retire(self, device: Device) -> None:
        Device.objects.filter(id=device.id).update(state=DeviceState.RETIRED, state_since=self.outside.at)

    def make(self, *keys: str, **fields: object):
        looked = self.post("look", moves=keys).json()
        return self.post(
            "make",
            moves=keys,
            **({"why": "it is full", "seen": looked["digest"], "word": looked["removal"]["word"] if looked["removal"] else ""} | fields),
        )

    def lying(self) -> int:
        return sum(len(content) for content in self.outside.stores[self.room.where].held.values())

    def nights(self, count: int) -> None:
        for _ in range(count):
            self.outside.at += timedelta(days=1)
            look_after(self.room.id)


class WhatIsOffered(Room):
    def test_a_retired_device_keeps_its_last_good_backup(self):
        self.retire(self.old)
        offer = self.offers()[f"gone:{self.old.id}"]
        self.assertEqual((offer["rung"], offer["backups"]), (2, NIGHTS - 1))
        self.assertIn(f"{NIGHTS - 1} moments of a device that is retired; its last of", offer["loses"])
        self.assertGreater(offer["bytes"], (NIGHTS - 1) * 50_000)

    def test_nothing_on_hold_no_last_checked_and_no_only_intact_one(self):
        self.retire(self.old)
        held, checked, *_ = Backup.objects.filter(device=self.old).order_by("finished_at")
        Backup.objects.filter(id=held.id).update(hold_reason="a lawyer wrote")
        Copy.objects.filter(backup=checked).update(checked_at=self.outside.at)
        self.assertEqual(self.offers()[f"gone:{self.old.id}"]["backups"], NIGHTS - 3)
        self.api.post("/api/freezes", {"store": str(self.room.id), "reason": "an audit"}, format="json")
        self.assertEqual(self.offers(), {}, "nothing is swept there either")

    def test_third_copies_are_those_that_two_other_stores_hold_whole(self):
        others = [self.store("North wall"), self.store("Cloud")]
        self.outside.at += timedelta(days=40)
        self.assertEqual({key.split(":")[0] for key in self.offers()}, {"thin"})
        for other in others:
            copy(opened(self.room), opened(other))
            for backup in Backup.objects.all():
                Copy.objects.create(backup=backup, store=other)
        offer = self.offers()[f"third:{self.new.id}"]
        self.assertEqual((offer["rung"], offer["backups"]), (4, NIGHTS - 1))
        self.assertEqual(offer["loses"], f"copies here of {NIGHTS - 1} old moments; each stays in two other places")
        Copy.objects.filter(store=others[0]).update(intact=False)
        self.assertNotIn(f"third:{self.new.id}", self.offers())

    def test_what_the_rule_lets_go_soon_and_days_that_become_weeks(self):
        Plan.objects.update(keep_last=14)
        offers = self.offers()
        soon = offers[f"soon:{self.new.id}"]
        self.assertEqual(soon["rung"], 3)
        self.assertIn("that leave by themselves until", soon["loses"])
        thin = offers[f"thin:{self.new.id}"]
        self.assertEqual(thin["rung"], 9)
        self.assertIn("one a week stays", thin["loses"])
        self.assertLess(thin["backups"], NIGHTS)


class WhileATeamIsKept(Room):
    def test_the_bench_says_what_its_days_wait_for_and_what_was_chosen_goes_once_that_is_over(self):
        self.retire(self.old)
        self.assertEqual(self.bench()["waits_for"], [])
        self.ines = User.objects.get(username="ines")
        said = freeze(reason="a dispute", by=self.ines, team=self.new.team)
        other = Team.objects.create(name="Inland Crew")
        Device.objects.filter(id=self.old.id).update(team=other)
        self.assertEqual(self.bench()["waits_for"], ["Nothing of team Shore Crew leaves: a dispute"])
        self.assertNotIn("waste", self.offers())
        answer = self.post("sum", moves=[f"gone:{self.old.id}"]).json()
        before = self.lying()
        self.assertEqual(self.make(f"gone:{self.old.id}").status_code, 200)
        self.nights(12)
        self.assertGreaterEqual(self.lying() + 3000, before, "nothing is given back as long as anything is kept")
        self.assertIn("once it may leave", JournalEntry.objects.get(what="store.room_made").says)
        lift(said, why="settled", by=self.ines)
        self.nights(6)
        self.assertGreaterEqual(before - self.lying(), answer["given_back_bytes"] - 3000)


class LeavingKindsOut(Room):
    def furnish(self):
        super().furnish()
        self.nightly = Plan.objects.get()
        Plan.objects.update(keep_last=3, keep_daily=0, keep_weekly=0, keep_monthly=0)
        self.outside.devices["p1"].content["photos", "large"] = random.Random(1).randbytes(3 * MIB)
        self.run_now(self.old)
        self.photos = f"out6:{self.nightly.id}"

    def held(self, kind: str) -> int:
        accounts = Accounts(opened(self.room))
        return int(accounts.lengths[accounts.needed([manifest.id for manifest in accounts.manifests], kind)].sum())

    def test_is_a_tick_with_exact_bytes_and_the_day_on_which_the_last_of_them_is_free(self):
        offers = self.offers()[self.photos]
        self.assertEqual((offers["rung"], offers["in_time"], offers["backups"]), (6, True, 0))
        self.assertIn("Photos left out of Nightly", offers["title"])
        self.assertIn("2 devices, from its next run on", offers["loses"])
        accounts = Accounts(opened(self.room))
        parts = {(manifest.id, "photos") for manifest in accounts.manifests}
        self.assertEqual(offers["bytes"], accounts.alone_bytes((), parts))
        sum = self.post("sum", moves=[self.photos]).json()
        self.assertEqual(
            (sum["given_back_bytes"], sum["free_on"], sum["later_bytes"], sum["later_on"], sum["backups"], sum["devices"]),
            (0, None, offers["bytes"], offers["free_on"], 0, 2),
        )

    def test_once_it_is_done_no_run_takes_them_and_on_that_day_nothing_of_them_is_left(self):
        looked = self.post("look", moves=[self.photos]).json()
        self.assertEqual((looked["leaves_out"], looked["removal"]), (["Photos left out of Nightly"], None))
        offers = self.offers()[self.photos]
        answer = self.make(self.photos)
        self.assertEqual(answer.status_code, 200, answer.content)
        plan = Plan.objects.get()
        self.assertEqual((plan.revision, "photos" in plan.kinds), (self.nightly.revision + 1, plan.reach != "only"))
        self.assertTrue("it is full" in JournalEntry.objects.get(what="plan.leaves_out").says)
        self.assertNotIn(self.photos, self.offers())
        self.assertGreater(self.held("photos"), 3 * MIB, "what was made stays what it was")
        while str(self.outside.at.date()) < offers["free_on"]:
            for device in (self.old, self.new):
                self.run_now(device)
            self.nights(1)
        self.assertEqual((self.held("photos"), self.held("contacts") > 0), (0, True))
        self.assertLess(self.lying(), 3 * MIB)

    def test_what_is_on_hold_keeps_them_and_is_not_counted_on(self):
        before = self.offers()[self.photos]["bytes"]
        oldest = Backup.objects.filter(device=self.old).earliest("finished_at")
        Backup.objects.filter(id=oldest.id).update(hold_reason="a dispute")
        offers = self.offers()[self.photos]
        self.assertAlmostEqual(before - offers["bytes"], 50_000, delta=1000)
        self.assertIn("1 backup that is kept for longer holds on to it", offers["loses"])

    def test_nothing_is_offered_that_would_leave_a_device_without_a_backup(self):
        Plan.objects.update(reach="only", kinds=["photos"])
        self.assertNotIn(self.photos, self.offers())

    def test_it_is_proposed_only_for_a_day_by_which_it_is_free(self):
        room, wanted = bench(self.room, now=self.outside.now()), 3 * MIB
        (offer,) = [one for one in room.offers if one.move.key == self.photos]
        day = timedelta(days=1)
        proposed = [
            self.photos in [move.key for move in proposal(room, wanted, by=by).moves] for by in (None, offer.free_on - day, offer.free_on)
        ]
        self.assertEqual(proposed, [False, False, True])

    def test_a_plan_that_was_changed_meanwhile_is_looked_at_again(self):
        looked = self.post("look", moves=[self.photos]).json()
        Plan.objects.update(revision=77)
        answer = self.post("make", moves=[self.photos], why="it is full", seen=looked["digest"], word="")
        self.assertEqual((answer.status_code, answer.json()["code"]), (409, "state.changed_meanwhile"))

    def test_what_one_device_has_in_step_is_counted_of_no_other_and_the_plan_takes_it_from_all(self):
        def entry(kind: str) -> dict[str, object]:
            return {"kind": kind, "service": "G", "is_default": True, "last_sync": self.outside.at.isoformat(), "off_by_policy": False}

        Device.objects.filter(id=self.old.id).update(accounts=[entry("photos")])
        Device.objects.filter(id=self.new.id).update(accounts=[entry("contacts")])
        by_key = {one.move.key: one for one in bench(self.room, now=self.outside.now()).offers if one.leaves_out is not None}
        whose = {manifest.id: manifest.device for manifest in Accounts(opened(self.room)).manifests}
        in_step = {(whose[id], kind) for id, kind in by_key[f"out5:{self.nightly.id}"].move.parts}
        self.assertEqual(in_step, {(str(self.old.id), "photos")} | {(str(self.new.id), "contacts")})
        pictures = {whose[id] for id, _ in by_key[self.photos].move.parts}
        self.assertEqual(pictures, {str(self.old.id), str(self.new.id)}, "out of the plan is out of every device that follows it")
        KindChoice.objects.create(device=self.old, kind="photos", taken=True, at=self.outside.at)
        again = {one.move.key: one for one in bench(self.room, now=self.outside.now()).offers}
        self.assertNotIn(
            self.photos, again, "the other one holds less than a line is worth, and this one takes them whatever its plan says"
        )

    def test_what_a_service_keeps_in_step_is_left_out_of_those_devices_only(self):
        entry = {
            "kind": "photos",
            "service": "Groupware",
            "is_default": True,
            "last_sync": self.outside.at.isoformat(),
            "off_by_policy": False,
        }
        Device.objects.filter(id=self.old.id).update(accounts=[entry])
        key = f"out5:{self.nightly.id}"
        self.assertIn("1 device, from its next run on", self.offers()[key]["loses"])
        self.assertEqual(self.make(key).status_code, 200)
        self.assertEqual(Plan.objects.get().revision, self.nightly.revision)
        chosen = KindChoice.objects.get()
        self.assertEqual((chosen.device_id, chosen.kind, chosen.taken, chosen.why), (self.old.id, "photos", False, "it is full"))
        self.assertNotIn(key, self.offers())


class Sums(Room):
    def test_what_is_ticked_together_is_exact_and_what_two_share_counts_once(self):
        for device in (self.old, self.new):
            self.retire(device)
        keys = [f"gone:{device.id}" for device in (self.old, self.new)]
        alone = sum(self.offers()[key]["bytes"] for key in keys)
        answer = self.post("sum", moves=keys).json()
        self.assertGreaterEqual(answer["bytes"], alone)
        self.assertEqual((answer["backups"], answer["devices"]), (2 * (NIGHTS - 1), 2))
        before = self.lying()
        self.assertEqual(self.make(*keys).status_code, 200)
        self.nights(12)
        self.assertGreater(before - self.lying(), answer["given_back_bytes"] * 0.9)

    def test_what_is_given_back_is_free_on_the_day_that_was_said(self):
        self.retire(self.old)
        key = f"gone:{self.old.id}"
        self.nights(3)
        answer, before = self.post("sum", moves=[key]).json(), self.lying()
        self.assertEqual(self.make(key).status_code, 200)
        while str(self.outside.at.date()) < answer["free_on"]:
            self.nights(1)
        self.assertAlmostEqual(before - self.lying(), answer["given_back_bytes"], delta=3000)
        self.assertEqual(Copy.objects.filter(store=self.room, state=CopyState.PRESENT, backup__device=self.old).count(), 1)
        self.assertEqual(len(opened(self.room).ids(names.MANIFESTS)), NIGHTS + 1)

    def test_until_a_day_at_the_pace_of_now(self):
        self.retire(self.old)
        measure(self.room, now=self.outside.now())
        today = StoreDay.objects.get()
        for back in range(1, 40):
            StoreDay.objects.create(store=self.room, day=today.day - timedelta(days=back), stored_bytes=today.stored_bytes - back * 20_000)
        Store.objects.update(allowance_bytes=today.stored_bytes + 200_000)
        until = today.day + timedelta(days=30)
        answer = self.post("proposal", until=str(until)).json()
        self.assertEqual((answer["wanted_bytes"], answer["suffices"]), (400_000, True))
        self.assertGreaterEqual(answer["sum"]["bytes"], 400_000)
        self.assertEqual(self.post("proposal", until=str(today.day + timedelta(days=5))).json()["moves"], [])
        self.assertEqual(self.post("proposal", until="2020-01-01").json()["field"], "until")

    def test_the_shortest_beginning_is_proposed_and_what_does_not_suffice_says_so(self):
        self.retire(self.old)
        few = self.post("proposal", bytes=100_000).json()
        self.assertEqual((few["moves"], few["suffices"]), ([f"gone:{self.old.id}"], True))
        much = self.post("proposal", bytes=1 << 40).json()
        self.assertEqual((much["suffices"], len(much["moves"])), (False, len(self.offers())))
        self.assertEqual(self.post("proposal", bytes=-5).json()["field"], "bytes")


class Made(Room):
    def furnish(self):
        super().furnish()
        self.retire(self.old)
        self.key = f"gone:{self.old.id}"

    def test_it_is_in_the_journal_and_can_be_kept_after_all_until_its_day(self):
        self.assertEqual(self.make(self.key).status_code, 200)
        self.assertIn("Room is made in Server room", JournalEntry.objects.get(what="store.room_made").says)
        leaving = Copy.objects.filter(state=CopyState.LEAVING)
        self.assertEqual((leaving.count(), {one.by_hand for one in leaving}), (NIGHTS - 1, {True}))
        self.api.post("/api/leaving/keep", {"backups": [str(one.backup_id) for one in leaving], "reason": "not yet"}, format="json")
        self.assertEqual(Copy.objects.filter(state=CopyState.LEAVING).count(), 0)

    def test_two_who_make_room_at_once(self):
        digest = self.post("look", moves=[self.key]).json()["digest"]
        fields = {"moves": [self.key], "why": "it is full", "seen": digest, "word": "remove"}
        self.assertEqual(self.post("make", **fields).status_code, 200)
        again = self.post("make", **fields)
        self.assertEqual((again.status_code, again.json()["field"]), (400, "moves"))
        self.assertIn("another page may have made that room", again.json()["remedy"])

    def test_what_changed_since_it_was_shown_is_shown_again(self):
        digest = self.post("look", moves=[self.key]).json()["digest"]
        first = Backup.objects.filter(device=self.old).order_by("finished_at").first()
        Backup.objects.filter(id=first.id).update(hold_reason="a lawyer wrote")
        answer = self.post("make", moves=[self.key], why="it is full", seen=digest, word="remove")
        self.assertEqual(answer.status_code, 409, answer.content)
        self.assertEqual(Copy.objects.filter(state=CopyState.LEAVING).count(), 0)

    def test_it_needs_a_reason_somebody_who_may_and_something_that_was_chosen(self):
        self.assertEqual(self.make(self.key, why=" ").status_code, 400)
        self.assertEqual(self.post("look", moves=[]).json()["field"], "moves")
        self.assertEqual(
            self.signed_in("ulla").post(f"/api/stores/{self.room.id}/room/look", {"moves": [self.key]}, format="json").status_code, 403
        )

    def test_waste_is_swept_thoroughly(self):
        for backup in list(Backup.objects.filter(device=self.old).order_by("finished_at"))[:2]:
            opened(self.room).remove(backup.id.bytes)
            Copy.objects.filter(backup=backup).update(state=CopyState.REMOVED)
        forget()
        waste = self.offers()["waste"]
        self.assertEqual((waste["rung"], waste["loses"]), (1, "nothing"))
        self.assertGreater(waste["bytes"], 90_000)
        self.assertEqual(self.make("waste").status_code, 200)
        self.assertEqual(str(Store.objects.get().thorough_until), waste["free_on"])
        Office.objects.update(undo_days=7)
        self.make(self.key)
        longer = Store.objects.get().thorough_until
        self.make("waste")
        self.assertEqual((Store.objects.get().thorough_until, str(longer) > waste["free_on"]), (longer, True), "it is not cut short")
        before = self.lying()
        self.nights(4)
        self.assertGreater(before - self.lying(), 90_000)
        forget()
        self.assertLess(self.offers().get("waste", {"bytes": 0})["bytes"], 1000)
