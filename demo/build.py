"""Build the demo office through the server's own actions: real backups of the last two weeks.

Night after night: the simulated devices live their day, troubles come and go, the scheduler starts what
is due, the runs read the devices' real bytes into real stores, retention looks after the pile. The
clock is the only thing that is not real.
"""

from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from uuid import UUID

from django.conf import settings
from django.db import connection

from core.schedule.recurrence import zone_named
from demo import office
from demo.clock import PastClock
from demo.network import Network
from server.fleet.actions.add_device import add_folder, pair_device
from server.fleet.actions.change_device import change_device
from server.fleet.models import Device
from server.outside import outside
from server.oversight.ribbon import coming_night
from server.people.actions.office import add_user, set_up_office
from server.people.models import User
from server.plans.actions.save_plan import Draft, save_plan
from server.plans.models import Assignment, Plan
from server.retention.actions.look_after import apply_rule, sweep_store
from server.runs.actions.carry_out import carry_out
from server.runs.actions.start_due import start_due
from server.runs.models import Run, RunState
from server.storage.actions.add_store import create_store
from server.storage.actions.measure import measure_store
from server.storage.models import Store

FOLDER_NAME = "boat-logger"


class DemoExists(Exception):
    """The database is not empty."""


def build(tell: Callable[[str], None]) -> None:
    """Raises DemoExists when anybody can sign in already."""
    if User.objects.exists():
        raise DemoExists("There are people in this installation already.")
    with connection.cursor() as cursor:
        cursor.execute("set synchronous_commit to off")  # a demo that a power cut interrupts is built anew
    network, clock, zone = Network(), PastClock(), zone_named(office.ZONE)
    last = coming_night(outside().now(), zone) - timedelta(days=1)
    nights = [last - timedelta(days=back) for back in range(office.NIGHTS - 1, -1, -1)]
    begin = datetime.combine(nights[0], datetime.min.time(), zone).astimezone(UTC) + timedelta(hours=15)
    clock.set(begin)
    by = _people(begin)
    _stores(by)
    known = _devices(network, nights[0], by)
    _plans(known, by, begin)
    Device.objects.update(added_at=begin)
    Store.objects.update(added_at=begin, passphrase_proven_at=begin)
    for number, night in enumerate(nights):
        _live(night, office.NIGHTS - number, network, clock, known)
        tell(f"night of {night}")
    _this_night(network, clock)
    for store in Store.objects.all():
        sweep_store(store, now=outside().now())
        measure_store(store, now=outside().now())
    with connection.cursor() as cursor:
        cursor.execute("delete from procrastinate_jobs")  # their work is done above, in the past's own time


def _people(begin: datetime) -> User:
    (username, full_name, _), *others = office.PEOPLE
    by = set_up_office(
        office_name=office.NAME, zone=office.ZONE, username=username, full_name=full_name, password=office.PASSWORD, now=begin
    )
    for username, full_name, role in others:
        add_user(username=username, full_name=full_name, password=office.PASSWORD, role=role, by=by, now=begin)
    return by


def _stores(by: User) -> None:
    for name, (folder, allowance) in office.STORES.items():
        path = str(settings.ATTIC_ENV.data / "stores" / folder)
        create_store(
            name=name, path=path, passphrase=office.PASSPHRASE, passphrase_again=office.PASSPHRASE, allowance_bytes=allowance, by=by
        )


def _devices(network: Network, first: date, by: User) -> dict[str, UUID]:
    known = {}
    for offer in outside().offers():
        if offer.device in office.UNPAIRED:
            continue
        holder = offer.name.partition(", ")[2]
        device = pair_device(
            agent_id=offer.device, code=network.code_of(offer.device), name=f"{offer.make} {offer.model}", holder=holder,
            team=office.TEAMS[offer.device], by=by,
        )  # fmt: skip
        known[offer.device] = device.id
    folder = settings.ATTIC_ENV.data / FOLDER_NAME
    _boat_logger(folder, first)
    known["folder"] = add_folder(path=str(folder), name="Boat logger", holder="survey boat", team="Shore Crew", by=by).id
    return known


def _boat_logger(folder: Path, first: date) -> None:
    """A synchronised folder with ordinary files: what a device without an agent leaves on the server."""
    (folder / "Logs").mkdir(parents=True, exist_ok=True)
    for back in range(40):
        day = first - timedelta(days=back)
        rows = [
            f"{day}T{hour:02}:{minute:02},{(hour * 7 + minute + back) % 43 / 10}" for hour in range(8, 17) for minute in range(0, 60, 5)
        ]
        (folder / "Logs" / f"depth {day}.csv").write_text("time,depth m\n" + "\n".join(rows) + "\n")
    (folder / "Calibration note.txt").write_text("Transducer offset 0.34 m, checked against the lead line.\n")


def _plans(known: dict[str, UUID], by: User, begin: datetime) -> None:
    stores = {store.name: store.id for store in Store.objects.all()}
    for told in office.PLANS:
        fields = {name: value for name, value in told.items() if name not in ("devices", "store")}
        draft = Draft(store=stores[str(told["store"])], **fields)  # type: ignore[arg-type]
        save_plan(draft, devices=[known[device] for device in told["devices"]], by=by, now=begin)  # type: ignore[attr-defined]
    Assignment.objects.update(since=begin)


def _live(night: date, back: int, network: Network, clock: PastClock, known: dict[str, UUID]) -> None:
    """One night: `back` counts from the last one, which is 1."""
    zone = zone_named(office.ZONE)
    network.live_until(night)
    for device, knobs in office.TROUBLES.get(back, ()):
        network.turn(device, **knobs)
    evening = datetime.combine(night, datetime.min.time(), zone) + timedelta(hours=20)
    if office.LOST[1] == back:
        lost = Device.objects.select_related("holder", "team").get(id=known[office.LOST[0]])
        change_device(lost, {"state": "lost"}, by=User.objects.get(username="ines"), now=evening)
    _evening(evening, clock)
    clock.set(evening + timedelta(hours=9, minutes=55))
    for run in Run.objects.filter(state=RunState.WAITING):
        Run.objects.filter(id=run.id).update(attempts=4)
        carry_out(run.id, clock=clock)
    for plan in Plan.objects.select_related("store"):
        for device in Device.objects.filter(assignment__plan=plan):
            apply_rule(device, plan.store, now=clock())


def _evening(evening: datetime, clock: PastClock, until: datetime | None = None) -> None:
    """Start and carry out what is due at each planned time of the evening."""
    for hours in (0.01, 1.51, 2.01):
        instant = evening + timedelta(hours=hours)
        if until is None or instant < until:
            clock.set(instant)
            for run in start_due(now=clock()):
                carry_out(run.id, clock=clock)


def _this_night(network: Network, clock: PastClock) -> None:
    """The night that is under way or lies ahead: what has been due in it so far."""
    zone, now = zone_named(office.ZONE), outside().now()
    night = coming_night(now, zone)
    network.live_until(night)
    _evening(datetime.combine(night, datetime.min.time(), zone) + timedelta(hours=20), clock, until=now - timedelta(minutes=10))
