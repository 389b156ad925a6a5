"""Reading allowances, with what each counts now."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from django.shortcuts import get_object_or_404

from core.quota.allowances import AllowanceStanding, Limits
from server.storage.models import Allowance, GroupOccupancy, Occupancy, SoftCounts, Store, SumOf


@dataclass(frozen=True, slots=True, kw_only=True)
class Allowed:
    """One allowance as it stands."""

    row: Allowance
    limits: Limits
    soft_held: int
    hard_held: int
    standing: AllowanceStanding
    """As measured last."""

    @property
    def of(self) -> str:
        """Whose, by name."""
        if self.row.team is not None:
            return self.row.team.name
        return self.row.device.name if self.row.device is not None else self.row.store.name


def allowances_in(stores: Iterable[Store], *, now: datetime) -> list[Allowed]:
    """Three queries, however many stores."""
    ids = [store.id for store in stores]
    rows = (
        Allowance.objects.filter(store__in=ids)
        .select_related("store", "team", "device")
        .order_by("store__name", "team__name", "device__name", "id")
    )
    if not (allowed := list(rows)):
        return []
    groups = {(one.store_id, one.key): one for one in GroupOccupancy.objects.filter(store__in=ids, of=SumOf.TEAM)}
    owners = [row.device_id for row in allowed if row.device_id]
    devices = {(one.store_id, one.device_id): one for one in Occupancy.objects.filter(store__in=ids, device__in=owners)}
    return [_told(row, groups, devices, now) for row in allowed]


def _told(
    row: Allowance, groups: dict[tuple[UUID, str], GroupOccupancy], devices: dict[tuple[UUID, UUID], Occupancy], now: datetime
) -> Allowed:
    limits = limits_of(row)
    if row.team_id is None and row.device_id is None:
        soft = hard = row.store.stored_bytes
    else:
        held: Any = devices.get((row.store_id, row.device_id)) if row.device_id else groups.get((row.store_id, str(row.team_id)))
        soft, hard = counted(held, row.soft_counts), counted(held, SoftCounts.NEEDED)
    standing = limits.standing(soft_held=soft, hard_held=hard, over_since=row.over_since, now=now)
    return Allowed(row=row, limits=limits, soft_held=soft, hard_held=hard, standing=standing)


def limits_of(row: Allowance) -> Limits:
    """As the core knows them."""
    return Limits(soft_bytes=row.soft_bytes, hard_bytes=row.hard_bytes, grace_days=row.grace_days)


def counted(held: Occupancy | GroupOccupancy | None, counts: str) -> int:
    """Bytes of a row of figures; nothing for somebody who has nothing there."""
    if held is None:
        return 0
    if counts == SoftCounts.FAIR:
        return held.fair_bytes
    return held.alone_bytes + (held.shared_bytes if counts == SoftCounts.NEEDED else 0)


def allowance(id: int) -> Allowance:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(Allowance.objects.select_related("store", "team", "device"), id=id)
