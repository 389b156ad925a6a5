"""Sets an office up whose workers are elsewhere, asks runs, and tells how they are: `prepare DEVICES FOLDER ENDPOINT BUCKET KEY SECRET`,
`ask FIRST COUNT`, `states` (once for each line that it is sent), `whole`. In a process of its own, since it works on a database of
its own."""

import json
import random
import sys
from collections.abc import Callable
from datetime import time
from pathlib import Path

import django


def prepare(devices: str, folder: str, endpoint: str, bucket: str, key: str, secret: str) -> dict[str, object]:
    from core.vault.address import BucketAddress, FolderAddress
    from server import ports
    from server.fleet.actions.add_device import add_folder
    from server.fleet.models import Device
    from server.oversight.actions.establish_key import establish_key
    from server.people.actions.office import change_office, set_up_office
    from server.plans.actions.save_plan import Draft, DraftTarget, save_plan
    from server.storage.actions.add_store import create_store

    now = ports.clock().now()
    establish_key()
    by = set_up_office(office_name="Two", zone="Europe/Berlin", username="ines", full_name="", password="a long bench password", now=now)
    change_office(name="Two", zone="Europe/Berlin", by=by, now=now, max_runs=4, asks_holders=False, asks_holders_at=time(15))
    cloud = BucketAddress(bucket=bucket, prefix="attic", endpoint=endpoint, access_key=key, secret_key=secret, inside="yes")
    stores = [
        create_store(
            name=name, address=address, passphrase="low tide at the old sluice", passphrase_again="low tide at the old sluice",
            allowance_bytes=None, by=by,
        ).store
        for name, address in (("Cloud", cloud), ("Second", FolderAddress(path=f"{folder}/second")))
    ]  # fmt: skip
    made = []
    for number in range(int(devices)):
        place = Path(folder) / "devices" / f"d{number}"
        place.mkdir(parents=True)
        (place / "recording.bin").write_bytes(random.Random(number).randbytes(800_000))
        made.append(add_folder(path=str(place), name=f"Folder {number}", holder="Bench", team="", by=by))
    Device.objects.update(limit_bytes_per_second=200_000)
    draft = Draft(
        name="All", kinds=[], reach="everything", rule="FREQ=DAILY", starts_at=time(3), window_closes=time(4), promise_seconds=7 * 86_400,
        keep_last=3, keep_daily=0, keep_weekly=0, keep_monthly=0, targets=tuple(DraftTarget(store=store.id) for store in stores),
    )  # fmt: skip
    save_plan(draft, devices=[device.id for device in made], by=by)
    return {"devices": len(made)}


def ask(first: str, count: str) -> dict[str, object]:
    """Runs of so many devices, from this one on."""
    from server.fleet.models import Device
    from server.people.models import User
    from server.runs.actions.ask_run import ask_run_by_hand

    devices = Device.objects.order_by("name")[int(first) : int(first) + int(count)]
    for device in devices:
        ask_run_by_hand(device, note="", by=User.objects.get())
    return {"asked": len(devices)}


def state() -> dict[str, object]:
    from django.db import connection

    from server.runs.models import Copy, Run

    with connection.cursor() as cursor:
        cursor.execute("select task_name, worker_id from procrastinate_jobs where status = 'doing'")
        doing = cursor.fetchall()
    return {
        "runs": [[str(run.id), run.state, run.cause_code] for run in Run.objects.order_by("asked_at")],
        "doing": [[task, worker] for task, worker in doing],
        "second": sorted(Copy.objects.filter(store__name="Second").values_list("state", flat=True)),
    }


def whole() -> dict[str, object]:
    """A full check of both stores."""
    from core.vault.check import check
    from server.storage.models import Store
    from server.storage.queries import opened

    return {store.name: [len(opened(store).backup_ids()), check(opened(store), percent=100).ok] for store in Store.objects.all()}


if __name__ == "__main__":
    django.setup()
    if sys.argv[1] == "states":
        for _ in sys.stdin:
            print(json.dumps(state()), flush=True)
    else:
        what: dict[str, Callable[..., dict[str, object]]] = {"prepare": prepare, "ask": ask, "whole": whole}
        print(json.dumps(what[sys.argv[1]](*sys.argv[2:])))
