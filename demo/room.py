"""What the demo's stores held before its first real night, drawn from a seed and said to be; allowances; a tablet that fills the cloud."""

from collections.abc import Mapping
from datetime import timedelta
from random import Random
from typing import Any

from core.quota.allowances import Limits
from demo import office
from server import ports
from server.fleet.actions.change_device import change_device
from server.fleet.actions.note_own_cloud import note_told_own_cloud
from server.fleet.convert import own_cloud_of
from server.fleet.models import Device, OwnCloudTold
from server.people.models import Team, User
from server.runs.actions.copy_backup import OpenStores, ask_copy, copy_backup
from server.runs.models import Backup
from server.storage.actions.set_allowance import WantedAllowance, set_allowance
from server.storage.allowances import allowances_in
from server.storage.models import Allowance, Store, StoreDay

_UNREST = 0.18
"""By how much of a usual day's growth a day differs from it."""


def retire_a_tablet(by_slug: Mapping[str, Device], by: User) -> None:
    """With every moment of it in the cloud, where nobody thought of it."""
    device, cloud, open_ones = by_slug[office.RETIRED_TABLET], Store.objects.get(name=office.CLOUD), OpenStores()
    there = Backup.objects.filter(device=device, copies__state="present").exclude(copies__store=cloud)
    for backup in there.order_by("finished_at").distinct():
        copy_backup(ask_copy(backup, cloud, by=by).id, stores=open_ones)
    change_device(Device.objects.select_related("holder", "team").get(id=device.id), {"state": "retired"}, by=by, now=ports.clock().now())


def draw_days() -> None:
    """Of each store, up to what was really measured today."""
    for store in Store.objects.filter(days__isnull=False).distinct():
        today = StoreDay.objects.filter(store=store, drawn=False).latest("day")
        days, begin = office.DRAWN.get(store.name, office.DRAWN[""])
        source = Random(store.name)  # noqa: S311 - nothing secret
        steps = [max(0.0, 1 + source.gauss(0, _UNREST)) for _ in range(days)]
        whole, grown = sum(steps), 0.0
        rows = []
        for number, step in enumerate(steps):
            share = begin + (1 - begin) * grown / whole
            grown += step
            rows.append(
                StoreDay(
                    store=store, day=today.day - timedelta(days=days - number), limit_bytes=today.limit_bytes, drawn=True,
                    stored_bytes=round((today.stored_bytes - today.going_bytes) * share),
                    teams=_drawn(today.teams, share, source), devices=_drawn(today.devices, share, source),
                    kinds=_drawn(today.kinds, share, source), counted={key: round(held * share) for key, held in today.counted.items()},
                )
            )  # fmt: skip
        StoreDay.objects.bulk_create(rows)


def _drawn(parts: Mapping[str, int], share: float, source: Random) -> dict[str, int]:
    return {key: round(held * share * source.uniform(0.96, 1.0)) for key, held in parts.items()}


def draw_account(device: Device) -> None:
    """What its own cloud account held on the days on which nothing asked it, as if it had filled as evenly as it does now."""
    rows = OwnCloudTold.objects.filter(device=device)
    known, now = {row.at.date() for row in rows}, ports.clock().now()
    newest: dict[str, Any] = rows.latest("at").told or {}
    share = newest["allowed_bytes"] // 100
    days = [now - timedelta(days=back) for back in range(1, office.FILLED_DAYS)]
    OwnCloudTold.objects.bulk_create(
        OwnCloudTold(device=device, at=at, seen_at=at, told=newest | {"used_bytes": newest["used_bytes"] - back * share, "drawn": True})
        for back, at in enumerate(days, 1)
        if at.date() not in known
    )
    note_told_own_cloud(device, own_cloud_of(newest), now=now)


def allowances(by_slug: Mapping[str, Device], by: User) -> None:
    """A team that is over its soft one for longer than it may, and a device for whose next run there is no room."""
    store, now = Store.objects.get(name=office.MEASURED_STORE), ports.clock().now()
    team, device = Team.objects.get(name=office.OVER_TEAM), by_slug[office.SHORT_DEVICE]
    for wanted in (
        WantedAllowance(limits=Limits(soft_bytes=1 << 30, hard_bytes=None, grace_days=3), team=team.id),
        WantedAllowance(limits=Limits(soft_bytes=None, hard_bytes=1 << 30, grace_days=3), device=device.id),
    ):
        set_allowance(store, wanted, by=by)
    held = {one.row.id: one for one in allowances_in([store], now=now)}
    over = next(one for one in held.values() if one.row.team_id == team.id)
    short = next(one for one in held.values() if one.row.device_id == device.id)
    for wanted in (
        WantedAllowance(limits=Limits(soft_bytes=over.soft_held * 9 // 10, hard_bytes=None, grace_days=3), team=team.id),
        WantedAllowance(limits=Limits(soft_bytes=None, hard_bytes=short.hard_held + office.SHORT_BYTES, grace_days=3), device=device.id),
    ):
        set_allowance(store, wanted, by=by)
    Allowance.objects.filter(id=over.row.id).update(over_since=now - timedelta(days=office.OVER_DAYS))
