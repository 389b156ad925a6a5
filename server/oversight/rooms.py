"""What will be full, and who has more than was meant: stores by their runway, teams and devices by their allowances."""

from collections.abc import Iterable
from datetime import datetime
from uuid import UUID
from zoneinfo import ZoneInfo

from core.quota.allowances import AllowanceStanding
from core.schedule.nights import coming_night
from core.units import iec
from server.oversight.cause import Cause
from server.oversight.standing import Standings
from server.runs.models import LinedUp
from server.storage.allowances import allowances_in
from server.storage.models import Mode, Store
from server.storage.runways import runways

NEARLY = 90
"""Percent of an allowance from which on a store is nearly full, whatever its pace."""


def causes_of_room(stores: Iterable[Store], now: datetime, zone: ZoneInfo) -> list[Cause]:
    """At most four queries, however many stores."""
    written = [store for store in stores if store.mode == Mode.IN_USE]
    return [*_full_soon([store for store in written if not store.trouble], now, zone), *_over(written, now)]


def _full_soon(stores: list[Store], now: datetime, zone: ZoneInfo) -> list[Cause]:
    rooms, outlooks = [], runways(stores, now=now, zone=zone)
    for store in stores:
        runway = outlooks[store.id]
        nearly = bool(store.allowance_bytes) and store.stored_bytes * 100 >= (store.allowance_bytes or 0) * NEARLY
        if not (nearly or runway.soon):
            continue
        allowance = store.allowance_bytes or 0
        facts = {
            "store": store.name,
            "left": iec(max(0, allowance - store.stored_bytes)) if nearly else "",
            "allowance": iec(allowance) if nearly else "",
            "both": nearly and runway.soon,
            "short": runway.short if runway.soon and runway.days is not None else "",
            "earliest": runway.earliest if runway.soon and runway.days is None else None,
        }
        rooms.append(
            Cause(code=f"full {store.id}", mark="store", kind="full", facts=facts, step="room", step_label="Make room", store=store)
        )
    return rooms


def _over(stores: list[Store], now: datetime) -> list[Cause]:
    by_id, rooms = {store.id: store for store in stores}, []
    for one in allowances_in(stores, now=now):
        if one.standing not in (AllowanceStanding.OVERDUE, AllowanceStanding.FULL):
            continue
        store = by_id[one.row.store_id]
        whose = f"{one.of} in {store.name}" if one.of != store.name else store.name
        if one.standing is AllowanceStanding.FULL:
            facts = {"way": "hard", "whose": whose, "limit": iec(one.limits.hard_bytes or 0)}
        else:
            facts = {"way": "soft", "whose": whose, "held": iec(one.soft_held), "limit": iec(one.limits.soft_bytes or 0)}
        code = f"allowance {one.row.id}"
        rooms.append(Cause(code=code, mark="store", kind="allowance", facts=facts, step="room", step_label="Make room", store=store))
    return rooms


def no_room_tonight(now: datetime, rows: dict[UUID, Standings], zone: ZoneInfo) -> list[Cause]:
    """Devices of the coming night that no room is expected for, by the room that is short. One query."""
    ahead = LinedUp.objects.filter(night=coming_night(now, zone), planned_for__gt=now).exclude(no_room="").select_related("store")
    causes: dict[str, Cause] = {}
    for one in ahead.order_by("-late", "starts_at"):
        if (row := rows.get(one.device_id)) is None:
            continue
        code, facts = f"no_room {one.short_room or one.store_id}", {"room": one.no_room}
        made = Cause(code=code, mark="due_soon", kind="no_room", facts=facts, step="room", step_label="Make room", store=one.store)
        cause = causes.setdefault(code, made)
        if row not in cause.devices:
            cause.devices.append(row)
    return list(causes.values())
