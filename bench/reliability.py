"""`./attic bench reliability`: kill every process of a real installation over and over, and count what is lost.

Starts the demo office in a folder of its own, as a person would, and works on it from outside: runs are asked for, a
process is killed with -9, PostgreSQL included, and what follows is timed. In the end every store is read in full, and
the newest backups are compared byte by byte with what the devices hold. A second part lets three stores hang while a
night of many runs goes on, and measures how late the clock is.
"""

import contextlib
import json
import os
import random
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.request
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

from bench.figures import Figure

ROOT = Path(__file__).resolve().parents[1]
SETTLE_SECONDS = 240
HANGING = 3
"""Stores that hang in the second part."""


def reliability(folder: Path, *, rounds: int, devices: int) -> Iterator[Figure]:
    """Figures as they come."""
    with _Installation(folder) as office:
        office.set_up_django()
        yield from _killing(office, rounds)
        yield from _hanging(office, devices)


class _Installation:
    """The demo office, started by the launcher in a process of its own."""

    def __init__(self, folder: Path) -> None:
        self.data = folder / "data"
        self.port = _free_port()

    def __enter__(self) -> "_Installation":
        folder = self.data.parent
        folder.chmod(0o755)
        self._log = (folder / "start.log").open("w")
        command = [sys.executable, "-m", "launcher", "start", "--data", str(self.data), "--port", str(self.port)]
        self._process = subprocess.Popen(command, cwd=ROOT, stdout=self._log, stderr=self._log, stdin=subprocess.DEVNULL)
        _until(self.healthy, 400, "the office did not start")
        return self

    def __exit__(self, *error: object) -> None:
        self._process.send_signal(signal.SIGTERM)
        self._process.wait(60)
        self._log.close()

    def set_up_django(self) -> None:
        from launcher.start import environment

        os.environ.update(environment(self.data, self.ports()))
        import django

        django.setup()

    def ports(self) -> dict[str, int]:
        found: dict[str, int] = json.loads((self.data / "ports.json").read_text())
        return found

    def healthy(self) -> bool:
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{self.port}/healthz", timeout=5) as answer:
                return bool(answer.status == 200)
        except OSError:
            return False

    def pids(self) -> dict[str, int]:
        """Process ids by name, the database's first process with them."""
        found = {}
        with contextlib.suppress(OSError, ValueError):  # being written just now: asked again
            found = {entry["name"]: entry["pid"] for entry in json.loads((self.data / "processes.json").read_text())}
        for place in (self.data / "postgres", *Path("/var/lib/old-attic").glob("*")):
            file = place / "pg" / "postmaster.pid"
            if file.is_file() and f"\n{self.ports()['database']}\n" in (text := file.read_text()):
                found["postgres"] = int(text.split("\n", 1)[0])
        return found

    def live(self, device: str, day: date) -> None:
        body = json.dumps({"day": day.isoformat(), "device": device}).encode()
        url = f"http://127.0.0.1:{self.ports()['standins']}/day"
        with urllib.request.urlopen(
            urllib.request.Request(url, data=body, headers={"Content-Type": "application/json"}), timeout=60
        ) as answer:
            answer.read()


def _killing(office: _Installation, rounds: int) -> Iterator[Figure]:
    source = random.Random(4)
    slowest: dict[str, float] = {}
    taken_up = 0.0
    killed_runs = 0
    for number in range(rounds):
        _ask_runs(office, source, number)
        time.sleep(source.uniform(0.2, 2.5))
        names = sorted(office.pids())
        name = names[number % len(names)]
        pid = office.pids()[name]
        going = _running() if name in ("runs", "postgres") else {}
        os.kill(pid, signal.SIGKILL)
        began = time.monotonic()
        _until(lambda name=name, pid=pid: _is_back(office, name, pid), 60, f"{name} did not come back")  # type: ignore[misc]
        slowest[name] = max(slowest.get(name, 0.0), time.monotonic() - began)
        if going:
            killed_runs += len(going)
            _until(lambda going=going: _all_taken_up(going), 120, "a run was not taken up")  # type: ignore[misc]
            taken_up = max(taken_up, time.monotonic() - began)
        print(f"  round {number + 1}: {name} back after {time.monotonic() - began:.1f} s", file=sys.stderr, flush=True)
    _until(office.healthy, SETTLE_SECONDS, "it did not become healthy again")
    _until(lambda: not _running(waiting=True), SETTLE_SECONDS, "runs did not end")
    told = ", ".join(f"{name} {seconds:.1f}" for name, seconds in sorted(slowest.items()))
    yield Figure(
        name="processes back", value=max(slowest.values()), unit=" s", told=f"slowest of {rounds} kills: {told}", good=10, wanted=5
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
        value=float(stuck),
        unit="",
        told="runs, restores, imports, copies that have not ended",
        good=0,
        wanted=0,
    )


def _ask_runs(office: _Installation, source: random.Random, number: int) -> None:
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


def _is_back(office: _Installation, name: str, pid: int) -> bool:
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


def _compared(office: _Installation) -> tuple[int, int]:
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
    devices = list(Device.objects.filter(link="agent", state="in_use", assignment__isnull=False).order_by("id"))
    for device in random.Random(9).sample(devices, 6):
        run = ask_run_by_hand(device, note="compared", by=None)
        _until(lambda run=run: Run.objects.get(id=run.id).state not in ("waiting", "running"), 120, "the last run did not end")  # type: ignore[misc]
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


def _stuck() -> int:
    from server.recovery.models import Restore
    from server.runs.models import Bringing, Copy, Run

    counts = [
        Run.objects.filter(state="running").count(),
        Restore.objects.filter(state__in=("waiting", "running")).count(),
        Bringing.objects.filter(state__in=("looking", "waiting", "bringing")).count(),
        Copy.objects.filter(state="copying").count(),
    ]
    return sum(counts)


def _hanging(office: _Installation, devices: int) -> Iterator[Figure]:
    """Three stores hang: whatever works on them waits for a row that somebody holds. Meanwhile many devices are due."""
    from django.db import connections, transaction

    from server.fleet.models import Device, LinkType
    from server.jobs import defer_check, defer_measure, defer_sweep
    from server.outside import outside
    from server.people.actions.office import holder_named
    from server.plans.models import Assignment, Plan
    from server.runs.models import Beat, Run
    from server.storage.actions.add_store import create_store
    from server.storage.models import Store

    holder, team = holder_named("Bench", "Bench")
    plan = Plan.objects.select_related("store").first()
    assert plan is not None
    phones = office.data.parent / "phones"
    made = []
    for number in range(devices):
        folder = phones / f"{number:04}"
        folder.mkdir(parents=True)
        (folder / "note.txt").write_text(f"note {number}")
        told = {"link": LinkType.FOLDER, "folder": str(folder), "family": "folder", "added_at": outside().now()}
        made.append(Device(name=f"Folder {number}", holder=holder, team=team, **told))
    Device.objects.bulk_create(made)
    now = outside().now()
    Assignment.objects.bulk_create(Assignment(device=device, plan=plan, since=now - timedelta(days=2)) for device in made)
    hung = [
        create_store(
            name=f"Hanging {n}", path=str(office.data / "stores" / f"hanging{n}"), passphrase="a bench of three stores",
            passphrase_again="a bench of three stores", allowance_bytes=None, by=None,
        ).store
        for n in range(HANGING)
    ]  # fmt: skip
    done, late = threading.Event(), [0.0]

    def hold() -> None:
        with transaction.atomic():
            list(Store.objects.select_for_update().filter(id__in=[store.id for store in hung]))
            done.wait(3600)
        connections.close_all()

    holding = threading.Thread(target=hold)
    holding.start()
    time.sleep(0.5)
    for store in hung:
        defer_check(store.id, percent=100, by=None)
        defer_sweep(store.id)
        defer_measure(store.id)
    local = now.astimezone()
    starts = (local - timedelta(minutes=1)).time().replace(microsecond=0)
    Plan.objects.filter(id=plan.id).update(
        rule="FREQ=DAILY", starts_at=starts, window_closes=(local - timedelta(minutes=2)).time().replace(microsecond=0),
        needs_power=False, needs_office_wireless=False, needs_battery_percent=0, not_in_use_minutes=0, starts_on=None,
    )  # fmt: skip

    def ended() -> int:
        return int(Run.objects.filter(device__in=made, state__in=("complete", "partial", "failed", "interrupted")).count())

    began, last = time.monotonic(), None
    while ended() < devices and time.monotonic() - began < 1500:
        beat = Beat.objects.filter(name="scheduler").values_list("at", flat=True).first()
        if beat is not None and beat != last:
            if last is not None:
                late[0] = max(late[0], (beat - last).total_seconds() - 10)
            last = beat
        time.sleep(0.2)
    took, count = time.monotonic() - began, ended()
    healthy = office.healthy()
    done.set()
    holding.join()
    yield Figure(
        name="clock late",
        value=max(0.0, late[0]),
        unit=" s",
        told=f"longest gap between ticks beyond ten seconds, {count} runs in {took:.0f} s",
        good=2,
        wanted=1,
    )
    yield Figure(
        name="runs that came",
        value=100 * count / devices,
        unit=" %",
        told=f"{count} of {devices} while {HANGING} stores hung",
        good=100,
        wanted=100,
        higher=True,
    )
    yield Figure(
        name="said that all is well",
        value=float(healthy),
        unit="",
        told="health while stores hang: 1 is yes",
        good=1,
        wanted=1,
        higher=True,
    )


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _until(check: Callable[[], bool], seconds: float, otherwise: str) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if check():
            return
        time.sleep(0.1)
    raise SystemExit(f"bench: {otherwise} within {seconds} seconds")
