"""What leaves waits, comes back when it is wanted, and goes on its day; what a person removes, keeps, freezes."""

import random
from datetime import date, timedelta
from unittest import mock

from server.people.models import JournalEntry, Office, Team
from server.plans.actions.save_plan import DraftTarget, save_plan
from server.plans.models import RuleVersion
from server.retention.actions.freeze import words_of
from server.retention.actions.look_after import look_after, sweep_store
from server.retention.models import Freeze
from server.runs.actions.carry_copies import carry_copies
from server.runs.actions.check_store import check_store
from server.runs.actions.compare_store import adopt, compare_store
from server.runs.models import Backup, Copy, CopyState, Stray
from server.storage.models import Store
from server.tests.pretend import OfficeTestCase


class ThePile(OfficeTestCase):
    """Nightly into the server room; keep the last two. What leaves waits for seven days."""

    def furnish(self):
        super().furnish()
        Office.objects.update(undo_days=7)
        self.one = self.device()
        self.nightly = self.plan(self.one, keep_last=2, keep_daily=0)
        self.room = self.nightly.store

    def nights(self, count: int) -> None:
        for _ in range(count):
            self.night()

    def night(self) -> Backup:
        self.outside.devices["p1"].content["contacts", "c000"] = f"{self.outside.at}".encode()
        backup = self.run_now(self.one).backup
        look_after(self.room.id)
        self.outside.at += timedelta(days=1)
        return backup

    def states(self) -> list[str]:
        return list(Copy.objects.filter(store=self.room).order_by("backup__finished_at").values_list("state", flat=True))

    def journal(self, what: str) -> list[str]:
        return [line.says for line in JournalEntry.objects.filter(what=what).order_by("id")]

    def backups(self) -> list[Backup]:
        return list(Backup.objects.order_by("finished_at"))

    def remove(self, **fields: object):
        shown = self.api.post("/api/backups/remove/preview", fields, format="json")
        assert shown.status_code == 200, shown.content
        body = {**fields, "why": "by mistake", "seen": shown.json()["digest"], "word": shown.json()["word"]}
        return shown.json(), self.api.post("/api/backups/remove", body, format="json")


class TheUndoPeriod(ThePile):
    def test_what_leaves_is_restorable_and_counted_until_its_day_and_then_goes(self):
        self.nights(3)
        self.assertEqual(self.states(), ["leaving", "present", "present"])
        row = Copy.objects.filter(state="leaving").get()
        self.assertEqual(row.leaves_on, date(2026, 3, 11))
        listed = self.api.get("/api/leaving").json()
        self.assertEqual((listed["count"], listed["results"][0]["leaves_on"], listed["results"][0]["by"]), (1, "2026-03-11", ""))
        self.assertIn("rule of Nightly, version 1", row.removed_by_rule)
        self.assertIn("leave Server room on 2026-03-11 by the rule of Nightly, version 1", self.journal("backup.fell_out")[0])
        oldest = self.backups()[0]
        self.assertEqual(self.api.get(f"/api/backups/{oldest.id}").json()["kept"][0]["leaves_on"], "2026-03-11")
        self.assertEqual(self.api.get(f"/api/backups/{oldest.id}/inside?kind=contacts").status_code, 200)
        self.nights(6)
        self.assertEqual(self.states()[0], "leaving", "it goes on its day, not before")
        self.night()
        self.assertEqual(self.states()[0], "removed")
        self.assertIn("go from Server room", self.journal("backup.goes")[0])

    def test_the_sibling_of_what_turns_out_damaged_comes_back_by_itself(self):
        self.nights(3)
        Copy.objects.filter(backup__in=[one.id for one in self.backups()[1:]]).update(intact=False)
        look_after(self.room.id)
        self.assertEqual(self.states(), ["present"] * 3)
        self.assertIn("stay in Server room after all", self.journal("backup.back")[0])

    def test_a_rule_that_is_taken_back_brings_back_what_was_leaving(self):
        self.nights(4)
        self.assertEqual(self.states().count("leaving"), 2)
        save_plan(self.draft(self.room, keep_last=9, keep_daily=0), devices=[self.one.id], by=self.ines, plan=self.nightly)
        look_after(self.room.id)
        self.assertEqual(self.states(), ["present"] * 4)
        self.assertEqual([row.number for row in RuleVersion.objects.filter(plan=self.nightly)], [2, 1])

    def test_two_nights_at_once_and_a_night_twice_change_nothing_more(self):
        self.nights(3)
        before = list(Copy.objects.order_by("id").values())
        for _ in range(3):
            look_after(self.room.id)
        self.assertEqual(list(Copy.objects.order_by("id").values()), before)
        self.assertEqual(len(self.journal("backup.fell_out")), 1)

    def test_an_emptied_device_pushes_its_good_backups_out_of_nothing(self):
        self.nights(2)
        self.outside.devices["p1"].content.clear()
        for _ in range(12):
            self.run_now(self.one)
            look_after(self.room.id)
            self.outside.at += timedelta(days=1)
        self.assertEqual(self.states()[:2], ["present", "present"])

    def test_while_protection_has_lapsed_nothing_more_goes(self):
        """The rule keeps ten days; the device fails for a month."""
        self.nights(1)
        self.outside.at += timedelta(days=0)
        save_plan(self.draft(self.room, keep_last=1, keep_daily=0, keep_within=10), devices=[self.one.id], by=self.ines, plan=self.nightly)
        self.nights(8)
        self.outside.away.add("p1")
        for _ in range(30):
            self.run_now(self.one)
            look_after(self.room.id)
            self.outside.at += timedelta(days=1)
        self.assertEqual(self.states(), ["present"] * 9)
        self.outside.away.clear()
        self.night()
        self.assertEqual(self.states().count("leaving"), 9, "it is protected again: its rule counts by today")

    def test_a_store_that_was_away_begins_its_undo_period_when_it_is_back(self):
        self.nights(2)
        cloud = self.store("Cloud")
        blobs = self.outside.stores.pop(self.room.where)
        draft = self.draft(cloud, keep_last=1, keep_daily=0, targets=(DraftTarget(store=cloud.id), DraftTarget(store=self.room.id)))
        shown = self.consequences(draft)
        save_plan(self.draft(cloud, keep_last=1, keep_daily=0, targets=draft.targets, seen=shown, word="remove"), devices=[self.one.id], by=self.ines, plan=self.nightly)  # fmt: skip
        self.run_now(self.one)
        self.outside.at += timedelta(days=20)
        look_after(self.room.id)
        self.assertEqual(self.states()[:2], ["present", "present"])
        self.outside.stores[self.room.where] = blobs
        self.run_now(self.one)
        look_after(self.room.id)
        carry_copies(self.room.id)
        rows = Copy.objects.filter(store=self.room, state="leaving")
        self.assertTrue(all(row.leaves_on == self.outside.at.date() + timedelta(days=7) for row in rows) and rows)

    def consequences(self, draft) -> str:
        from server import ports
        from server.plans.actions.save_plan import checked
        from server.plans.models import Plan
        from server.plans.objections import Change
        from server.retention.consequences import consequences

        plan = checked(draft, Plan.objects.get(id=self.nightly.id))
        stores = frozenset(target.store for target in draft.targets)
        return consequences(
            Change(plan=plan, stores=stores, followers=frozenset({self.one.id}), seen="", word=""), now=ports.clock().now()
        ).digest


class ByHand(ThePile):
    def test_one_is_removed_with_what_will_be_lost_and_kept_after_all(self):
        self.nights(2)
        chosen = [str(self.backups()[0].id)]
        shown, done = self.remove(backups=chosen)
        self.assertEqual(
            (shown["copies"], shown["devices"][0]["going"], shown["devices"][0]["nowhere"], shown["devices"][0]["left"]), (1, 1, 1, 1)
        )
        self.assertEqual(done.status_code, 200)
        self.assertEqual(self.states(), ["leaving", "present"])
        look_after(self.room.id)
        self.assertEqual(self.states(), ["leaving", "present"], "its rule would keep it, and does not bring it back")
        self.assertEqual(self.api.get("/api/leaving?by_hand=true").json()["results"][0]["by"], "Ines")
        kept = self.api.post("/api/leaving/keep", {"backups": chosen, "reason": "it was the wrong one"}, format="json")
        self.assertEqual((kept.status_code, kept.json()), (200, {"backups": 1}))
        self.assertEqual(self.states(), ["present", "present"])
        self.assertEqual(self.backups()[0].hold_reason, "it was the wrong one")

    def test_the_bytes_that_nothing_needs_any_more_are_those_that_the_store_loses(self):
        self.outside.devices["p1"].content["photos", "large"] = random.Random(3).randbytes(300_000)
        self.nights(1)
        del self.outside.devices["p1"].content["photos", "large"]
        self.nights(1)
        chosen = {"backups": [str(self.backups()[0].id)]}
        (answer,) = self.api.post("/api/backups/remove/bytes", chosen, format="json").json()
        self.assertEqual(answer["store_name"], "Server room")
        self.assertTrue(300_000 < answer["bytes"] < 310_000, answer)
        Office.objects.update(undo_days=0)
        before = self.outside.open_vault(self.room.where).stored_bytes()
        self.remove(**chosen)
        for hours in (1, 4, 9):
            look_after(self.room.id, now=self.outside.at + timedelta(hours=hours))
        freed = before - self.outside.open_vault(self.room.where).stored_bytes()
        self.assertAlmostEqual(freed, answer["bytes"], delta=6_000)  # footers of packs, indexes and notes besides
        self.assertAlmostEqual(freed, answer["given_back_bytes"], delta=600)  # what says that a sweep was here
        self.outside.stores.pop(self.room.where)
        (answer,) = self.api.post("/api/backups/remove/bytes", {"backups": [str(self.backups()[1].id)]}, format="json").json()
        self.assertEqual((answer["bytes"], "not there" in answer["why_not"]), (None, True))

    def test_one_that_is_taken_in_again_is_like_any_other(self):
        self.nights(2)
        gone = {"state": "removed", "by_hand": True, "removed_why": "by mistake", "removed_at": self.outside.at}
        Copy.objects.filter(backup=self.backups()[0]).update(**gone)
        self.outside.at += timedelta(hours=2)
        compare_store(self.room, now=self.outside.at)
        adopt(Stray.objects.get(), device=self.one, by=self.ines)
        look_after(self.room.id)
        self.assertEqual(self.states(), ["present", "present"])

    def test_it_goes_on_its_day(self):
        self.nights(2)
        self.remove(backups=[str(self.backups()[0].id)])
        self.outside.at += timedelta(days=7)
        look_after(self.room.id)
        self.assertEqual(self.states(), ["removed", "present"])

    def test_all_of_a_device_needs_a_word_and_a_reason(self):
        self.nights(2)
        shown = self.api.post("/api/backups/remove/preview", {"device": str(self.one.id)}, format="json").json()
        self.assertEqual((shown["word"], shown["devices"][0]["left"], shown["devices"][0]["newest_left"]), ("remove", 0, None))
        body = {"device": str(self.one.id), "why": "the holder asked", "seen": shown["digest"]}
        for wrong, field in (({}, "word"), ({"word": "remov"}, "word"), ({"word": "remove", "why": " "}, "why")):
            refused = self.api.post("/api/backups/remove", body | wrong, format="json")
            self.assertEqual((refused.status_code, refused.json()["field"]), (400, field))
        self.assertEqual(self.states(), ["present", "present"])
        self.assertEqual(self.api.post("/api/backups/remove", body | {"word": "Remove "}, format="json").status_code, 200)
        self.assertEqual(self.states(), ["leaving", "leaving"])
        self.outside.at += timedelta(days=8)
        look_after(self.room.id)
        self.assertEqual(self.states(), ["removed", "removed"], "what a person removed no safeguard keeps")

    def test_what_changed_since_it_was_shown_is_shown_again(self):
        self.nights(2)
        shown = self.api.post("/api/backups/remove/preview", {"device": str(self.one.id)}, format="json").json()
        self.run_now(self.one)
        body = {"device": str(self.one.id), "why": "gone", "seen": shown["digest"], "word": "remove"}
        self.assertEqual(self.api.post("/api/backups/remove", body, format="json").status_code, 409)
        self.assertNotIn("leaving", self.states())

    def test_a_hold_outweighs_it_and_only_an_administrator_may(self):
        self.nights(2)
        held = self.backups()[0]
        self.api.post(f"/api/backups/{held.id}/hold", {"reason": "for the lawyer"}, format="json")
        shown = self.api.post("/api/backups/remove/preview", {"device": str(self.one.id)}, format="json").json()
        self.assertEqual((shown["copies"], shown["held"]), (1, 1))
        nothing, refused = self.remove(backups=[str(held.id)])
        self.assertEqual((nothing["copies"], refused.status_code), (0, 409))
        self.assertEqual(
            self.signed_in("piet").post("/api/backups/remove/preview", {"device": str(self.one.id)}, format="json").status_code, 403
        )

    def test_what_was_removed_in_one_store_is_not_copied_there_again(self):
        cloud = self.store("Cloud")
        draft = self.draft(self.room, keep_last=2, keep_daily=0, targets=(DraftTarget(store=self.room.id), DraftTarget(store=cloud.id)))
        save_plan(draft, devices=[self.one.id], by=self.ines, plan=self.nightly)
        self.nights(2)
        carry_copies(cloud.id)
        gone = self.backups()[0]
        shown, _ = self.remove(backups=[str(gone.id)], store=str(cloud.id))
        self.assertEqual((shown["devices"][0]["nowhere"], shown["word"]), (0, ""))
        self.outside.at += timedelta(days=8)
        look_after(cloud.id)
        from server.retention.actions.owe_copies import owe_copies

        owe_copies(now=self.outside.at)
        self.assertEqual(Copy.objects.get(store=cloud, backup=gone).state, CopyState.REMOVED)
        self.assertEqual(Copy.objects.get(store=self.room, backup=gone).state, CopyState.PRESENT)

    def test_bad_input_names_its_field(self):
        for body in (
            {},
            {"backups": [], "device": None},
            {"backups": [str(self.one.id)], "device": str(self.one.id)},
        ):
            refused = self.api.post("/api/backups/remove/preview", body, format="json")
            self.assertEqual((refused.status_code, refused.json()["field"].split(".")[0]), (400, "backups"), body)


class Holds(ThePile):
    def test_releasing_one_says_what_follows_and_when(self):
        self.nights(1)
        held = self.backups()[0]
        self.api.post(f"/api/backups/{held.id}/hold", {"reason": "before the repair"}, format="json")
        self.nights(3)
        after = self.api.get(f"/api/backups/{held.id}/after-release").json()
        self.assertEqual([(one["store_name"], one["kept"], one["leaves_on"]) for one in after], [("Server room", False, "2026-03-13")])
        newest = self.backups()[-1]
        self.assertEqual(self.api.get(f"/api/backups/{newest.id}/after-release").json()[0]["why"], ["one of the newest: 1 of 2"])
        self.api.delete(f"/api/backups/{held.id}/hold")
        look_after(self.room.id)
        self.assertEqual(self.states()[0], "leaving", "a released one waits like any other")

    def test_holding_what_is_leaving_brings_it_back_at_once(self):
        self.nights(3)
        self.api.post(f"/api/backups/{self.backups()[0].id}/hold", {"reason": "needed"}, format="json")
        self.assertEqual(self.states(), ["present"] * 3)


class NothingLeaves(ThePile):
    def test_of_what_is_said_in_words(self):
        for freeze, words in (
            (Freeze(store=Store(name="Cellar")), "Cellar"),
            (Freeze(team=Team(name="Crew")), "Crew’s devices"),
            (Freeze(), "the office"),
        ):
            self.assertEqual(words_of(freeze), words)

    def test_at_once_also_what_is_leaving_and_what_was_about_to_go(self):
        self.nights(3)
        Copy.objects.filter(state="leaving").update(leaves_on=self.outside.at.date())
        said = self.signed_in("piet").post("/api/freezes", {"reason": "it smells of malware"}, format="json")
        self.assertEqual((said.status_code, said.json()["of"]), (201, "the office"))
        self.nights(4)
        self.assertEqual(self.states(), ["leaving"] + ["present"] * 6)
        self.assertEqual(self.api.get("/api/freezes").json()[0]["reason"], "it smells of malware")
        blocked = self.api.post("/api/backups/remove/preview", {"device": str(self.one.id)}, format="json").json()
        self.assertEqual((blocked["copies"], blocked["frozen"]), (0, 6))
        id = said.json()["id"]
        self.assertEqual(self.signed_in("piet").post(f"/api/freezes/{id}/lift", {"why": "all is well"}, format="json").status_code, 403)
        self.assertEqual(self.api.post(f"/api/freezes/{id}/lift", {"why": ""}, format="json").json()["field"], "why")
        self.assertEqual(self.api.post(f"/api/freezes/{id}/lift", {"why": "all is well"}, format="json").status_code, 204)
        look_after(self.room.id)
        self.assertEqual(self.states(), ["removed"] + ["leaving"] * 4 + ["present"] * 2)
        self.assertEqual(len(self.journal("retention.frozen") + self.journal("retention.lifted")), 2)

    def test_what_was_decided_and_not_yet_carried_out_stays_as_well(self):
        self.nights(3)
        Copy.objects.filter(state="leaving").update(state="removing")
        held = set(self.outside.stores[self.room.where].held)
        self.api.post("/api/freezes", {"reason": "a lawyer writes", "store": str(self.room.id)}, format="json")
        look_after(self.room.id)
        sweep_store(self.room, now=self.outside.at + timedelta(days=3))
        self.assertEqual(self.states()[0], "removing")
        self.assertLessEqual(held, set(self.outside.stores[self.room.where].held))

    def test_what_was_removed_before_is_not_swept(self):
        self.outside.devices["p1"].content["photos", "large"] = random.Random(3).randbytes(300_000)
        self.nights(1)
        del self.outside.devices["p1"].content["photos", "large"]
        self.nights(2)
        Copy.objects.filter(state="leaving").update(leaves_on=self.outside.at.date())
        look_after(self.room.id)
        self.assertEqual(self.states()[0], "removed")
        said = self.api.post("/api/freezes", {"reason": "it smells of malware"}, format="json").json()

        def packs() -> int:
            for hours in (3, 9):
                sweep_store(self.room, now=self.outside.at + timedelta(hours=hours))
            return sum(len(held) for name, held in self.outside.stores[self.room.where].held.items() if name.startswith("packs/"))

        self.assertGreater(packs(), 300_000)
        self.api.post(f"/api/freezes/{said['id']}/lift", {"why": "all is well"}, format="json")
        self.assertLess(packs(), 300_000)

    def test_of_a_team_or_a_store_only(self):
        other = self.store("Cloud")
        self.nights(3)
        self.api.post("/api/freezes", {"reason": "x", "store": str(other.id)}, format="json")
        self.assertEqual(self.night() and self.states().count("leaving"), 2)
        self.api.post("/api/freezes", {"reason": "x", "team": self.one.team_id}, format="json")
        self.nights(3)
        self.assertEqual(self.states().count("leaving"), 2)
        self.assertEqual(self.api.post("/api/freezes", {"reason": "x", "team": self.one.team_id}, format="json").status_code, 409)
        self.assertEqual(self.api.post("/api/freezes", {"reason": " "}, format="json").json()["field"], "reason")


class WhatSomebodyHasToLookAt(ThePile):
    def test_a_damaged_one_stays_until_somebody_looked(self):
        self.nights(1)
        first = self.backups()[0]
        with mock.patch("server.runs.actions.carry_out.mended_by_run"):  # what a run stores again would mend it
            Copy.objects.filter(backup=first).update(intact=False)
            self.nights(4)
        self.assertEqual(self.states()[0], "present")
        self.assertIn("damaged", self.api.get(f"/api/backups/{first.id}").json()["kept"][0]["why"][0])
        self.assertEqual(self.api.post(f"/api/backups/{first.id}/looked-at").status_code, 204)
        look_after(self.room.id)
        self.assertEqual(self.states()[0], "leaving")
        self.assertEqual(self.api.post(f"/api/backups/{self.backups()[-1].id}/looked-at").status_code, 400)

    def test_whoever_looked_before_new_damage_looks_again(self):
        self.nights(1)
        Backup.objects.update(looked_at=self.outside.at)
        held = self.outside.stores[self.room.where].held
        for name in [name for name in held if name.startswith("packs/")]:
            held[name] = held[name][:400] + bytes([held[name][400] ^ 1]) + held[name][401:]
        check_store(self.room, percent=100, by=self.ines)
        self.assertIsNone(Backup.objects.get().looked_at)
        Backup.objects.update(looked_at=self.outside.at)
        check_store(self.room, percent=100, by=self.ines)
        self.assertIsNotNone(Backup.objects.get().looked_at, "it is the damage that somebody has looked at")

    def test_one_that_was_brought_in_counts_for_nothing_until_then(self):
        self.nights(1)
        Backup.objects.update(imported_from="an old archive")
        self.nights(4)
        self.assertEqual(self.states()[0], "present")
        self.api.post(f"/api/backups/{self.backups()[0].id}/looked-at")
        look_after(self.room.id)
        self.assertEqual(self.states()[0], "leaving")
