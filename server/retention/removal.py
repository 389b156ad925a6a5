"""What removing backups by hand would do: which copies leave, what forbids it, and what is left to go back to.

Shown before anything is asked for, and computed once more under the locks when it is: the same digest says that nothing has
changed in between.
"""

import hashlib
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

from core.errors import BadInput
from server.fleet.models import Device
from server.people.queries import office_settings
from server.retention.freezing import Frozen
from server.runs.models import THERE, Copy, CopyState

MOST_AT_ONCE = 2000


@dataclass(slots=True, kw_only=True)
class DeviceRemoval:
    """What a device loses, and what it keeps. Backups, not copies."""

    device: Device
    going: int = 0
    """Backups of which at least one copy leaves."""
    nowhere: int = 0
    """Backups of which no store keeps a copy afterwards."""
    left: int = 0
    """Backups that can be restored afterwards."""
    newest_left: datetime | None = None


@dataclass(slots=True, kw_only=True)
class Removal:
    """Backups that somebody wants to remove, and what is lost with them."""

    copies: list[Copy] = field(default_factory=list)
    """That leave."""
    held: list[Copy] = field(default_factory=list)
    frozen: list[Copy] = field(default_factory=list)
    """Both stay: a hold, or that nothing leaves, outweighs a removal by hand."""
    devices: list[DeviceRemoval] = field(default_factory=list)
    needs_word: bool = False
    digest: str = ""


def removal_of(*, backups: Sequence[UUID] = (), device: UUID | None = None, store: UUID | None = None) -> Removal:
    """Of these backups, or of all of a device; in one store, or everywhere. Raises BadInput."""
    if bool(backups) == (device is not None):
        raise BadInput("Nothing was chosen.", field="backups", remedy="Choose backups, or one device.")
    if len(backups) > MOST_AT_ONCE:
        raise BadInput(f"More than {MOST_AT_ONCE} at once are not possible.", field="backups", remedy="Choose fewer, or a whole device.")
    rows = Copy.objects.filter(state=CopyState.PRESENT).select_related("backup__device__holder", "store").order_by("id")
    rows = rows.filter(backup__device=device) if device is not None else rows.filter(backup__in=set(backups))
    removal, frozen = Removal(), Frozen.read()
    for copy in rows.filter(store=store) if store is not None else rows:
        if frozen.holds(copy.store_id, copy.backup.device.team_id):
            removal.frozen.append(copy)
        elif copy.backup.hold_reason:
            removal.held.append(copy)
        else:
            removal.copies.append(copy)
    removal.devices = _devices(removal.copies)
    removal.needs_word = _is_unusual(removal)
    listed = "\n".join(sorted(f"{copy.backup_id} {copy.store_id}" for copy in removal.copies))
    removal.digest = hashlib.sha256(listed.encode()).hexdigest()
    return removal


def _devices(copies: Iterable[Copy]) -> list[DeviceRemoval]:
    """By name. One query for what else each device has."""
    going = {copy.id for copy in copies}
    devices = {copy.backup.device_id: copy.backup.device for copy in copies}
    there: dict[UUID, dict[UUID, list[Copy]]] = defaultdict(lambda: defaultdict(list))
    for copy in Copy.objects.filter(backup__device__in=devices, state__in=THERE).select_related("backup"):
        there[copy.backup.device_id][copy.backup_id].append(copy)
    lines = []
    for id, device in devices.items():
        one = DeviceRemoval(device=device)
        for rows in there[id].values():
            stays = [row for row in rows if row.id not in going and row.state == CopyState.PRESENT]
            loses = any(row.id in going for row in rows)
            one.going += loses
            one.nowhere += loses and not stays
            if any(row.intact for row in stays):
                one.left += 1
                one.newest_left = max(one.newest_left or rows[0].backup.finished_at, rows[0].backup.finished_at)
        lines.append(one)
    return sorted(lines, key=lambda one: (one.device.name, str(one.device.id)))


def _is_unusual(removal: Removal) -> bool:
    """Whether a device would have nothing left, or more than the office's share of what these devices have would go."""
    if any(one.nowhere and not one.left for one in removal.devices):
        return True
    nowhere, all_of_them = sum(one.nowhere for one in removal.devices), sum(one.nowhere + one.left for one in removal.devices)
    return nowhere * 100 > all_of_them * office_settings().unasked_share_percent
