"""A sentence that is refused leaves nothing behind, and no input makes an error of the server.

Every body of the contract is sent with each of its fields at and beyond its limits, one at a time, on a furnished
office; then every page is opened. The bodies that are right come from the table below, the fields and their types
from the contract itself, so that a new field is tried without anybody thinking of it.
"""

import json
import re
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from uuid import uuid4

import yaml
from django.conf import settings
from django.test import Client

from checks.promises.bodies import Bodies
from checks.promises.test_one_bad_row import PAGES
from server.api.schema import PLAIN
from server.fleet.models import Device
from server.people.models import JournalEntry
from server.tests.pretend import OfficeTestCase

CONTRACT = yaml.safe_load((Path(settings.ROOT) / "contract" / "openapi.yaml").read_text())
TEXTS = ["", " ", "x" * 70_000, "\x00", "../../etc/passwd", "/etc/shadow", "=cmd|' /C calc'!A0", "‮evil", "\ud800", "💾" * 300, "NaN", "-1"]
NUMBERS = [-1, 0, 1, 32_767, 32_768, 2**31 - 1, 2**31, 2**63 - 1, 2**63, 10**40, -(2**63) - 1, 1.5, float("1e308")]
DATES = ["0001-01-01", "1969-12-31", "2199-12-31", "2200-01-01", "9999-12-31", "2026-02-30", "10000-01-01", "0000-00-00"]
MOMENTS = [f"{day}T00:00:00Z" for day in DATES] + ["0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59-12:00", "2026-01-01T25:00:00Z"]
TIMES = ["24:00", "23:59:59.999999", "-1:00", "99:99"]
WITHOUT_A_BODY_OF_THEIR_OWN = {
    "add_sftp", "take_import", "change_hook", "change_rotation", "change_link", "import_register", "keep_export", "pair_again", "preview_import", "preview_rules", "put_off",
    "settle_anomaly",
}  # fmt: skip
"""What needs a row or a device that this office lacks: sent with nothing right in it."""
ODD: list[Any] = [None, [], {}, [[]], "", True, 0, [None], {"x": {"y": []}}, ["x"] * 6000]


class EveryFieldOfEveryBody(Bodies):
    def furnish(self):
        super().furnish()
        self.wrong: list[str] = []

    def operations(self) -> Iterator[tuple[str, str, str, dict[str, Any]]]:
        """(operation, method, path of the contract, schema of its body) of everything that takes a JSON body."""
        for path, methods in CONTRACT["paths"].items():
            for method, operation in methods.items():
                content = operation.get("requestBody", {}).get("content", {}).get("application/json")
                if content:
                    yield operation["operationId"], method, path, _resolved(content["schema"])

    def test_is_read_or_refused_and_never_an_error_of_the_server(self):
        tried, right, unknown_names = 0, self.bodies(), list[str]()
        elsewhere = Counter[tuple[str, str]]()
        unknown = []
        for number, (operation, method, path, schema) in enumerate(self.operations()):
            address, body = right.get(operation, (None, None))
            if address is None:
                unknown.append(operation)
                address, body = path.removeprefix("/api/"), {}
                for part in ("id", "one", "two"):
                    address = address.replace("{%s}" % part, str(uuid4()) if operation not in ("change_team",) else "1")  # noqa: UP031
            there = re.fullmatch(re.sub(r"\\{\w+\\}", "[^/]+", re.escape(path.removeprefix("/api/"))), address)
            if not there or (unknown_names := [name for name in body if name not in schema.get("properties", {})]):
                self.wrong.append(f"{operation} lies at {path}, and not at {address}; or does not know {unknown_names}")
            for field, values in _tries(schema, body):
                # a field that many bodies have in common, of one type, is tried with each value once, and in each body with some of them
                alike = (field, str(values)[:200])
                some = slice(elsewhere[alike] % 6, None, 6) if elsewhere[alike] else slice(None)
                elsewhere[alike] += 1
                for value in values[some]:
                    self.send(method, address, {**body, field: value}, f"{operation}.{field}={str(value)[:60]!r}")
                    tried += 1
            for odd in ODD[number % 3 :: 3]:
                self.send(method, address, odd, f"{operation} body {str(odd)[:40]!r}")
        self.assertEqual(self.wrong, [])
        self.assertGreater(tried, 1500)
        self.assertLessEqual(set(unknown), WITHOUT_A_BODY_OF_THEIR_OWN)
        self.pages()

    def send(self, method: str, address: str, body: Any, what: str) -> None:
        text = json.dumps(body)
        answer = getattr(self.api, method)(f"/api/{address}", text, content_type="application/json")
        if answer.status_code >= 500 or (answer.status_code >= 400 and answer["Content-Type"] != "application/problem+json"):
            self.wrong.append(f"{answer.status_code} {what}")

    def pages(self) -> None:
        for page in PAGES:
            self.assertLess(self.api.get(f"/api/{page}").status_code, 500, page)
        for device in Device.objects.all()[:20]:
            for page in ("", "/backups", "/coverage", "/wipe", "/link", "/readiness"):
                self.assertLess(self.api.get(f"/api/devices/{device.id}{page}").status_code, 500, page)


def _resolved(schema: dict[str, Any]) -> dict[str, Any]:
    while "$ref" in schema:
        schema = CONTRACT["components"]["schemas"][schema["$ref"].rpartition("/")[2]]
    return schema


def _tries(schema: dict[str, Any], body: dict[str, Any]) -> Iterator[tuple[str, list[Any]]]:
    for field, schema_of_field in schema.get("properties", {}).items():
        whole = _resolved(schema_of_field["allOf"][0]) if "allOf" in schema_of_field else _resolved(schema_of_field)
        kind, shape = whole.get("type"), whole.get("format", "")
        if kind in ("integer", "number"):
            yield field, [*NUMBERS, "5", None]
        elif kind == "boolean":
            yield field, ["maybe", 7, None]
        elif kind == "array":
            yield field, [[], ["x"] * 500, [None], "x", [{}], [body.get(field, ["x"])] * 2]
        elif shape == "date":
            yield field, [*DATES, "", 5]
        elif shape == "date-time":
            yield field, [*MOMENTS, "soon", 5]
        elif whole.get("pattern") == PLAIN["time"]:
            yield field, [*TIMES, "", 5]
        elif kind == "object" or "properties" in whole:
            yield (
                field,
                [{}, [], "x", {"shape": "rule", "rule": "FREQ=SECONDLY"}, {"shape": "rule", "rule": "FREQ=YEARLY;BYMONTHDAY=31;BYMONTH=2"}],
            )
        else:
            yield field, [*TEXTS, None, 5, ["x"]]


class WhatIsNoBody(OfficeTestCase):
    """Depth, nonsense and odd addresses; from strangers, too."""

    def test_nested_beyond_reason_is_refused_also_from_strangers(self):
        for depth in (50, 5_000, 200_000):
            for text in ("[" * depth + "]" * depth, '{"a":' * depth + "1" + "}" * depth):
                for address in ("sign-in", "first-administrator", "plans", "users"):
                    answer = self.client.post(f"/api/{address}", text, content_type="application/json")
                    self.assertIn(answer.status_code, (400, 401, 403), f"{address} {depth}")
                self.assertEqual(self.api.post("/api/plans", text, content_type="application/json").status_code, 400)

    def test_odd_addresses_are_problem_documents(self):
        for address in (
            "night?night=9999-12-31", "night?night=0001-01-01", "report?month=0000-01", "report?month=9999-12", "runs?night=9999-12-31",
            "devices/not-an-id", "runs/0", "backups/../..", "runs/export.%00", "runs/export.x%0d%0aX:1", "runs/export.exe", "runs/export.a%22;b",
            "strays/99999999999999999999/adopt", "teams/99999999999999999999", "nothing/here", "closed-days/0000-00-00", "devices?page=999999999999999999999",
            "journal?device=x", "runs?page_size=-1", "backups/%F0%9F%92%BE",
        ):  # fmt: skip
            answer = self.api.get(f"/api/{address}")
            self.assertLess(answer.status_code, 500, address)
            if answer.status_code >= 400:
                self.assertEqual(answer["Content-Type"], "application/problem+json", address)

    def test_a_host_of_two_hundred_letters(self):
        for host in ("a" * 200, "a" * 64 + ".example", "ä" * 100, "..", "-", "a..b", "[::1", "\u2024"):
            answer = self.api.post("/api/devices/meet", {"host": host, "port": 22}, format="json")
            self.assertLess(answer.status_code, 500, host)

    def test_an_answer_that_cannot_be_made_leaves_nothing_behind(self):
        from unittest import mock

        one = self.device()
        plan = self.plan(one)
        body = {
            "name": "Second", "kinds": ["contacts"], "pattern": {"shape": "every_night"}, "starts_at": "22:00", "window_closes": "06:00",
            "store": str(plan.store_id), "promise_seconds": 172_800, "keep_last": 2, "keep_daily": 3, "keep_weekly": 0, "keep_monthly": 0,
            "devices": [str(one.id)],
        }  # fmt: skip
        lines = JournalEntry.objects.count()
        with mock.patch("server.plans.api.views.PlanSerializer.get_pause", side_effect=OverflowError("date value out of range")):
            client = Client(raise_request_exception=False)
            client.force_login(self.ines)
            self.assertEqual(client.post("/api/plans", json.dumps(body), content_type="application/json").status_code, 500)
        self.assertEqual((type(plan).objects.count(), JournalEntry.objects.count()), (1, lines))
        self.assertEqual(type(plan).objects.get().assignments.count(), 1)
