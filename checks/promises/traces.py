"""What a deed leaves behind, as text: its answer, each row that is other than before, what it put in line, what it told the screens.

A story is a list of deeds, each done in the same furnished office and taken back; what they leave is written down beside the tests
and read by people. `ATTIC_DEEDS=write` writes it anew.
"""

import json
import os
import re
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from datetime import date, datetime, time
from http.cookies import SimpleCookie
from pathlib import Path
from random import Random
from time import monotonic
from typing import Any
from unittest import mock
from uuid import UUID

from django.apps import apps
from django.db import connection, models, transaction
from django.http import HttpResponse
from django.utils.timezone import is_aware
from procrastinate.contrib.django.models import ProcrastinateJob

from checks.promises.bodies import Bodies
from core.errors import AtticError
from server.tests.outside import MORNING

WRITTEN = Path(__file__).parent / "left_behind"
WRITES = os.environ.get("ATTIC_DEEDS") == "write"
LONGEST = 4000
"""Letters of an answer that are told."""
OF_CHANCE = {"identity", "password", "agent_key", "secret", "sealed", "date_joined", "last_login", "bytes_per_second", "file_start"}
TELL = [
    f"server.{module}.TELL_EVERY_SECONDS"
    for module in ("runs.actions.watch_run", "runs.actions.carry_copies", "recovery.actions.carry_out")
]
"""How often it is told how far something is depends on the machine: in a story once, and where another stage begins."""
ID = re.compile(r"\b[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}\b|\b[0-9a-f]{32,64}\b")
Rows = dict[tuple[str, Any], dict[str, str]]


class Traced(Bodies):
    """Ids are given in the same order each time, and the clock begins anew with each deed."""

    maxDiff = 20_000
    story: str
    place = ""
    """A folder that is another one each time."""
    _before: "Rows"
    _known: "Rows | None"

    @classmethod
    def setUpTestData(cls) -> None:
        with _same_ids(1):
            super().setUpTestData()

    def setUp(self) -> None:
        super().setUp()
        self.enterContext(_same_ids(2))
        for seconds in TELL:
            self.enterContext(mock.patch(seconds, monotonic() / 2))
        self.deeds: list[str] = []
        self.day = MORNING.replace(hour=9)
        self._number, self._known = 0, None
        self._signed = SimpleCookie(self.api.cookies.output(header="", sep=";"))

    def deed(self, title: str, call: Callable[[], Any]) -> Any:
        """Done, written down and taken back; what it answers."""
        with transaction.atomic():
            answer = self.lasting(title, call)
            transaction.set_rollback(True)
        self._known = self._before
        return answer

    def lasting(self, title: str, call: Callable[[], Any]) -> Any:
        """Done and written down."""
        self._number += 1
        self.outside.at, self.outside._random = self.day.replace(minute=self._number % 60), Random(self._number)
        self.api.cookies.clear()
        self.api.cookies.update(self._signed)
        before, counted, news = self._known or _rows(), _counts(), list[str]()
        with _same_ids(100 + self._number), connection.execute_wrapper(_heard(news)):
            try:
                answer = call()
            except AtticError as error:
                answer = error
        self._before, self._known = before, _rows(before, {table for table, count in _counts().items() if count != counted.get(table)})
        lines = [f"== {title}", *_answered(answer), *_changes(before, self._known), *(f"  → {one}" for one in news)]
        self.deeds.append(_with_names("\n".join(lines).replace(self.place, "/the/folder") if self.place else "\n".join(lines)))
        if WRITES:
            (WRITTEN / f"{self.story}.txt").write_text(self._text())
        return answer

    def _text(self) -> str:
        return "\n\n".join(self.deeds) + "\n"

    def asked(self, title: str, what: str, *, lasts: bool = False, who: str = "ines", **body: Any) -> Any:
        """A request, `what` being its method and its address. What is in line from before is gone: what waits is not put there twice."""
        self.nothing_waits()
        method, _, address = what.partition(" ")
        send = self.lasting if lasts else self.deed
        return send(
            title, lambda: getattr(self.api if who == "ines" else self.signed_in(who), method)(f"/api/{address}", body, format="json")
        )

    def meanwhile(self, rows: models.QuerySet[Any], **fields: Any) -> None:
        """Between two deeds, and told of neither."""
        rows.update(**fields)
        self._known = None

    def nothing_waits(self) -> None:
        """What was in line is lost, as by a worker that ended."""
        ProcrastinateJob.objects.all()._raw_delete("default")
        if self._known:
            self._known = {key: row for key, row in self._known.items() if not key[0].startswith("in line")}

    def ends(self) -> None:
        """The story is the one that is written down."""
        text, file = self._text(), WRITTEN / f"{self.story}.txt"
        self.assertEqual(text.splitlines(), file.read_text().splitlines(), f"If it should be so: ATTIC_DEEDS=write, and read {file.name}.")


@contextmanager
def _same_ids(seed: int) -> Iterator[None]:
    random = Random(seed)
    with connection.cursor() as cursor:
        cursor.execute(
            "select setval(quote_ident(sequencename)::regclass, %s) from pg_sequences where sequencename !~ '^django_'", [seed * 10]
        )
    with mock.patch("os.urandom", random.randbytes), mock.patch("random._urandom", random.randbytes):
        yield


def _heard(news: list[str]) -> Callable[..., Any]:
    def listen(execute: Callable[..., Any], sql: str, params: Any, many: bool, context: Any) -> Any:
        if "pg_notify" in sql and params and "{" in str(params[-1]):
            news.append(str(params[-1]))
        return execute(sql, params, many, context)

    return listen


def _counts() -> dict[str, int]:
    """Of each table, how many rows this transaction has written, changed or removed so far, as PostgreSQL counts them."""
    with connection.cursor() as cursor:
        cursor.execute("select relname, n_tup_ins + n_tup_upd + n_tup_del from pg_stat_xact_user_tables")
        return dict(cursor.fetchall())


def _rows(before: Rows | None = None, touched: Collection[str] = ()) -> Rows:
    """Everything that the application keeps, and what waits in line; with `before`, only what was touched since is read."""
    seen: Rows = {}
    for model in apps.get_models():
        if not model.__module__.startswith("server."):
            continue
        if before is not None and model._meta.db_table not in touched:
            seen |= {key: row for key, row in before.items() if key[0] == model.__name__}
        else:
            for row in model._default_manager.all():
                fields = ((one.attname, getattr(row, one.attname)) for one in model._meta.concrete_fields)
                seen[model.__name__, row.pk] = {name: _text(name, value) for name, value in fields}
    for job in ProcrastinateJob.objects.all():
        waits = {"args": job.args, "lock": job.lock, "once": job.queueing_lock, "at": job.scheduled_at, "pool": job.queue_name}
        seen[f"in line: {job.task_name.rpartition('.')[2]}", job.pk] = {name: _text(name, value) for name, value in waits.items()}
    return seen


def _text(name: str, value: Any) -> str:
    """To the minute: how often the clock was asked is nobody's business."""
    if name in OF_CHANCE and value:
        return "…"
    if isinstance(value, UUID):
        return str(value)
    if isinstance(value, bytes | memoryview):
        return f"{len(value)} bytes"
    if isinstance(value, datetime):
        return f"{value:%Y-%m-%d %H:%MZ}" if is_aware(value) else f"{value:%Y-%m-%d %H:%M}"
    if isinstance(value, dict | list):
        return json.dumps(value, sort_keys=True, ensure_ascii=False, default=str)
    return "" if value is None else str(value) if isinstance(value, date | time | bool | int | models.Choices) else repr(value)


def _answered(answer: Any) -> list[str]:
    if isinstance(answer, HttpResponse):
        text = b"".join(answer).decode(errors="replace") if answer.streaming else answer.content.decode(errors="replace")  # type: ignore[arg-type]
        kind = answer.headers.get("Content-Type", "")
        says = json.dumps(json.loads(text), ensure_ascii=False) if "json" in kind and text else f"{kind} {text[:200]}" if text else ""
        return [f"  {answer.status_code} {says[:LONGEST]}"]
    if isinstance(answer, AtticError):
        return [f"  refused: {type(answer).__name__}: {answer.message} {answer.remedy}"]
    return [f"  {answer!r}"] if isinstance(answer, bool | int | str | tuple) else []


def _changes(before: Rows, after: Rows) -> list[str]:
    lines = []
    for key in after.keys() - before.keys():
        lines.append(
            f"  + {key[0]} " + ", ".join(f"{name} {value}" for name, value in after[key].items() if value not in ("", "''", "[]", "{}"))
        )
    for key in before.keys() - after.keys():
        lines.append(f"  - {key[0]} {key[1]}")
    for key in before.keys() & after.keys():
        changed = [f"{name} {value or '–'} → {after[key][name] or '–'}" for name, value in before[key].items() if value != after[key][name]]
        lines += [f"  ~ {key[0]} {key[1]}: {', '.join(changed)}"] if changed else []
    return sorted(lines, key=lambda line: (ID.sub("", line), line))


def _with_names(text: str) -> str:
    """Ids as they come, by number; moments to the minute."""
    counted: dict[str, int] = {}
    for id in ID.findall(text):
        counted.setdefault(id.replace("-", ""), len(counted) + 1)
    text = ID.sub(lambda match: f"#{counted[match[0].replace('-', '')]}", text)
    text = re.sub(r'("bytes_per_second": ?)[\d.]+', r"\1…", text)
    return re.sub(r"(\d{4}-\d\d-\d\d)T(\d\d:\d\d):\d\d(\.\d+)?(Z|\+\d\d:\d\d)", r"\1 \2\4", text)
