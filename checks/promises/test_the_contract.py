"""Every operation of the contract is sent what its own schema allows and forbids, and answers as the contract says.

Drawn by schemathesis from the schema, so many draws an operation, the same ones each time. Addresses are those of rows that there
are as often as not. Each draw is taken back: what one operation removes, the next one still has.
"""

import json
from collections.abc import Iterator
from typing import Any
from urllib.parse import urlencode

import requests
import schemathesis
from django.conf import settings as django_settings
from django.db import transaction
from django.http import HttpResponse
from hypothesis import HealthCheck, Phase, given, seed, settings
from schemathesis.core import NotSet
from schemathesis.core.failures import Failure, FailureGroup
from schemathesis.core.transport import Response

from checks.promises.bodies import Bodies

DRAWS = 3
"""Of each operation and way: with its schema kept, and with it broken."""
ELSEWHERE = {"live"}
"""Never ends."""
CONTRACT = schemathesis.openapi.from_path(str(django_settings.ROOT / "contract" / "openapi.yaml"))


class EveryOperation(Bodies):
    maxDiff = None

    def furnish(self) -> None:
        super().furnish()
        self.wrong: dict[str, str] = {}
        self.sent, self.good = 0, 0
        bodies = self.bodies()
        self.addresses = {operation: f"/api/{address}" for operation, (address, _) in bodies.items()}

    def test_answers_as_the_contract_says_whatever_it_is_sent(self) -> None:
        operations = [one.ok() for one in CONTRACT.get_all_operations()]
        self.assertGreater(len(operations), 200)
        for operation in operations:
            id = operation.definition.raw["operationId"]
            if id in ELSEWHERE:
                continue
            for mode in (schemathesis.GenerationMode.POSITIVE, schemathesis.GenerationMode.NEGATIVE):
                for case in _drawn(operation, mode):
                    self.send(id, case)
        self.assertEqual(self.wrong, {})
        self.assertGreater(self.good, 300, "hardly anything was let in")
        self.assertGreater(self.sent, 1200)

    def send(self, id: str, case: schemathesis.Case) -> None:
        self.sent += 1
        with transaction.atomic():
            self.judged(id, case, self.answered(id, case))
            transaction.set_rollback(True)

    def answered(self, id: str, case: schemathesis.Case) -> HttpResponse:
        address = case.formatted_path if self.sent % 2 else self.known(id, case)
        query = urlencode({name: value for name, value in (case.query or {}).items() if isinstance(value, str | int | float)})
        more: dict[str, Any] = {}
        if not isinstance(case.body, NotSet) and case.method.lower() != "get":
            more = {"data": _text(case.body), "content_type": "application/json"}
        call = getattr(self.api, case.method.lower())
        return call(f"{address}?{query}" if query else address, **more)

    def known(self, id: str, case: schemathesis.Case) -> str:
        """The address of a row that there is, where one is known."""
        if id in self.addresses:
            return self.addresses[id]
        first = case.path.split("/")[2].rstrip("s")
        ids = {"device": self.one.id, "backup": self.backup.id, "run": self.backup.run_id, "store": self.nightly.store_id, "plan": self.nightly.id,
               "team": self.team.id, "holder": self.holder.id}  # fmt: skip
        if first not in ids:
            return case.formatted_path
        return case.path.replace("{id}", str(ids[first])) if "{" not in case.path.replace("{id}", "") else case.formatted_path

    def judged(self, id: str, case: schemathesis.Case, answer: HttpResponse) -> None:
        what = f"{id} {answer.request['PATH_INFO']} {'' if isinstance(case.body, NotSet) else _text(case.body)[:200]}"
        if answer.status_code >= 500:
            self.wrong.setdefault(f"{id} {answer.status_code}", what)
            return
        self.good += answer.status_code < 300
        content = b"".join(answer) if answer.streaming else answer.content
        headers = {name.lower(): [value] for name, value in answer.headers.items()}
        asked = requests.Request(case.method, "http://testserver" + answer.request["PATH_INFO"]).prepare()
        response = Response(answer.status_code, headers, content, asked, 0.0, False)
        try:
            case.operation.validate_response(response)
        except (Failure, FailureGroup) as error:
            self.wrong.setdefault(f"{id} {answer.status_code}", f"{what}: {str(error)[:400]} ← {content[:200]!r}")


def _text(body: Any) -> str:
    return json.dumps(body, default=lambda one: one.decode("latin-1") if isinstance(one, bytes) else str(one))


def _drawn(operation: Any, mode: schemathesis.GenerationMode) -> Iterator[schemathesis.Case]:
    seen: list[schemathesis.Case] = []

    @seed(7)
    @settings(
        max_examples=DRAWS, database=None, derandomize=False, deadline=None, phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(case=operation.as_strategy(generation_mode=mode))
    def draw(case: schemathesis.Case) -> None:
        seen.append(case)

    draw()
    return iter(seen)
