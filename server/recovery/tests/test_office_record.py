"""The server burned; the store survived it with what that server knew. And: only one server sweeps a store."""

import json
from datetime import UTC, date, datetime, time, timedelta
from unittest import mock
from uuid import uuid4

from django.db import connection
from django.test.utils import CaptureQueriesContext
from procrastinate.contrib.django.models import ProcrastinateJob

from core.errors import Unforeseen
from core.vault import blobs as names
from core.vault.offices import OfficeRecord, read_offices, write_office
from core.vault.sweeper import Sweeper, hand_over
from server.fleet.actions.ssh_key import own_ssh_key
from server.fleet.convert import key_purpose, paired_key, private_ssh_key, sftp_purpose
from server.fleet.models import Device, SshKey
from server.people.models import ClosedDay, Holder, JournalEntry, ServerKey, Team
from server.plans.actions.rule_versions import note_version
from server.plans.models import KindChoice, Plan, RuleVersion, TeamPlan
from server.recovery.actions.write_office import write_into
from server.recovery.models import DrillRules
from server.retention.actions.look_after import sweep_store
from server.retention.actions.owe_maintenance import owe_maintenance
from server.retention.models import Erasure, Freeze
from server.runs.actions.compare_store import compare_store
from server.runs.actions.hold_backup import hold_backup
from server.runs.models import Backup, Copy, Run, Stray
from server.storage.models import Store
from server.storage.queries import opened, this_server
from server.tests.pretend import PASSPHRASE, OfficeTestCase


class WhatIsTold(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.room, self.one = self.store(), self.device("p1")

    def test_every_store_of_the_office_gets_it_once_a_night_and_a_new_one_at_once(self):
        self.outside.at = datetime(2026, 3, 2, 1, 0, tzinfo=UTC)
        self.assertEqual(self.owed(), [str(self.room.id)])
        self.assertTrue(write_into(self.room.id))
        self.assertEqual(self.owed(), [])
        self.outside.at += timedelta(hours=20)  # still the same day of the office
        self.assertEqual(self.owed(), [])
        self.outside.at += timedelta(hours=10)
        self.assertEqual(self.owed(), [str(self.room.id)])

    def owed(self) -> list[str]:
        ProcrastinateJob.objects.all().delete()
        owe_maintenance(now=self.outside.at)
        return [job.args["store_id"] for job in ProcrastinateJob.objects.filter(task_name="write_office")]

    def test_it_is_one_small_object_that_tells_nothing_to_whoever_holds_the_bytes(self):
        for _ in range(3):
            self.outside.at += timedelta(days=1)
            write_into(self.room.id)
        blobs = self.outside.stores[self.room.where]
        lying = list(blobs.list(names.OFFICES))
        self.assertEqual(len(lying), 1)
        self.assertNotIn(b"Holder of p1", blobs.read(lying[0][0]))
        (record,) = read_offices(opened(self.room))
        self.assertEqual((record.at, record.told["devices"][0]["holder"]), (self.outside.at, "Holder of p1"))

    def test_a_store_with_a_key_of_its_own_is_told_nothing(self):
        own = self.api.post(
            "/api/stores",
            {
                "name": "Lawyer's", "path": "/lawyer", "passphrase": PASSPHRASE, "passphrase_again": PASSPHRASE, "allowance_bytes": None,
                "own_key": True,
            },
            format="json",
        ).json()  # fmt: skip
        ways = [entry.facts["way"] for entry in JournalEntry.objects.filter(what="store.added").order_by("id")]
        self.assertEqual(ways, ["offices_key", "own_key"])
        Store.objects.filter(id=self.room.id).update(key_id=opened(self.room).keys.id.hex())
        Store.objects.filter(id=own["id"]).update(key_id="f" * 32)
        self.assertFalse(write_into(own["id"]))
        self.assertTrue(write_into(self.room.id))

    def test_a_secret_that_does_not_open_takes_no_other_with_it(self):
        two = self.device("p2")
        real = self.outside.unseal

        def one_does_not(purpose: str, sealed: bytes) -> bytes:
            if purpose == key_purpose(self.one.agent_id):
                raise Unforeseen("It does not open with this key.")
            return real(purpose, sealed)

        with mock.patch.object(self.outside, "unseal", one_does_not), self.assertLogs("attic.recovery"):
            self.assertTrue(write_into(self.room.id))
        (record,) = read_offices(opened(self.room))
        by_key = {one["id"]: bool(one["agent_key"]) for one in record.told["devices"]}
        self.assertEqual(by_key, {str(self.one.id): False, str(two.id): True})

    def test_it_takes_a_fixed_number_of_queries(self):
        self.plan(self.one)
        with CaptureQueriesContext(connection) as few:
            write_into(self.room.id)
        for n in range(2, 6):
            self.plan(self.device(f"p{n}"), name=f"Plan {n}", store=self.room)
        with CaptureQueriesContext(connection) as many:
            write_into(self.room.id)
        self.assertEqual(len(many), len(few))


class AfterTheFire(OfficeTestCase):
    def furnish(self):
        super().furnish()
        ServerKey.objects.update_or_create(id=1, defaults={"fingerprint": "old", "at": self.outside.at})
        self.room, self.one, self.two = self.store(), self.device("p1"), self.device("p2")
        team, _ = Team.objects.get_or_create(name="Shore Crew")
        Device.objects.filter(id=self.one.id).update(serial="OR-1", team=team, note="cracked corner", limit_bytes_per_second=12345678)
        Holder.objects.filter(name="Holder of p1").update(email="one@example.net")
        ClosedDay.objects.create(day=date(2026, 12, 24), name="Christmas Eve")
        KindChoice.objects.create(device=self.one, kind="apps", taken=False, why="too large", at=self.outside.at)
        self.key, self.ssh = paired_key(Device.objects.get(id=self.one.id)), own_ssh_key().public
        plan = self.plan(self.one, self.two, name="Field nightly", keep_daily=5, exceptions=(date(2026, 12, 31),), starts_at=time(21, 15))
        TeamPlan.objects.create(team=team, plan=plan)
        self.backup = self.run_now(self.one).backup
        hold_backup(self.backup, reason="lawyer asked", until=None, by=self.ines)
        note_version({"last": 2}, by=self.ines, now=self.outside.at, team=team, store=self.room, why="small")
        note_version({"last": 1, "ask_after": [2, "years"]}, by=self.ines, now=self.outside.at)
        Freeze.objects.create(team=team, reason="a lawyer wrote", at=self.outside.at)
        Freeze.objects.create(store=self.room, reason="it is moved", at=self.outside.at)
        self.erasure = Erasure.objects.create(
            reference="Request 14", items=[{"kind": "contacts", "id": "c001", "mark": "ab" * 16, "name": "Ada"}],
            asked_at=self.outside.at, begins_on=date(2026, 4, 1), forgets_names=True,
        )  # fmt: skip
        self.erasure.devices.set([self.one])
        DrillRules.objects.create(a_day=3, most_minutes=20, most_bytes=1 << 30, wanted_days=90)
        write_into(self.room.id)
        DrillRules.objects.all().delete()
        self.where = self.room.where
        for rows in (Copy, Backup, Run, TeamPlan, KindChoice, RuleVersion, Freeze, Erasure):  # the old server burned
            rows.objects.all().delete()
        Store.objects.get().targets.all().delete()
        for rows in (Device, Plan, Store, Holder, Team, ClosedDay, SshKey):
            rows.objects.all().delete()
        ServerKey.objects.update(fingerprint="new")
        self.outside.at += timedelta(hours=2)

    def attach(self) -> str:
        body = {"name": "Survivor", "path": self.where, "passphrase": PASSPHRASE, "allowance_bytes": None}
        return self.api.post("/api/stores/attach", body, format="json").json()["id"]

    def offered(self, store: str) -> list[dict[str, object]]:
        answer = self.api.get(f"/api/stores/{store}/offices")
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def take(self, store: str, server: str):
        return self.api.post(f"/api/stores/{store}/offices", {"server": server}, format="json")

    def test_what_it_knew_is_offered_and_nothing_happens_before_somebody_says_so(self):
        (one,) = self.offered(self.attach())
        self.assertEqual(
            (one["own"], sorted(one["devices"]), one["plans"], one["holds"]),
            (False, ["Orlo H1, Holder of p1", "Orlo H1, Holder of p2"], ["Field nightly"], 1),
        )
        self.assertFalse(Device.objects.exists() or Plan.objects.exists())

    def test_taken_over_devices_answer_and_plans_run_as_before(self):
        store = self.attach()
        answer = self.take(store, self.offered(store)[0]["server"]).json()
        self.assertEqual(
            answer,
            {
                "holders": 2,
                "closed_days": 1,
                "devices": 2,
                "plans": 1,
                "exceptions": 2,
                "freezes": 2,
                "erasures": 1,
                "rotations": 0,
                "drill_rules": 1,
                "left_out": [],
            },
        )
        device = Device.objects.select_related("holder", "team", "assignment__plan").get(id=self.one.id)
        self.assertEqual(
            (device.serial, device.note, device.limit_bytes_per_second, device.team.name, device.holder.email, device.assignment.plan.name),
            ("OR-1", "cracked corner", 12345678, "Shore Crew", "one@example.net", "Field nightly"),
        )
        self.assertEqual((paired_key(device), SshKey.objects.get().public), (self.key, self.ssh))
        self.assertTrue(private_ssh_key())
        plan = Plan.objects.get()
        self.assertEqual(
            (plan.keep_daily, plan.exceptions, plan.starts_at, plan.store.name), (5, [date(2026, 12, 31)], time(21, 15), "Survivor")
        )
        self.assertEqual([one.team.name for one in plan.team_plans.all()], ["Shore Crew"])
        self.assertEqual(KindChoice.objects.get().why, "too large")
        self.assertEqual(list(ClosedDay.objects.values_list("day", "name")), [(date(2026, 12, 24), "Christmas Eve")])
        self.assertTrue(self.run_now(device).backup, "the old pairing does not work")
        self.assertTrue(JournalEntry.objects.filter(what="store.office_taken").exists())

    def test_what_it_said_of_keeping_and_letting_go_holds_here_too(self):
        store = self.attach()
        for _ in range(2):
            self.take(store, self.offered(store)[0]["server"])
        said = {row.subject.split()[0]: row for row in RuleVersion.objects.exclude(subject__startswith="plan")}
        self.assertEqual((said["retired"].told["ask_after"], said["team"].told, said["team"].why), ([2, "years"], {"last": 2}, "small"))
        self.assertEqual((said["team"].store.name, said["team"].team.name), ("Survivor", "Shore Crew"))
        (drills,) = DrillRules.objects.all()
        self.assertEqual((drills.a_day, drills.most_minutes, drills.limit_bytes_per_second, drills.wanted_days), (3, 20, None, 90))
        frozen = set(Freeze.objects.values_list("team__name", "store__name", "reason"))
        self.assertEqual(frozen, {("Shore Crew", None, "a lawyer wrote"), (None, "Survivor", "it is moved")})
        (asked,) = Erasure.objects.all()
        self.assertEqual(
            (asked.reference, asked.begins_on, asked.forgets_names, [one.id for one in asked.devices.all()]),
            ("Request 14", date(2026, 4, 1), True, [self.one.id]),
        )
        self.assertEqual(asked.items, [{"kind": "contacts", "id": "", "mark": "ab" * 16, "name": ""}])
        compare_store(Store.objects.get(id=store), now=self.outside.at)
        self.api.post(f"/api/stores/{store}/found", {"key": str(self.one.id), "device": str(self.one.id)}, format="json")
        self.assertEqual([step.store.name for step in asked.steps.all()], ["Survivor"], "it is looked for in what was taken in")

    def test_what_speaks_of_something_that_is_not_here_is_left_out_and_told(self):
        store = self.attach()
        here = Store.objects.get(id=store)
        good = read_offices(opened(here))[0].told
        rule, erasure = {"told": {"last": 4}, "why": ""}, good["erasures"][0]
        told = good | {"exceptions": [
            rule | {"plan": "Field nightly", "store": here.vault_id}, rule | {"device": str(self.two.id)}, rule | {"device": str(uuid4())}, rule | {"plan": "Nobody's"},
            rule | {"team": "Nobody's"}, rule | {"store": "0" * 32}, rule, rule | {"retired": True}, rule | {"retired": "yes"},
        ], "erasures": [
            erasure, erasure | {"id": str(uuid4()), "devices": [str(uuid4())]}, erasure | {"id": str(uuid4()), "items": [], "whole": False},
            erasure | {"id": str(uuid4()), "whole": True}, erasure | {"id": str(uuid4()), "whole": True, "items": []},
        ], "freezes": [{"store": "0" * 32, "team": "Shore Crew", "reason": "x"}, {"team": "Nobody's", "reason": "y"}, {"reason": "z"}]}  # fmt: skip
        told["devices"][0] |= {"sftp_host": "nas", "sftp_port": 22, "sftp_password": "low tide", "family": "nobody's", "team": "t" * 90}
        write_office(opened(here), OfficeRecord(server=b"y" * 16, office="Elsewhere", at=self.outside.at, told=told))
        answer = self.take(store, (b"y" * 16).hex()).json()
        self.assertEqual([answer[name] for name in ("exceptions", "erasures", "devices")], [3, 2, 2], answer)
        self.assertEqual(sorted((one.whole, bool(one.items)) for one in Erasure.objects.all()), [(False, True), (True, False)])
        self.assertEqual(set(Device.objects.values_list("family", flat=True)), {"", "orlo"})
        self.assertEqual(
            sorted(one["why"] for one in answer["left_out"]),
            ["It speaks of nothing."] * 2 + ["What it speaks of is not here."] * 7,
        )
        subjects = set(RuleVersion.objects.filter(told={"last": 4}).values_list("plan__name", "device", "team", "store"))
        self.assertEqual(subjects, {("Field nightly", None, None, here.id), (None, self.two.id, None, None), (None, None, None, None)})
        self.assertEqual(set(Freeze.objects.values_list("team__name", "store", "reason")), {("Shore Crew", None, "x"), (None, None, "y")})
        device = Device.objects.exclude(sftp_password=None).get()
        self.assertEqual(device.team.name, "t" * 80)
        device.erasures.clear()
        self.take(store, (b"y" * 16).hex())
        self.assertFalse(device.erasures.exists(), "what is said here already stays as it is")
        self.assertEqual(self.outside.unseal(sftp_purpose("nas", 22), bytes(device.sftp_password)), b"low tide")

    def test_its_holds_come_with_the_backups(self):
        store = self.attach()
        self.take(store, self.offered(store)[0]["server"])
        compare_store(Store.objects.get(id=store), now=self.outside.at)
        self.api.post(f"/api/stores/{store}/found", {"key": str(self.one.id), "device": str(self.one.id)}, format="json")
        self.assertEqual(Backup.objects.get(id=self.backup.id).hold_reason, "held before: lawyer asked")
        self.assertFalse(Stray.objects.exists())

    def test_taken_twice_nothing_comes_twice_and_what_is_here_stays(self):
        store = self.attach()
        server = self.offered(store)[0]["server"]
        self.take(store, server)
        Device.objects.filter(id=self.one.id).update(note="new words")
        again = self.take(store, server).json()
        self.assertEqual((again["devices"], again["plans"]), (0, 0))
        self.assertEqual((Device.objects.count(), Device.objects.get(id=self.one.id).note), (2, "new words"))
        (one,) = self.offered(store)
        self.assertEqual((one["devices"], one["plans"], one["there"]), ([], [], 3))

    def test_a_record_that_lies_takes_nothing_else_with_it(self):
        store = self.attach()
        good = read_offices(opened(Store.objects.get(id=store)))[0].told
        bad = json.loads(json.dumps(good))
        bad["devices"] += [
            {"name": "x" * 5000, "link": "telepathy"}, {"name": ""}, "no device", {"name": "odd", "link": "none", "family": "", "purchased_on": "soon"},
            {"name": "key", "link": "none", "family": "", "agent_key": "zz"}, {"name": "rules", "link": "none", "family": "", "file_rules": "all"},
            {"name": "still", "link": "none", "family": "", "limit_bytes_per_second": 1},
        ]  # fmt: skip
        bad["plans"] += [{"name": "half"}, bad["plans"][0] | {"name": "Hostile", "rule": "FREQ=SECONDLY"}]
        bad["holders"] = "nobody"
        bad["holds"] = [{"backup": 1}, 5]
        vault = opened(Store.objects.get(id=store))
        write_office(vault, OfficeRecord(server=b"x" * 16, office="Elsewhere", at=self.outside.at, told=bad))
        answer = self.take(store, (b"x" * 16).hex()).json()
        self.assertEqual((answer["devices"], answer["plans"], answer["holders"]), (2, 1, 0), answer)
        self.assertEqual(len(answer["left_out"]), 8, answer["left_out"])
        self.assertTrue(all(one["why"] for one in answer["left_out"]))

    def test_only_who_sets_the_office_up_sees_and_takes_it(self):
        store = self.attach()
        piet = self.signed_in("piet")
        self.assertEqual(piet.get(f"/api/stores/{store}/offices").status_code, 403)
        self.assertEqual(piet.post(f"/api/stores/{store}/offices", {"server": "00"}, format="json").status_code, 403)
        self.assertEqual(self.take(store, "00").status_code, 409)


class WhoSweepsHere(OfficeTestCase):
    def test_one_that_is_attached_says_at_once_who_sweeps_it(self):
        vault, _ = self.outside.create_vault("/old", PASSPHRASE)
        hand_over(vault, Sweeper(who=b"o" * 16, name="Old pier"), now=self.outside.at)
        body = {"name": "Old", "path": "/old", "passphrase": PASSPHRASE, "allowance_bytes": None}
        self.assertEqual(self.api.post("/api/stores/attach", body, format="json").json()["swept_by"], "Old pier")
        own, _ = self.outside.create_vault("/own", PASSPHRASE)
        hand_over(own, this_server(), now=self.outside.at)
        body |= {"name": "Own", "path": "/own"}
        self.assertEqual(self.api.post("/api/stores/attach", body, format="json").json()["swept_by"], "")
        answer = self.api.post("/api/stores/attach", body | {"name": "Again"}, format="json")
        self.assertEqual((answer.status_code, b"There is a store already" in answer.content), (409, True))

    def test_a_store_of_another_server_is_not_swept_until_somebody_hands_it_over(self):
        room = self.store()
        hand_over(opened(room), Sweeper(who=b"o" * 16, name="Old pier"), now=self.outside.at)
        sweep_store(room, now=self.outside.at)
        room.refresh_from_db()
        self.assertEqual((room.swept_by, room.trouble), ("Old pier", ""))
        self.assertEqual(self.signed_in("piet").post(f"/api/stores/{room.id}/sweeping").status_code, 403)
        self.assertEqual(self.api.post(f"/api/stores/{room.id}/sweeping").json()["swept_by"], "")
        sweep_store(room, now=self.outside.at)
        room.refresh_from_db()
        self.assertEqual(room.swept_by, "")
        self.assertEqual(self.api.post(f"/api/stores/{room.id}/sweeping").status_code, 409)
