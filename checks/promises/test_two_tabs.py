"""Two who change one thing: the second is told, nothing of the first is undone in silence, and saving over it is their choice."""

from typing import Any

from server.fleet.models import Device
from server.people.models import JournalEntry, User
from server.storage.models import Drive, DriveState, Rotation
from server.tests.pretend import OfficeTestCase


class TwoTabs(OfficeTestCase):
    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.nightly = self.plan(self.one)
        self.store = self.nightly.store
        self.backup = self.run_now(self.one).backup
        self.mine, self.other = self.signed_in("ines"), self.signed_in("ines")

    def both(self, path: str, read: dict[str, Any], first: dict[str, Any], second: dict[str, Any], says: str) -> None:
        """`first` is saved by one tab, `second` then by another that has read the same; each with all that the form sends."""
        answer = self.mine.put(f"/api/{path}", first | {"read": read}, format="json")
        self.assertLess(answer.status_code, 300, answer.content)
        lines = JournalEntry.objects.count()
        refused = self.other.put(f"/api/{path}", second | {"read": read}, format="json")
        self.assertEqual((refused.status_code, refused.json()["code"]), (409, "state.changed_meanwhile"), refused.content)
        self.assertIn(says, refused.json()["title"])
        self.assertEqual(JournalEntry.objects.count(), lines)
        over = self.other.put(f"/api/{path}", second, format="json")
        self.assertLess(over.status_code, 300, over.content)
        again = self.mine.put(f"/api/{path}", first | {"read": read}, format="json")
        self.assertEqual(again.status_code, 409, "what was saved over it is another change")

    def test_the_office(self):
        read = self.mine.get("/api/me").json()["office"]
        self.both("office", read, read | {"name": "Harbour", "undo_days": 7}, read | {"undo_days": 9}, "name is Harbour now")

    def test_how_long_records_are_kept(self):
        read = {age["code"]: age["days"] for age in self.mine.get("/api/office/ages").json()}
        code = min(read)
        self.both("office/ages", read, {"ages": {code: read[code] + 1}}, {"ages": {code: read[code] + 2}}, f"is {read[code] + 1} now")

    def test_a_store(self):
        read = self.mine.get(f"/api/stores/{self.store.id}").json()
        read = {name: read[name] for name in ("name", "allowance_bytes", "off_site", "max_writers", "address", "check_days")}
        body = {"name": read["name"], "allowance_bytes": None, "off_site": False}
        self.both(f"stores/{self.store.id}", read, body | {"off_site": True}, body | {"name": "Shelf"}, "outside of the office is yes now")

    def test_an_allowance(self):
        body = {
            "team": None,
            "device": str(self.one.id),
            "soft_bytes": 5_000_000,
            "hard_bytes": None,
            "grace_days": 7,
            "soft_counts": "needed",
        }
        path = f"stores/{self.store.id}/allowances"
        self.assertEqual(self.mine.put(f"/api/{path}", body, format="json").status_code, 200)
        read = {name: body[name] for name in ("soft_bytes", "hard_bytes", "grace_days", "soft_counts")}
        self.both(path, read, body | {"hard_bytes": 9_000_000}, body | {"grace_days": 3}, "the limit is 8.6 MiB now")

    def test_a_form_for_something_new_has_read_nothing(self):
        body = {
            "team": None,
            "device": str(self.one.id),
            "soft_bytes": 5_000_000,
            "hard_bytes": None,
            "grace_days": 7,
            "soft_counts": "needed",
        }
        answer = self.mine.put(f"/api/stores/{self.store.id}/allowances", body | {"read": {}}, format="json")
        self.assertEqual(answer.status_code, 200, answer.content)

    def test_an_allowance_that_was_taken_away_does_not_come_back_by_itself(self):
        body = {
            "team": None,
            "device": str(self.one.id),
            "soft_bytes": 5_000_000,
            "hard_bytes": None,
            "grace_days": 7,
            "soft_counts": "needed",
        }
        path = f"/api/stores/{self.store.id}/allowances"
        id = self.mine.put(path, body, format="json").json()["id"]
        self.mine.delete(f"/api/allowances/{id}")
        refused = self.other.put(path, body | {"read": {"soft_bytes": 5_000_000}}, format="json")
        self.assertEqual(refused.status_code, 409)
        self.assertIn("removed", refused.json()["title"])

    def test_a_device_column_by_column(self):
        path, read = f"devices/{self.one.id}/change", self.mine.get(f"/api/devices/{self.one.id}/change").json()["values_told"]
        mine = {"values_told": {"note": "in the drawer"}, "read": {"note": read["note"]}}
        self.assertEqual(self.mine.put(f"/api/{path}", mine, format="json").status_code, 200)
        beside = {"values_told": {"asset_tag": "A-7"}, "read": {"asset_tag": read["asset_tag"]}}
        self.assertEqual(self.other.put(f"/api/{path}", beside, format="json").status_code, 200, "another column is no contradiction")
        fields = {"values_told": {"note": "with Orlo"}}
        refused = self.other.put(f"/api/{path}", fields | {"read": {"note": read["note"]}}, format="json")
        self.assertEqual((refused.status_code, refused.json()["code"]), (409, "state.changed_meanwhile"))
        row = Device.objects.get(id=self.one.id)
        self.assertEqual((row.note, row.asset_tag), ("in the drawer", "A-7"))

    def test_how_a_device_is_reached(self):
        path = f"devices/{self.one.id}/link"
        read = self.mine.get(f"/api/{path}").json()
        body = {"rules": [], "limit_bytes_per_second": None, "folder": "", "sftp": None}
        faster, slower = body | {"limit_bytes_per_second": 500_000}, body | {"limit_bytes_per_second": 90_000}
        read = {name: read[name] for name in ("rules", "limit_bytes_per_second", "folder")}
        self.both(path, read, faster, slower, "speed limit is 488 KiB a second now")

    def test_accounts_teams_and_holders(self):
        piet = User.objects.get(username="piet")
        read = {"shown_name": piet.shown_name, "role": "operator", "is_active": True}
        body = {"full_name": piet.full_name, "role": "operator", "active": True}
        self.both(f"users/{piet.id}", read, body | {"role": "auditor"}, body | {"full_name": "Piet P"}, "role is auditor now")
        team = Device.objects.get(id=self.one.id).team
        assert team is not None
        self.both(f"teams/{team.id}", {"name": team.name}, {"name": "Quay"}, {"name": "Quayside"}, "name is Quay now")
        holder = self.one.holder
        read = {"name": holder.name, "team": "Quayside" if holder.team_id == team.id else "", "email": ""}
        there = {name: value for name, value in read.items() if name != "team"}
        self.both(
            f"holders/{holder.id}/change",
            there,
            read | {"email": "h@office.example"},
            read | {"name": "Hanna"},
            "email is h@office.example",
        )

    def test_drives_and_their_turns(self):
        Drive.objects.create(store=self.store, state=DriveState.HERE)
        self.both(
            f"drives/{self.store.id}", {"keeper": "", "rests_in": ""}, {"keeper": "Ines", "rests_in": ""},
            {"keeper": "", "rests_in": "the safe"}, "keeper is Ines now",
        )  # fmt: skip
        body = {"name": "Weekly", "every_days": 7, "first_day": "2026-03-02", "grace_days": 2, "drives": [str(self.store.id)]}
        self.assertEqual(self.mine.post("/api/drives/rotations", body, format="json").status_code, 201)
        path = f"drives/rotations/{Rotation.objects.get().id}"
        self.both(path, body, body | {"every_days": 14}, body | {"grace_days": 3}, "every days is 14 now")

    def test_drills_notes_and_hooks(self):
        read = self.mine.get("/api/drills/rules").json()
        self.both("drills/rules", read, read | {"a_day": 3}, read | {"most_minutes": 9}, "a day is 3 now")
        self.both(f"backups/{self.backup.id}/note", {"note": ""}, {"note": "before the move"}, {"note": "x"}, "note is before the move now")
        hook = self.mine.post(
            "/api/hooks", {"name": "Desk", "address": "https://desk.example/in", "inside": False, "signs_of_life": False}, format="json"
        ).json()
        read = {name: hook[name] for name in ("active", "inside", "signs_of_life")}
        self.both(f"hooks/{hook['id']}", read, read | {"active": False}, read | {"signs_of_life": True}, "active is no now")

    def test_what_cannot_be_read_there_is_refused_and_not_passed_over(self):
        answer = self.mine.put(f"/api/backups/{self.backup.id}/note", {"note": "x", "read": {"notes": ""}}, format="json")
        self.assertEqual((answer.status_code, answer.json()["field"]), (400, "read"))
