"""`./attic bench reliability`: kill every process of a real installation over and over, and count what is lost.

Starts the demo office in a folder of its own, as a person would, and works on it from outside: runs are asked for, a
process is killed with -9, PostgreSQL included, and what follows is timed. In the end every store is read in full, and
the newest backups are compared byte by byte with what the devices hold. A second part lets three stores hang while a
night of many runs goes on, and measures how late the clock is.
"""

import logging
import os
import random
import signal
import sys
import time
import urllib.request
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from bench.figures import Figure
from bench.hanging import hanging
from bench.installation import Installation, until

SETTLE_SECONDS = 240
PROCESSES = 6
"""Stand-ins, web, three pools of workers, PostgreSQL."""
COMPARED_DEVICES = 12


def reliability(folder: Path, *, rounds: int, devices: int) -> Iterator[Figure]:
    """Figures as they come."""
    with Installation(folder) as office:
        office.set_up_django()
        logging.getLogger("psycopg.pool").setLevel(logging.ERROR)  # the database is killed on purpose
        yield from _killing(office, rounds)
        yield from hanging(office, devices)


def _killing(office: Installation, rounds: int) -> Iterator[Figure]:
    source = random.Random(4)
    slowest: dict[str, float] = {}
    taken_up = 0.0
    killed_runs = 0
    for number in range(rounds):
        _ask_runs(office, source, number)
        time.sleep(source.uniform(0.2, 2.5))
        until(lambda: len(office.pids()) == PROCESSES, 60, "not every process is there")
        name, pid = sorted(office.pids().items())[number % PROCESSES]
        going = _running() if name in ("runs", "postgres") else {}
        os.kill(pid, signal.SIGKILL)
        began = time.monotonic()
        until(lambda name=name, pid=pid: _is_back(office, name, pid), 60, f"{name} did not come back")  # type: ignore[misc]
        slowest[name] = max(slowest.get(name, 0.0), time.monotonic() - began)
        if going:
            killed_runs += len(going)
            until(lambda going=going: _all_taken_up(going), 120, "a run was not taken up")  # type: ignore[misc]
            taken_up = max(taken_up, time.monotonic() - began)
        print(f"  round {number + 1}: {name} back after {time.monotonic() - began:.1f} s", file=sys.stderr, flush=True)
    until(office.healthy, SETTLE_SECONDS, "it did not become healthy again")
    until(lambda: not _running(waiting=True), SETTLE_SECONDS, "runs did not end")
    words = ", ".join(f"{name} {seconds:.1f}" for name, seconds in sorted(slowest.items()))
    yield Figure(
        name="processes back", value=max(slowest.values()), unit=" s", told=f"slowest of {rounds} kills: {words}", good=10, wanted=5
    )
    yield Figure(
        name="killed runs taken up",
        value=taken_up,
        unit=" s",
        told=f"slowest of {killed_runs} runs that were under way",
        good=60,
        wanted=45,
    )
    damaged, backups = _checked()
    yield Figure(
        name="objects damaged", value=float(damaged), unit="", told=f"full check of every store, {backups} backups", good=0, wanted=0
    )
    wrong, compared = _compared(office)
    yield Figure(
        name="items that differ",
        value=float(wrong),
        unit="",
        told=f"of {compared} items of the newest backups, byte by byte",
        good=0,
        wanted=0,
    )
    stuck = _stuck()
    yield Figure(
        name="rows under way for ever",
        value=float(len(stuck)),
        unit="",
        told=", ".join(sorted({what for what, _ in stuck})) or f"every run, restore, import and copy ended within {SETTLE_SECONDS} s",
        good=0,
        wanted=0,
    )


def _ask_runs(office: Installation, source: random.Random, number: int) -> None:
    from django.db import connections

    from core.errors import AtticError
    from server.fleet.models import Device
    from server.runs.actions.ask_run import ask_run_by_hand

    chosen = list(Device.objects.filter(link="agent", state="in_use", assignment__isnull=False).order_by("id"))
    for device in source.sample(chosen, 4):
        try:
            office.live(device.agent_id, datetime.now(UTC).date() + timedelta(days=1 + number // 10))
            ask_run_by_hand(device, note=f"round {number}", by=None)
        except (AtticError, OSError):
            continue  # it is under way already, or is away: others are not
    connections.close_all()


def _running(*, waiting: bool = False) -> dict[Any, int]:
    """Run → attempts, of those under way."""
    from django.db import DatabaseError, connections

    from server.runs.models import Run

    states = ("running", "waiting") if waiting else ("running",)
    try:
        return dict(Run.objects.filter(state__in=states, next_try_at__isnull=True).values_list("id", "attempts"))
    except DatabaseError:
        connections.close_all()
        return {} if not waiting else {None: 0}


def _all_taken_up(going: dict[Any, int]) -> bool:
    from django.db import DatabaseError, connections

    from server.runs.models import Run

    try:
        now = {id: (state, attempts) for id, state, attempts in Run.objects.filter(id__in=going).values_list("id", "state", "attempts")}
    except DatabaseError:
        connections.close_all()
        return False
    return all(now[id][0] != "running" or now[id][1] > attempts for id, attempts in going.items())


def _is_back(office: Installation, name: str, pid: int) -> bool:
    now = office.pids().get(name)
    if now is None or now == pid or not Path(f"/proc/{now}").exists():
        return False
    if name == "postgres":
        from django.db import DatabaseError, connections

        connections.close_all()
        try:
            with connections["default"].cursor() as cursor:
                cursor.execute("select 1")
        except DatabaseError:
            return False
    if name == "standins":
        return _answers(f"http://127.0.0.1:{office.ports()['standins']}/announcements")
    return name != "web" or _answers(f"http://127.0.0.1:{office.port}/readyz")


def _answers(url: str) -> bool:
    try:
        with urllib.request.urlopen(url, timeout=5) as answer:
            return bool(answer.status == 200)
    except OSError:
        return False


def _checked() -> tuple[int, int]:
    from core.vault.check import check
    from server.runs.models import Copy, CopyState
    from server.storage.models import Store
    from server.storage.queries import opened

    damaged = backups = 0
    for store in Store.objects.all():
        present = Copy.objects.filter(store=store, state=CopyState.PRESENT, intact=True).values_list("backup_id", flat=True)
        report = check(opened(store), percent=100, expected={id.bytes for id in present})
        known = Copy.objects.filter(store=store, intact=False).exists()  # the demo tells of one that was found damaged
        damaged += 0 if known else len(report.damaged)
        backups += len(present)
    return damaged, backups


def _compared(office: Installation) -> tuple[int, int]:
    """The newest backup of each of some devices against what the device holds now."""
    from core.vault.errors import NoSuchBackup
    from server.fleet.models import Device
    from server.runs.actions.ask_run import ask_run_by_hand
    from server.runs.models import Run
    from server.runs.queries import newest_good
    from server.storage.queries import opened
    from standins.fleet import FLEET
    from standins.life import Life

    personas = {persona.slug: persona for persona in FLEET}
    wrong = compared = 0
    busy = Run.objects.filter(state__in=("waiting", "running")).values("device")
    devices = list(Device.objects.filter(link="agent", state="in_use", assignment__isnull=False).exclude(id__in=busy).order_by("id"))
    for device in random.Random(9).sample(devices, min(COMPARED_DEVICES, len(devices))):
        run = ask_run_by_hand(device, note="compared", by=None)
        until(lambda run=run: Run.objects.get(id=run.id).state not in ("waiting", "running"), 120, "the last run did not end")  # type: ignore[misc]
        if Run.objects.get(id=run.id).state not in ("complete", "partial"):
            continue
        backup = newest_good("pk").model.objects.get(run=run.id)
        vault, life = opened(run.store), Life(office.data / "standins", personas[device.agent_id])
        vault.refresh()
        try:
            manifest = vault.manifest(backup.id.bytes)
        except NoSuchBackup:
            wrong += 1
            continue
        for summary in manifest.kinds:
            for stored in vault.items(manifest, summary.kind):
                compared += 1
                wrong += b"".join(vault.read(stored)) != life.content(summary.kind, stored.item.id)
    return wrong, compared


def _stuck() -> set[tuple[str, Any]]:
    """What is under way now and has not ended after a while."""
    under_way = _under_way()
    end = time.monotonic() + SETTLE_SECONDS
    while under_way and time.monotonic() < end:
        time.sleep(1)
        under_way &= _under_way()
    return under_way


def _under_way() -> set[tuple[str, Any]]:
    from server.recovery.models import Restore
    from server.runs.models import Copy, Import, Run

    rows = {
        "run": Run.objects.filter(state="running"),
        "restore": Restore.objects.filter(state__in=("waiting", "running")),
        "imports": Import.objects.filter(state__in=("scanning", "waiting", "importing")),
        "copy": Copy.objects.filter(state="copying"),
    }
    return {(what, id) for what, of_state in rows.items() for id in of_state.values_list("id", flat=True)}
