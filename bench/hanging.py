"""Three stores hang while a night of many runs goes on: how late is the clock, and do the runs come?"""

import threading
import time
from collections.abc import Iterator
from datetime import timedelta

from bench.figures import Figure
from bench.installation import Installation

HANGING = 3
"""Stores that hang."""


def hanging(office: Installation, devices: int) -> Iterator[Figure]:
    """Three stores hang: whatever works on them waits for a row that somebody holds. Meanwhile many devices are due."""
    from django.db import connections, transaction

    from core.vault.address import FolderAddress
    from server import ports
    from server.fleet.models import Device, LinkType
    from server.jobs import defer_check, defer_measure, defer_sweep
    from server.people.actions.office import holder_named
    from server.plans.models import Assignment, Plan
    from server.runs.models import Heartbeat, Run
    from server.storage.actions.add_store import create_store
    from server.storage.models import Store

    holder, team = holder_named("Bench", "Bench")
    plan = Plan.objects.first()
    assert plan is not None
    phones = office.data.parent / "phones"
    made = []
    for number in range(devices):
        folder = phones / f"{number:04}"
        folder.mkdir(parents=True)
        (folder / "note.txt").write_text(f"note {number}")
        fields = {"link": LinkType.FOLDER, "folder": str(folder), "family": "folder", "added_at": ports.clock().now()}
        made.append(Device(name=f"Folder {number}", holder=holder, team=team, **fields))
    Device.objects.bulk_create(made)
    now = ports.clock().now()
    Assignment.objects.bulk_create(Assignment(device=device, plan=plan, since=now - timedelta(days=2)) for device in made)
    hung = [
        create_store(
            name=f"Hanging {n}", address=FolderAddress(path=str(office.data / "stores" / f"hanging{n}")),
            passphrase="a bench of three stores", passphrase_again="a bench of three stores", allowance_bytes=None, by=None,
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
        runs = Run.objects.filter(device__in=made, state__in=("complete", "partial", "failed", "interrupted"))
        return int(runs.values("device").distinct().count())

    began, last = time.monotonic(), None
    while ended() < devices and time.monotonic() - began < 1500:
        beat = Heartbeat.objects.filter(name="scheduler").values_list("at", flat=True).first()
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
