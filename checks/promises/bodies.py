"""A furnished office and, for each operation that takes a body, where it goes and one that is right."""

from typing import Any
from uuid import uuid4

from server.people.models import Holder, Team, User
from server.tests.pretend import PASSPHRASE, PASSWORD, OfficeTestCase

EXCEPTION = {
    "plan": None, "team": None, "device": None, "store": None, "retired": False,
    "rule": {"last": 2, "within": {"count": 2, "unit": "days"}, "minimum_age_seconds": 0, "greatest_age": None, "ask_after": None},
}  # fmt: skip


class Bodies(OfficeTestCase):
    """A device with a backup, a plan, a store, a team and a holder."""

    def furnish(self):
        super().furnish()
        self.one = self.device()
        self.nightly = self.plan(self.one)
        self.backup = self.run_now(self.one).backup
        self.holder, self.team = Holder.objects.get(), Team.objects.get()

    def bodies(self) -> dict[str, tuple[str, dict[str, Any]]]:
        """Operation → its address and a body that is right."""
        plan = {
            "name": "Nightly", "kinds": ["contacts"], "pattern": {"shape": "every_night"}, "starts_at": "22:00", "window_closes": "06:00",
            "store": str(self.nightly.store_id), "promise_seconds": 172_800, "keep_last": 2, "keep_daily": 3, "keep_weekly": 0, "keep_monthly": 0,
            "starts_on": "2026-03-01", "ends_on": "2027-03-01", "exceptions": ["2026-12-24"], "larger_than_bytes": 5_000_000,
            "exclusions": [{"kind": "photos", "under": "x"}], "reach": "only",
        }  # fmt: skip
        device, store, backup = self.one.id, self.nightly.store_id, self.backup.id
        restore = {
            "backup": str(backup),
            "everything": False,
            "kinds": ["contacts"],
            "items": [],
            "target": "archive",
            "device": None,
            "when_there": "skip",
        }
        wish = {
            "device": str(device),
            "items": [{"kind": "contacts", "id": "c001"}],
            "devices": [],
            "holder": None,
            "begins_on": "2026-12-01",
        }
        return {
            "sign_in": ("sign-in", {"username": "ines", "password": PASSWORD}),
            "first_administrator": ("first-administrator", {"office_name": "O", "zone": "UTC", "username": "x", "full_name": "", "password": PASSWORD}),
            "set_line": ("office/line", {"metered": True}),
            "change_office": ("office", {"name": "Office", "zone": "Europe/Berlin", "max_runs": 3, "limit_bytes_per_second": 1_000_000, "asks_holders_at": "15:00", "undo_days": 7, "unasked_share_percent": 20}),
            "drain_store": (f"stores/{store}/drain", {"into": str(store)}),
            "retire_store": (f"stores/{store}/retire", {"seen": "0" * 64, "word": "give up"}),
            "keep_drive": (f"drives/{store}", {"keeper": "Ines", "rests_in": "the safe"}),
            "make_rotation": ("drives/rotations", {"name": "Weekly", "every_days": 7, "first_day": "2026-03-02", "grace_days": 2, "drives": [str(store)]}),
            "write_to_holder": (f"devices/{device}/own-cloud/letter", {"subject": "Your account", "body": "It is full."}),
            "leave_sooner": (f"stores/{store}/room/sooner", {"why": "full", "word": "sooner"}),
            "ask_drill": ("drills", {"device": str(device), "store": None}),
            "set_drill_rules": ("drills/rules", {"a_day": 1, "most_minutes": 30, "most_bytes": 1 << 30, "limit_bytes_per_second": None, "wanted_days": 90}),
            "set_ages": ("office/ages", {"ages": {"journal": 400}}),
            "preview_ages": ("office/ages/preview", {"ages": {"journal": 400}}),
            "add_user": ("users", {"username": "new", "full_name": "New", "password": "a password of mine", "role": "auditor"}),
            "change_user": (f"users/{self.signed_as('piet').id}", {"full_name": "Piet", "role": "operator", "active": True}),
            "reset_password": (f"users/{self.signed_as('piet').id}/password", {"password": "a password of his"}),
            "change_own_password": ("me/password", {"current": PASSWORD, "new": PASSWORD, "again": PASSWORD}),
            "change_team": (f"teams/{self.team.id}", {"name": "Shore Crew"}),
            "change_holder": (f"holders/{self.holder.id}/change", {"name": "H", "team": "Shore Crew", "email": "h@office.example"}),
            "change_device": (f"devices/{device}/change", {"values_told": {"name": "Orlo H1", "purchased_on": "2020-01-01", "storage_total_bytes": "5"}, "seen": "", "word": ""}),
            "device_consequences": ("devices/change/consequences", {"devices": [str(device)], "values_told": {"state": "retired"}}),
            "change_devices": ("devices/change", {"devices": [str(device)], "values_told": {"note": "x"}}),
            "ask_run": (f"devices/{device}/run", {"note": "n", "occasion": "before_repair", "hold_until": "2027-01-01"}),
            "choose_kinds": (f"devices/{device}/kinds", {"kinds": ["contacts"], "taken": False, "service": "Groupware", "alike": False, "why": "w"}),
            "accept_omission": (f"runs/{self.backup.run_id}/accept", {"path": "a", "code": "denied", "alike": True, "why": "w"}),
            "note_backup": (f"backups/{backup}/note", {"note": "n"}),
            "hold_backup": (f"backups/{backup}/hold", {"reason": "r", "until": "2027-01-01"}),
            "keep_after_all": ("leaving/keep", {"backups": [str(backup)], "reason": "r", "until": "2027-01-01"}),
            "still_needed": ("holds/still-needed", {"backups": [str(backup)], "why": "w"}),
            "hold_many": ("holds", {"device": str(device), "holder": None, "team": None, "first_day": "2026-01-01", "last_day": "2026-12-31", "reason": "r", "until": None}),
            "freed_by_removal": ("backups/remove/bytes", {"backups": [str(backup)], "device": None, "store": str(store)}),
            "freed_by_plan": ("plans/consequences/bytes", plan | {"id": str(self.nightly.id), "devices": [str(device)]}),
            "preview_hold": ("holds/preview", {"device": None, "holder": None, "team": None, "first_day": "2026-01-01", "last_day": "2026-12-31"}),
            "set_allowance": (
                f"stores/{store}/allowances",
                {"team": None, "device": str(device), "soft_bytes": 5_000_000, "soft_counts": "fair", "grace_days": 3, "hard_bytes": 9_000_000},
            ),
            "sum_of_room": (f"stores/{store}/room/sum", {"moves": []}),
            "propose_room": (f"stores/{store}/room/proposal", {"bytes": 1000, "until": None}),
            "look_at_room": (f"stores/{store}/room/look", {"moves": ["waste"]}),
            "make_room": (f"stores/{store}/room/make", {"moves": ["waste"], "why": "it is full", "seen": "x", "word": ""}),
            "preview_removal": ("backups/remove/preview", {"backups": [str(backup)], "device": None, "store": str(store)}),
            "remove_backups": ("backups/remove", {"backups": [str(backup)], "device": None, "store": None, "why": "w", "seen": "0" * 64, "word": "remove"}),
            "preview_erasure": ("erasures/preview", wish),
            "ask_erasure": ("erasures", wish | {"reference": "r", "word": "erase", "seen": "0" * 64, "forgets_names": False}),
            "take_erased_again": (f"erasures/{uuid4()}/take-again", {"why": "w"}),
            "call_off_erasure": (f"erasures/{uuid4()}/call-off", {"why": "w"}),
            "freeze": ("freezes", {"store": str(store), "team": None, "reason": "r"}),
            "lift_freeze": (f"freezes/{uuid4()}/lift", {"why": "w"}),
            "plan_consequences": ("plans/consequences", plan | {"id": str(self.nightly.id), "devices": [str(device)]}),
            "set_exception": ("exceptions", EXCEPTION | {"store": str(store), "why": "w", "seen": "", "word": ""}),
            "exception_consequences": ("exceptions/consequences", EXCEPTION | {"store": str(store)}),
            "settle_date": (f"backups/{backup}/date", {"at": "2026-03-01T00:00:00Z"}),
            "copy_backup": (f"backups/{backup}/copy", {"store": str(store)}),
            "check_store": (f"stores/{store}/check", {"percent": 10}),
            "create_store": ("stores", {"name": "S", "path": "/stores/s", "passphrase": PASSPHRASE, "passphrase_again": PASSPHRASE, "allowance_bytes": 5_000_000}),
            "attach_store": ("stores/attach", {"name": "A", "path": "/stores/s", "passphrase": PASSPHRASE, "allowance_bytes": None}),
            "change_store": (f"stores/{store}", {"name": "S", "allowance_bytes": 9_000_000, "off_site": True, "max_writers": 2, "path": "", "checks": {"days": 14, "limit_bytes_per_second": None}}),
            "take_found": (f"stores/{store}/found", {"key": "k", "device": None}),
            "take_office": (f"stores/{store}/offices", {"server": "00" * 16}),
            "give_back_found": (f"stores/{store}/give-back", {"device": str(device)}),
            "add_slot": (f"stores/{store}/slots", {"kind": "passphrase", "label": "Piet", "passphrase": PASSPHRASE, "passphrase_again": PASSPHRASE}),
            "change_slot": (f"stores/{store}/slots/{'0' * 32}", {"old": "o", "passphrase": PASSPHRASE, "passphrase_again": PASSPHRASE}),
            "set_store_mode": (f"stores/{store}/mode", {"mode": "in_use", "why": "w"}),
            "try_place": ("stores/try", {"medium": "folder", "path": "/stores/t", "address": {}}),
            "prove_passphrase": (f"stores/{store}/prove-passphrase", {"passphrase": PASSPHRASE}),
            "add_plan": ("plans", plan | {"name": "Other", "devices": [str(device)]}),
            "change_plan": (f"plans/{self.nightly.id}", plan | {"devices": [str(device)]}),
            "preview_plan": ("plans/preview", plan),
            "run_cause": ("causes/run", {"code": "late"}),
            "pause": ("pauses", {"plan": None, "device": str(device), "until": "2026-12-01", "reason": "r"}),
            "add_closed_day": ("closed-days", {"day": "2026-12-24", "name": "Eve"}),
            "read_calendar": ("closed-days/read", {"calendar": "BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n", "confirmed": False}),
            "ask_restore": ("restores", restore),
            "preflight": ("preflight", restore | {"target": "device", "device": str(device)}),
            "change_wishes": ("me/wishes", {"email": "i@office.example", "wants_digest": True, "digest_at": "08:00", "wants_alerts": True, "quiet_from": "20:00", "quiet_until": "07:00"}),
            "add_hook": ("hooks", {"name": "H", "address": "https://hook.example/x", "inside": False, "signs_of_life": False}),
            "scan_import": ("imports", {"path": "/srv/old"}),
            "meet_sftp": ("devices/sftp/meet", {"host": "127.0.0.1", "port": 9}),
            "pair_device": ("devices/pair", {"agent_id": "p9", "code": "ABCD2345", "name": "N", "holder": "H", "team": "T", "registered": None}),
            "add_folder": ("devices/folder", {"path": "/srv/phone", "name": "N", "holder": "H", "team": "", "registered": None}),
            "adopt_stray": ("strays/1/adopt", {"device": str(device)}),
            "sign_wipe_answer": (f"devices/{device}/wipe", {"note": "n"}),
        }  # fmt: skip

    def signed_as(self, username: str) -> User:
        return User.objects.get(username=username)
