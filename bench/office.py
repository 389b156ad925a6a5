"""What the server's two busiest pages cost with 500 devices and three years of nightly runs, on a throw-away database.

The rows are put in by COPY, without anybody reading a byte; the questions are asked through the real views.
"""

import json
import os
import random
import shutil
import tempfile
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path
from statistics import median
from typing import Any

from bench.figures import Figure
from launcher.cluster import Cluster
from launcher.processes import free_port
from launcher.setup import ROOT

DEVICES, NIGHTS = 500, 1100
ASKED = 15
"""Times that each page is asked for; the median counts."""
STORES = 5
QUERIES = {"/api/today": 21, "/api/runs": 5, "/api/runs/totals": 4, "/api/stores": 5, "/api/copies/sums": 3, "/api/copies": 4}
"""No page may need more, whatever the number of rows."""
QUERIES_OF_A_STORE = 5


@contextmanager
def large_office(*, devices: int = DEVICES, nights: int = NIGHTS) -> Iterator[tuple[dict[str, str], str]]:
    """A throw-away office with its history: the environment for processes that serve it, and its size in words."""
    data = Path(tempfile.mkdtemp(prefix="attic-bench-office-"))
    data.chmod(0o755)
    cluster = Cluster(data, free_port(), fast=True)
    try:
        cluster.start()
        cluster.make_database("attic")
        own = {
            "DJANGO_SETTINGS_MODULE": "server.project.settings", "ATTIC_DATA": str(data), "ATTIC_DATABASE_PORT": str(cluster.port),
            "ATTIC_ANNOUNCEMENTS_URL": "",
        }  # fmt: skip
        os.environ |= own
        import django
        from django.core.management import call_command

        django.setup()
        call_command("migrate", verbosity=0, interactive=False)
        began = time.monotonic()
        rows = _filled(devices, nights)
        words = f"{devices} devices, {rows:,} runs (put in within {time.monotonic() - began:.0f} s)".replace(",", "\u202f")
        yield {**os.environ, "PYTHONPATH": str(ROOT)}, words
    finally:
        cluster.remove()
        shutil.rmtree(data, ignore_errors=True)


def answers(*, devices: int = DEVICES, nights: int = NIGHTS) -> Iterator[Figure]:
    """Today, a page of the history with and without a filter, and its totals. Raises AssertionError for a page that asks more often."""
    with large_office(devices=devices, nights=nights) as (_, words):
        yield from asked(words)


def stores_asked(words: str) -> Iterator[Figure]:
    """What Storage and the page of a store ask the server that Django is set up for."""
    from server.storage.models import Store

    yield from _pages(
        words,
        ("Storage: its stores", "/api/stores", 150, 100),
        ("Storage: sums of copies", "/api/copies/sums", 150, 100),
        ("Storage: the next copies", "/api/copies?page_size=8", 150, 100),
        ("a store's page", f"/api/stores/{Store.objects.order_by('name')[2].id}", 150, 100),
    )


def asked(words: str) -> Iterator[Figure]:
    """The pages of the office that Django is set up for."""
    yield from _pages(
        words,
        ("today", "/api/today", 150, 100),
        ("history", "/api/runs", 150, 100),
        ("history of a team's failures", "/api/runs?team=1&outcome=did_not", 150, 100),
        ("history's totals", "/api/runs/totals?first=2026-09-01", 400, 200),
    )


def _pages(words: str, *pages: tuple[str, str, float, float]) -> Iterator[Figure]:
    """(name, address, good, wanted) of each. Raises AssertionError for a page that asks more often."""
    ask = _asking()
    for name, path, good, wanted in pages:
        spent, queries, size = ask(path)
        limit = QUERIES.get(path.partition("?")[0], QUERIES_OF_A_STORE)
        assert queries <= limit, f"{path} asks the database {queries} times"
        said = f"{spent:.0f} ms, {queries} queries, {size} bytes; {words}"
        yield Figure(name=f"{name} at the server", value=spent, unit=" ms", told=said, good=good, wanted=wanted)


def _asking() -> Callable[[str], tuple[float, int, int]]:
    from django.db import connection
    from django.test.utils import CaptureQueriesContext
    from rest_framework.test import APIClient

    from server.people.models import User

    client = APIClient(raise_request_exception=True)
    client.force_login(User.objects.get(username="ines"))

    def ask(path: str) -> tuple[float, int, int]:
        """(milliseconds, median; queries; bytes of the answer)."""
        spent = []
        for _ in range(ASKED):
            began = time.perf_counter()
            answer = client.get(path, HTTP_HOST="127.0.0.1")
            spent.append(1000 * (time.perf_counter() - began))
            assert answer.status_code == 200, answer.content[:300]
        with CaptureQueriesContext(connection) as caught:
            client.get(path, HTTP_HOST="127.0.0.1")
        return median(spent), len(caught), len(answer.content)

    return ask


def _filled(devices: int, nights: int) -> int:
    """An office with its history; how many runs it has."""
    from django.db import connection
    from django.utils import timezone

    from server.fleet.models import Device
    from server.people.actions.office import set_up_office
    from server.people.models import Holder, Team
    from server.plans.models import Assignment, Plan, PlanTarget
    from server.runs.actions.line_up_night import line_up_night
    from server.runs.models import Backup, Copy, Run
    from server.storage.models import Store

    now = timezone.now()
    draw = random.Random(5)
    begin = now - timedelta(days=nights)
    set_up_office(office_name="Bench", zone="Europe/Berlin", username="ines", full_name="Ines", password="a long bench password", now=begin)
    teams = [Team.objects.create(name=f"Team {number}") for number in range(8)]
    stores = [
        Store.objects.create(
            name=f"Store {n}", where=f"/nowhere/{n}", address={"path": f"/nowhere/{n}"}, vault_id=f"{n:032}", added_at=begin
        )
        for n in range(STORES)
    ]
    plans = [
        Plan.objects.create(
            name=f"Plan {n}", kinds=[], reach="everything", starts_at=f"2{n}:00", window_closes="06:00",
            promise_seconds=48 * 3600, keep_last=3, keep_daily=7, keep_weekly=4, keep_monthly=6, added_at=begin,
        )
        for n in range(3)
    ]  # fmt: skip
    PlanTarget.objects.bulk_create(PlanTarget(plan=plan, store=stores[n % 2], order=0) for n, plan in enumerate(plans))
    holders = Holder.objects.bulk_create(Holder(name=f"Holder {n}", team=teams[n % 8]) for n in range(devices))
    made = Device.objects.bulk_create(
        Device(name=f"Orlo P{n % 7}", holder=holders[n], team=teams[n % 8], link="agent", agent_id=f"a{n}", family="orlo", added_at=begin)
        for n in range(devices)
    )
    Assignment.objects.bulk_create(Assignment(device=device, plan=plans[n % 3], since=begin) for n, device in enumerate(made))
    runs, backups, copies = _history(made, plans, nights, now, draw)
    _copy(Run, runs)
    _copy(Backup, backups)
    _copy(Copy, copies)
    _held_and_owed(made, stores, backups, now)
    line_up_night(now=now)
    with connection.cursor() as cursor:
        cursor.execute("vacuum analyze")
    return len(runs)


def _held_and_owed(made: Any, stores: Any, backups: list[dict[str, Any]], now: datetime) -> None:
    """What each device needs in each store, and a copy of each device's newest backups that every store but the first two is owed."""
    from server.runs.models import Copy, CopyState
    from server.storage.models import Occupancy

    Occupancy.objects.bulk_create(
        Occupancy(store=store, device=device, alone_bytes=n << 20, shared_bytes=n << 19, fair_bytes=n << 20, backups=20)
        for store in stores
        for n, device in enumerate(made)
    )
    Copy.objects.bulk_create(
        Copy(backup_id=row["id"], store=store, state=CopyState.OWED, asked_at=now, due_at=now)
        for store in stores[2:]
        for row in backups[-2 * len(made) :]
    )


def _history(made: Any, plans: Any, nights: int, now: datetime, draw: random.Random) -> tuple[list[dict[str, Any]], ...]:
    """Rows of a run a device a night, nine in ten good; the copies of all but the last ten are removed."""
    runs, backups, copies = [], [], []
    empty: dict[str, Any] = {
        "note": "", "occasion": "", "stop_asked": False, "progress": "{}", "left_out": "[]", "skipped": "[]", "log": "[]", "cost": "{}",
        "told": "{}", "stages": "[]", "attempts": 1, "trigger": "schedule",
    }  # fmt: skip
    tonight = now.replace(hour=21, minute=0, second=0, microsecond=0)
    for back in range(nights, 0, -1):
        planned = tonight - timedelta(days=back)
        for n, device in enumerate(made):
            plan = plans[n % 3]
            good = draw.random() > 0.08
            ends = planned + timedelta(seconds=draw.randint(20, 9000))
            run = uuid.UUID(int=draw.getrandbits(128), version=4)
            cause = (
                ("", "") if good else draw.choice([("link.away", "The device does not answer."), ("link.locked", "The device is locked.")])
            )
            runs.append(
                empty | {
                    "id": run, "device_id": device.id, "plan_id": plan.id, "store_id": plan.store_id,
                    "state": "complete" if good else "failed",
                    "night": planned.date(), "planned_for": planned + timedelta(minutes=n), "asked_at": planned, "started_at": planned,
                    "finished_at": ends, "worked_seconds": float((ends - planned).seconds), "read_bytes": draw.randint(0, 1 << 28),
                    "stored_bytes": draw.randint(0, 1 << 26), "cause_code": cause[0], "cause": cause[1], "remedy": "",
                }
            )  # fmt: skip
            if not good:
                continue
            backup = uuid.UUID(int=draw.getrandbits(128), version=4)
            backups.append(
                {
                    "id": backup, "device_id": device.id, "run_id": run, "finished_at": ends, "items": 5000, "size_bytes": 1 << 33,
                    "kinds": "[]",
                    "family": "orlo", "os_version": "9", "encrypted": True, "occasion": "", "note": "",
                    "imported_from": "", "hold_reason": "", "in_doubt": False,
                }
            )  # fmt: skip
            removed = ends + timedelta(days=30) if back > 10 else None
            copies.append(
                {
                    "backup_id": backup,
                    "store_id": plan.store_id,
                    "intact": True,
                    "state": "removed" if removed else "present",
                    "cause": "",
                    "remedy": "",
                    "reference": "",
                    "removed_at": removed,
                    "removed_why": "the rule" if removed else "",
                }
            )
    return runs, backups, copies


def _copy(model: Any, rows: list[dict[str, Any]]) -> None:
    """COPY the rows into a model's table; what a row does not say is as the model says for a new one."""
    from django.db import connection

    first, more = list(rows[0]), {}
    for field in model._meta.concrete_fields:
        if field.column not in first and not field.primary_key:
            default = field.get_default()
            more[field.column] = json.dumps(default) if isinstance(default, list | dict) else default
    columns = first + list(more)
    with connection.cursor() as cursor, cursor.copy(f"copy {model._meta.db_table} ({', '.join(columns)}) from stdin") as line:
        for row in rows:
            line.write_row([_text(row[name]) for name in first] + list(more.values()))


def _text(value: Any) -> Any:
    return value.astimezone(UTC).isoformat() if isinstance(value, datetime) else value
