"""The demo's copies at rest: two drives that take turns, a damaged copy that was repaired from another store, some drills."""

from collections.abc import Mapping
from datetime import timedelta
from pathlib import Path

from django.conf import settings

from core.vault.address import DriveAddress
from core.vault.blobs import pack_name
from core.vault.packs import ids_of
from demo import office
from demo.network import Network
from server import ports
from server.fleet.models import Device
from server.people.models import User
from server.people.queries import office_zone
from server.plans.models import Plan, PlanTarget
from server.recovery.actions.ask_drill import ask_drill
from server.recovery.actions.carry_out_drill import carry_out_drill
from server.retention.actions.measure import measure
from server.runs.actions.check_store import check_store
from server.runs.actions.copy_backup import OpenStores, ask_copy, copy_backup
from server.runs.actions.look_for_drives import look_for_drives
from server.runs.actions.part_drive import part_drive
from server.runs.models import Backup
from server.storage.actions.add_store import create_store
from server.storage.actions.set_rotation import WantedRotation, keep_drive, set_rotation
from server.storage.models import Drive, Store
from server.storage.queries import opened


def drives(by: User, network: Network, *, but: Device) -> None:
    """Both are elsewhere: one in the safe, one should be here since its turn began. Nothing of `but` lies on them."""
    name, rotation = office.ROTATION
    desk, stores = settings.ATTIC_ENV.data / "stores" / "drives", []
    for drive, folder, keeper, rests_in in rotation:
        store = create_store(
            name=drive, address=DriveAddress(path=str(desk / folder)), passphrase=office.PASSPHRASE, passphrase_again=office.PASSPHRASE,
            allowance_bytes=None, by=by,
        ).store  # fmt: skip
        keep_drive(store, keeper=keeper, rests_in=rests_in, by=by)
        stores.append(store)
    today = ports.clock().now().astimezone(office_zone()).date()
    began = today - timedelta(days=office.ROTATION_BEGAN)
    set_rotation(WantedRotation(name=name, every_days=7, first_day=began, grace_days=2, drives=[store.id for store in stores]), by=by)
    for plan in Plan.objects.filter(name__in=office.ROTATION_PLANS):
        last = plan.targets.count()
        PlanTarget.objects.bulk_create(PlanTarget(plan=plan, store=store, order=order) for order, store in enumerate(stores, start=last))
    seen = ports.clock().now() - timedelta(days=office.ROTATION_SEEN)
    _fill(stores, by, but)
    for store, (_, folder, *_) in zip(stores, rotation, strict=True):
        measure(store, now=ports.clock().now())
        part_drive(store, by=by)
        network.plug(folder, in_=False)
    look_for_drives(now=ports.clock().now())
    Drive.objects.filter(store__in=stores).update(seen_at=seen, out_since=seen)
    Store.objects.filter(id__in=[store.id for store in stores]).update(added_at=seen - timedelta(days=30))


def _fill(stores: list[Store], by: User, but: Device) -> None:
    """With what was the newest of some phones when they were here last."""
    open_ones, before = OpenStores(), ports.clock().now() - timedelta(days=office.ROTATION_SEEN)
    rows = Backup.objects.filter(device__assignment__plan__name__in=office.ROTATION_PLANS, finished_at__lt=before, copies__state="present")
    newest = rows.exclude(device=but).order_by("device_id", "-finished_at").distinct("device_id")[: office.ROTATION_HOLDS]
    for store in stores:
        for backup in newest:
            copy_backup(ask_copy(backup, store, by=by).id, stores=open_ones)


def damage_and_repair(by: User) -> None:
    """One bit of a pack on the safe drive flips; the nightly check finds it, and what it needs comes back from the boathouse."""
    safe, boathouse = (Store.objects.get(name=name) for name in (office.SECOND_STORE, office.BOATHOUSE))
    mine, theirs = opened(safe), opened(boathouse)
    mine.refresh()
    theirs.refresh()
    for pack, entries in mine.index.packs():
        chunks = ids_of(entries)
        if chunks and all(theirs.index.place(chunk) is not None for chunk in chunks):
            path = Path(safe.where) / pack_name(pack)
            content = bytearray(path.read_bytes())
            content[len(content) // 2] ^= 1
            path.write_bytes(content)
            break
    check_store(safe, percent=100, by=None)


def drills(by_slug: Mapping[str, Device], by: User) -> None:
    for slug in office.DRILLED:
        carry_out_drill(ask_drill(by_slug[slug], store=None, by=by).id)
