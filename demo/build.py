"""Build the demo office through the server's own actions: real backups of the last two weeks.

Night after night: the simulated devices live their day, troubles come and go, the scheduler starts what
is due, the runs read the devices' real bytes into real stores, retention looks after the pile. The
clock is the only thing that is not real.
"""

import re
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime, timedelta
from fnmatch import fnmatch
from pathlib import Path
from typing import Any
from uuid import UUID

from django.conf import settings
from django.db import connection

from core.exchange.office_days import Holiday
from core.schedule.nights import coming_night
from core.schedule.recurrence import zone_named
from core.units import MIB
from core.vault.address import BucketAddress, DriveAddress, FolderAddress, SftpAddress, StoreAddress
from demo import at_rest, office, room
from demo.clock import PastClock
from demo.network import Network
from demo.remembered import EARLIER_NIGHTS, is_remembered, remember, remember_mornings
from server import ports
from server.fleet.actions.add_device import add_folder, add_sftp, pair_device
from server.fleet.actions.change_device import change_device
from server.fleet.actions.change_link import change_link
from server.fleet.actions.change_many import import_register, previewed
from server.fleet.models import Bulk, Device
from server.oversight.actions.anomalies import look_for_anomalies
from server.people.actions.closed_days import add_closed_days
from server.people.actions.office import add_user, set_up_office
from server.people.models import Holder, Office, User
from server.plans.actions.save_plan import Draft, DraftTarget, save_plan
from server.plans.models import Assignment, Plan, PlanTarget
from server.plans.queries import WITH_TARGETS
from server.ports import NetworkOffer, SftpPlace
from server.retention.actions.apply_rule import apply_rule
from server.retention.actions.finish_removals import finish_removals
from server.retention.actions.look_after import sweep_store
from server.retention.actions.measure import measure
from server.retention.actions.owe_copies import owe_copies
from server.retention.actions.remove_backups import remove_backups
from server.retention.actions.set_exception import set_exception
from server.retention.consequences import WORD
from server.retention.exceptions import Whose
from server.retention.removal import removal_of
from server.runs.actions.ask_run import ask_run_by_hand
from server.runs.actions.carry_copies import next_copy
from server.runs.actions.carry_out import carry_out
from server.runs.actions.check_store import check_store
from server.runs.actions.copy_backup import OpenStores, ask_copy, copy_backup
from server.runs.actions.heartbeat import heartbeat
from server.runs.actions.line_up_night import line_up_night
from server.runs.actions.scan_device import scan_device
from server.runs.actions.start_due import start_due
from server.runs.models import Backup, CopyState, Run, RunState
from server.storage.actions.add_store import create_store
from server.storage.models import Store
from server.storage.queries import NOT_HERE
from server.telling.actions.watch_office import watch_office

FOLDER_NAME = "boat-logger"
SIDE_BY_SIDE = 3
AT_A_TIME = 32
"""Runs that are begun together while the past is made: what is under way is drawn by itself."""
RULES_APPLIED = (1, 3)
"""On the mornings after these nights, counted from the last one."""


class DemoExists(Exception):
    """The database is not empty."""


def build(tell: Callable[[str], None]) -> None:
    """Raises DemoExists when anybody can sign in already."""
    if User.objects.exists():
        raise DemoExists("There are people in this installation already.")
    _hurry()
    network, clock, zone = Network(), PastClock(), zone_named(office.ZONE)
    last = coming_night(ports.clock().now(), zone) - timedelta(days=1)
    nights = [last - timedelta(days=back) for back in range(office.NIGHTS - 1, -1, -1)]
    begin = datetime.combine(nights[0], datetime.min.time(), zone).astimezone(UTC) + timedelta(hours=15)
    clock.set(begin)
    by = _people(begin)
    _stores(by, network)
    _closed(ports.clock().now().astimezone(zone).date(), by)
    known = _devices(network, nights[0], by)
    _plans(known, by, begin)
    Device.objects.update(added_at=begin)
    Bulk.objects.update(at=begin)
    Store.objects.update(added_at=begin, passphrase_proven_at=begin)
    usual = _many_at_a_time()
    only_told: list[date] = []
    before_all: list[date] | None = None
    for number, night in enumerate(nights):
        back = office.NIGHTS - number
        if is_remembered(night, back):
            _befall(night, back, network, known)
            only_told.append(night)
            continue
        if before_all is None:  # what comes before the first real night is drawn around it, and owed by nobody
            before_all, only_told = only_told, []
            Assignment.objects.update(since=datetime.combine(night, datetime.min.time(), zone))
        remember(only_told, zone)
        only_told = []
        _live(night, back, network, clock, known)
        tell(f"night of {night}")
    remember([*(nights[0] - timedelta(days=before) for before in range(EARLIER_NIGHTS, 0, -1)), *(before_all or [])], zone)
    usual()
    Assignment.objects.update(since=begin)
    remember_mornings(zone, now=ports.clock().now())
    _this_night(network, clock)
    _besides(known, by, clock)
    _habits()
    for store in Store.objects.exclude(drive__state__in=NOT_HERE):
        sweep_store(store, now=ports.clock().now())
        measure(store, now=ports.clock().now())
    room.allowances({slug: Device.objects.get(id=id) for slug, id in known.items()}, by)
    measure(Store.objects.get(name=office.MEASURED_STORE), now=ports.clock().now())
    room.draw_days()
    room.draw_account(Device.objects.get(id=known[office.FILLS[0]]))
    with connection.cursor() as cursor:
        cursor.execute("delete from procrastinate_jobs")  # their work is done above, in the past's own time
    # whoever waits for a device goes on waiting: the clock takes it from here
    Run.objects.filter(state=RunState.WAITING).update(next_try_at=ports.clock().now(), attempts=3)


def _many_at_a_time() -> Callable[[], None]:
    """More runs are begun together than the office allows; what is returned puts that right."""
    runs, writers = Office.objects.get().max_runs, dict(Store.objects.values_list("id", "max_writers"))
    Office.objects.update(max_runs=AT_A_TIME)
    Store.objects.update(max_writers=AT_A_TIME)

    def as_before() -> None:
        Office.objects.update(max_runs=runs)
        for id, count in writers.items():
            Store.objects.filter(id=id).update(max_writers=count)

    return as_before


def _hurry() -> None:
    """A demo that a power cut interrupts is built anew: its database need not wait for the disk."""
    with connection.cursor() as cursor:
        cursor.execute("set synchronous_commit to off")


def _people(begin: datetime) -> User:
    (username, full_name, _), *others = office.PEOPLE
    by = set_up_office(
        office_name=office.NAME, zone=office.ZONE, username=username, full_name=full_name, password=office.PASSWORD, now=begin
    )
    for username, full_name, role in others:
        add_user(username=username, full_name=full_name, password=office.PASSWORD, role=role, by=by, now=begin)
    return by


def _stores(by: User, network: Network) -> None:
    folder, there = settings.ATTIC_ENV.data / "stores", network.cloud()
    bucket = {name: there[name] for name in ("endpoint", "bucket", "access_key", "secret_key")}
    places: list[tuple[str, StoreAddress, int | None]] = [
        (name, (DriveAddress if name in office.DRIVES else FolderAddress)(path=str(folder / below)), allowance)
        for name, (below, allowance) in office.STORES.items()
    ]
    places.append((office.CLOUD, BucketAddress(**bucket, prefix="attic", inside="yes"), office.CLOUD_ALLOWANCE))
    boathouse = network.boathouse()
    key, fingerprint = ports.devices().meet_sftp(boathouse["host"], boathouse["port"])
    assert fingerprint == boathouse["fingerprint"]
    door: dict[str, Any] = {name: str(boathouse[name]) for name in ("host", "port", "username", "password", "folder")}
    places.append((office.BOATHOUSE, SftpAddress(**door, host_key=key), None))
    for name, address, allowance in places:
        create_store(
            name=name, address=address, passphrase=office.PASSPHRASE, passphrase_again=office.PASSPHRASE, allowance_bytes=allowance, by=by
        )


def _devices(network: Network, first: date, by: User) -> dict[str, UUID]:
    """The register comes as a table; then each device is paired to its entry."""
    offers = [offer for offer in ports.devices().offers() if offer.device not in office.UNPAIRED]
    shown = network.screens()
    rows = [_entry(offer, number, shown[offer.device], first) for number, offer in enumerate(offers, start=1)]
    rows.append(office.NOT_LINKED)
    _, digest = previewed(rows)
    import_register(rows, digest=digest, by=by)
    entries = dict(Device.objects.values_list("serial", "id"))
    known = {}
    for offer in offers:
        code = str(shown[offer.device]["code"])
        known[offer.device] = entries[offer.serial]
        pair_device(agent_id=offer.device, code=code, name="", holder="", team="", registered=entries[offer.serial], by=by)
    # what may be read through the web lies below `stores`: everything else of the data folder is the server's own
    folder = settings.ATTIC_ENV.data / "stores" / FOLDER_NAME
    _boat_logger(folder, first)
    known["folder"] = add_folder(path=str(folder), name="Boat logger", holder="survey boat", team="Shore Crew", by=by).id
    known[office.SFTP] = _gauge(shown[office.SFTP], by)
    return known


def _entry(offer: NetworkOffer, number: int, shown: dict[str, Any], first: date) -> dict[str, str]:
    """One row of the table that the office kept before."""
    bought = first - timedelta(days=120 + number * 23)
    return {
        "name": f"{offer.make} {offer.model}", "holder": offer.name.partition(", ")[2], "team": str(shown["team"]), "family": offer.family,
        "make": offer.make, "model": offer.model, "os_version": offer.os_version, "serial": offer.serial, "asset_tag": f"SP-{number:03}",
        "purchased_on": bought.isoformat(), "handed_over_on": (bought + timedelta(days=9)).isoformat(),
    }  # fmt: skip


def _gauge(shown: dict[str, Any], by: User) -> UUID:
    """The old phone at the tide gauge: its key is compared with the one on its screen."""
    key, fingerprint = ports.devices().meet_sftp("127.0.0.1", shown["port"])
    assert fingerprint == shown["sftp"]["fingerprint"]
    door = shown["sftp"]
    where = SftpPlace(host="127.0.0.1", port=shown["port"], username=door["username"], password=door["password"], folder="/", host_key=key)
    device = add_sftp(where, name="Brenta Ridge 2", holder="tide gauge", team="Shore Crew", family="brenta", by=by)
    rules = [{"pattern": "Gauge/**", "kind": "documents"}]
    change_link(device, rules=rules, limit_bytes_per_second=2 * MIB, folder="", sftp=None, by=by)
    return device.id


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
    for row in office.PLANS:
        fields = {name: value for name, value in row.items() if name not in ("devices", "store")}
        targets = [DraftTarget(store=stores[str(row["store"])])]
        if row["name"] in office.CLOUD_PLANS:
            targets.append(DraftTarget(store=stores[office.CLOUD], limit_bytes_per_second=office.CLOUD_LIMIT, falls_over=True))
        if row["name"] in office.BOATHOUSE_PLANS:
            targets.append(DraftTarget(store=stores[office.BOATHOUSE], falls_over=True))
        draft = Draft(targets=tuple(targets), **fields)  # type: ignore[arg-type]
        followers = {id for device, id in known.items() for pattern in row["devices"] if fnmatch(device, pattern)}  # type: ignore[attr-defined]
        save_plan(draft, devices=sorted(followers), by=by, now=begin)
    Assignment.objects.update(since=begin)


def _befall(night: date, back: int, network: Network, known: dict[str, UUID]) -> None:
    """What happens on the afternoon before a night: `back` counts from the last one, which is 1."""
    for device, knobs in office.TROUBLES.get(back, ()):
        network.turn(device, **knobs)
    network.turn(office.FILLS[0], own_cloud_percent=office.FILLS[1] - back)
    if office.LOST_PHOTOS[1] == back:
        network.lose(office.LOST_PHOTOS[0], office.LOST_PHOTOS[2])
    evening = datetime.combine(night, datetime.min.time(), zone_named(office.ZONE)) + timedelta(hours=20)
    by = User.objects.get(username="ines")
    if office.ON_LEAVE[1] == back:
        until = ports.clock().now().date() + timedelta(days=office.ON_LEAVE[2])
        _changed(known[office.ON_LEAVE[0]], {"state": "away", "away_until": until.isoformat()}, by, evening)
    if office.LOST[1] == back:
        _changed(known[office.LOST[0]], {"state": "lost"}, by, evening)


def _changed(id: UUID, values: dict[str, str], by: User, at: datetime) -> None:
    change_device(Device.objects.select_related("holder", "team").get(id=id), values, by=by, now=at)


def _live(night: date, back: int, network: Network, clock: PastClock, known: dict[str, UUID]) -> None:
    """One night: `back` counts from the last one, which is 1."""
    zone = zone_named(office.ZONE)
    network.live_until(night)
    _befall(night, back, network, known)
    evening = datetime.combine(night, datetime.min.time(), zone) + timedelta(hours=20)
    _evening(evening, clock)
    clock.set(evening + timedelta(hours=9, minutes=55))
    for run in Run.objects.filter(state=RunState.WAITING):
        Run.objects.filter(id=run.id).update(attempts=14, next_try_at=None)
        carry_out(run.id, clock=clock)
    if back in RULES_APPLIED:
        _apply_rules(clock())
    morning = evening + timedelta(hours=12, minutes=10)
    if morning < ports.clock().now():
        clock.set(morning)
        heartbeat("scheduler", now=morning)
        watch_office(now=morning)


def _apply_rules(now: datetime) -> None:
    for plan in Plan.objects.prefetch_related(WITH_TARGETS):
        for target in plan.targets.all():
            for device in Device.objects.filter(assignment__plan=plan):
                apply_rule(device, target.store, now=now)
            finish_removals(target.store, now=now)


def _evening(evening: datetime, clock: PastClock, until: datetime | None = None) -> None:
    """Start and carry out what is due at each planned time of the evening."""
    clock.set(evening - timedelta(hours=6))
    line_up_night(now=clock())
    for hours in (0.01, 1.51, 2.01):
        instant = evening + timedelta(hours=hours)
        if until is None or instant < until:
            clock.set(instant)
            while started := start_due(now=clock()):
                _side_by_side(started, clock)


def _side_by_side(runs: list[Run], clock: PastClock) -> None:
    """As the workers of an office do, each on a connection of its own."""

    def carried_out(run: Run) -> None:
        try:
            _hurry()
            carry_out(run.id, clock=clock)
        finally:
            connection.close()

    with ThreadPoolExecutor(SIDE_BY_SIDE) as workers:
        list(workers.map(carried_out, runs))


def _besides(known: dict[str, UUID], by: User, clock: PastClock) -> None:
    """What people did by hand: a backup before a repair, a second copy, checks, looks at devices."""
    by_slug = {slug: Device.objects.get(id=id) for slug, id in known.items()}
    clock.set(ports.clock().now() - timedelta(hours=1))
    run = ask_run_by_hand(by_slug[office.BEFORE_REPAIR[0]], note=office.BEFORE_REPAIR[1], by=by, now=clock(), occasion="before_repair")
    carry_out(run.id, clock=clock)
    newest = Backup.objects.filter(device=by_slug[office.TO_BE_WIPED]).order_by("-finished_at").first()
    assert newest is not None
    copy_backup(ask_copy(newest, Store.objects.get(name=office.SECOND_STORE), by=by).id, by=by)
    _elsewhere()
    for store in Store.objects.all():
        check_store(store, percent=100, by=by)
    at_rest.damage_and_repair(by)
    at_rest.drives(by, Network(), but=by_slug[office.REMOVED[0]])
    at_rest.drills(by_slug, by)
    room.retire_a_tablet(by_slug, by)
    for slug in office.LOOKED_AT:
        scan_device(by_slug[slug])
    set_exception(Whose(), office.RETIRED_KEEP, by=by, why="Their holders may come back to them")
    oldest = Backup.objects.filter(device=by_slug[office.REMOVED[0]], copies__state=CopyState.PRESENT).order_by("finished_at").first()
    assert oldest is not None
    shown = removal_of(backups=[oldest.id])
    remove_backups(backups=[oldest.id], why=office.REMOVED[1], seen=shown.digest, word=WORD, by=by)


def _elsewhere() -> None:
    """The newest of some devices lie in other stores as well; the others are owed, and go there while one looks."""
    owe_copies(now=ports.clock().now())
    stores = OpenStores()
    limits = dict(PlanTarget.objects.exclude(limit_bytes_per_second=None).values_list("id", "limit_bytes_per_second"))
    PlanTarget.objects.update(limit_bytes_per_second=None)  # what lies there already came slowly, and nobody has to wait for it
    for name, count in office.CARRIED_BEFOREHAND.items():
        store = Store.objects.get(name=name)
        for _ in range(count):
            row = next_copy(store, now=ports.clock().now())
            if row is not None:
                copy_backup(row.id, stores=stores)
    for id, limit in limits.items():
        PlanTarget.objects.filter(id=id).update(limit_bytes_per_second=limit)


def _habits() -> None:
    """What looks wrong in the newest backups, and who wants to be told what from now on."""
    for device in Device.objects.all():
        newest = Backup.objects.filter(device=device).select_related("device", "run").order_by("-finished_at").first()
        if newest is not None:
            look_for_anomalies(newest, now=newest.finished_at)
    for holder in Holder.objects.all():
        holder.email = office.HOLDER_MAIL.format(name=re.sub(r"[^a-z0-9]+", ".", holder.name.lower()).strip("."))
        holder.save(update_fields=["email"])
    for username, wishes in office.WISHES.items():
        User.objects.filter(username=username).update(**wishes)


def _closed(today: date, by: User) -> None:
    """The holidays that lie ahead, and one day behind."""
    ahead = [date(today.year + (month < 6), month, day) for month, day, _ in office.CLOSED_AHEAD]
    days = [Holiday(day=day, name=name) for day, (_, _, name) in zip(ahead, office.CLOSED_AHEAD, strict=True)]
    days.append(Holiday(day=today - timedelta(days=office.CLOSED_BACK[0]), name=office.CLOSED_BACK[1]))
    add_closed_days(sorted(days, key=lambda one: one.day), by=by)


def _this_night(network: Network, clock: PastClock) -> None:
    """The night that is under way or lies ahead: what has been due in it so far."""
    zone, now = zone_named(office.ZONE), ports.clock().now()
    night = coming_night(now, zone)
    network.live_until(night)
    _evening(datetime.combine(night, datetime.min.time(), zone) + timedelta(hours=20), clock, until=now - timedelta(minutes=10))
