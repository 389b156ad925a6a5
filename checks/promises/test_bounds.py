"""The last value that is right and the first that is not, of every bound: one table, sent to the operations themselves."""

from datetime import date, timedelta
from typing import Any

import yaml
from django.conf import settings
from django.db import transaction

from checks.promises.bodies import Bodies
from server.people.models import Holder

KIB, MIB = 1024, 1 << 20
DAYS = timedelta(days=1)
TODAY = date(2026, 3, 2)

BOUNDS: tuple[tuple[str, str, Any, Any], ...] = (
    # operation, field, the last that is right, the first that is not
    ("change_office", "name", "x" * 120, "x" * 121),
    ("change_office", "max_runs", 1, 0),
    ("change_office", "max_runs", 32, 33),
    ("change_office", "limit_bytes_per_second", 16 * KIB, 16 * KIB - 1),
    ("change_office", "undo_days", 1, 0),
    ("change_office", "undo_days", 90, 91),
    ("change_office", "unasked_share_percent", 0, -1),
    ("change_office", "unasked_share_percent", 100, 101),
    ("add_user", "username", "x" * 60, "x" * 61),
    ("add_user", "username", "a.b_c-d", "a b"),
    ("add_user", "password", "p4ssword#1", "p4ssword#"),
    ("set_ages", "ages.journal", 365, 364),
    ("change_team", "name", "x" * 80, "x" * 81),
    ("change_holder", "name", "x" * 120, "x" * 121),
    ("add_plan", "name", "x" * 80, "x" * 81),
    ("add_plan", "promise_seconds", 3600, 3599),
    ("add_plan", "own_cloud_seconds", 3600, 3599),
    ("add_plan", "own_cloud_seconds", 366 * 86_400, 366 * 86_400 + 1),
    ("pair_device", "name", "x" * 120, "x" * 121),
    ("pair_device", "code", "ABCD2345", "ABCD234"),
    ("change_store", "name", "x" * 80, "x" * 81),
    ("change_store", "max_writers", 1, 0),
    ("change_store", "max_writers", 32, 33),
    ("change_store", "checks.days", 1, 0),
    ("change_store", "checks.days", 365, 366),
    ("change_store", "checks.limit_bytes_per_second", 16 * KIB, 16 * KIB - 1),
    ("create_store", "name", "x" * 80, "x" * 81),
    ("set_allowance", "grace_days", 0, -1),
    ("set_allowance", "grace_days", 365, 366),
    ("add_slot", "label", "x" * 80, "x" * 81),
    ("set_drill_rules", "a_day", 0, -1),
    ("set_drill_rules", "a_day", 50, 51),
    ("set_drill_rules", "most_minutes", 1, 0),
    ("set_drill_rules", "most_minutes", 600, 601),
    ("set_drill_rules", "most_bytes", 16 * MIB, 16 * MIB - 1),
    ("set_drill_rules", "limit_bytes_per_second", 16 * KIB, 16 * KIB - 1),
    ("set_drill_rules", "wanted_days", 1, 0),
    ("set_drill_rules", "wanted_days", 1000, 1001),
    ("note_backup", "note", "x" * 200, "x" * 201),
    ("hold_backup", "reason", "x" * 200, "x" * 201),
    ("hold_backup", "until", TODAY + DAYS, TODAY - DAYS),
    ("write_to_holder", "subject", "x" * 180, "x" * 181),
    ("write_to_holder", "body", "x" * 4000, "x" * 4001),
    ("add_hook", "name", "x" * 80, "x" * 81),
)  # fmt: skip

CALLED = {"ages.journal": "journal", "checks.days": "check_days", "checks.limit_bytes_per_second": "check_limit_bytes_per_second"}
"""As the answers of a store, and the list of ages, call what lies within another field of the body."""


class EveryBound(Bodies):
    maxDiff = None

    def furnish(self) -> None:
        super().furnish()
        self.outside.devices["p9"] = self.outside.devices["p1"]
        Holder.objects.update(email="h@office.example")

    def sent(self, operation: str, field: str, value: Any) -> Any:
        """The answer to a body that is right but for that; whatever it did is taken back."""
        address, body = self.bodies()[operation]
        outer, _, inner = field.partition(".")
        body = body | {outer: {**body[outer], inner: value} if inner else value}
        with transaction.atomic():
            answer = getattr(self.api, METHODS[operation])(f"/api/{address}", body, format="json")
            transaction.set_rollback(True)
        return answer

    def test_lies_where_the_table_says(self) -> None:
        wrong = []
        for operation, field, last, first in BOUNDS:
            inside, beyond = self.sent(operation, field, last), self.sent(operation, field, first)
            if inside.status_code >= 300:
                wrong.append(f"{operation}.{field} {str(last)[:20]}: {inside.content.decode()[:200]}")
            if beyond.status_code != 400:
                wrong.append(f"{operation}.{field} {str(first)[:20]} is taken: {beyond.status_code}")
            elif (named := beyond.json()["field"]) != CALLED.get(field, field):
                wrong.append(f"{operation}.{field} {str(first)[:20]} is refused for {named}")
        self.assertEqual(wrong, [])


def _methods() -> dict[str, str]:
    contract = yaml.safe_load((settings.ROOT / "contract" / "openapi.yaml").read_text())
    return {one["operationId"]: method for methods in contract["paths"].values() for method, one in methods.items() if "operationId" in one}


METHODS = _methods()
