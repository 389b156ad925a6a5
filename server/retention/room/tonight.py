"""So that tonight fits: which runs of the coming night find no room in a store, and what can really help by then.

Waste that was marked and waited long enough, another store that the plan names, a larger allowance, a run that waits. What leaves and
waits out its undo period can be let go sooner; but a sweep sees it twice before its bytes are free, and the day is said.
"""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from enum import StrEnum
from math import inf
from uuid import UUID

from django.db.models import QuerySet

from core.quota.admission import Room
from core.schedule.nights import coming_night
from core.units import iec
from core.vault.sweep import due_bytes
from server.people.queries import office_zone
from server.plans.models import PlanTarget
from server.retention.room.elsewhere import more_space
from server.retention.room.offers import free_days
from server.runs.models import Copy, CopyState, LinedUp
from server.runs.rooms import STORE, keys_of, rooms_tonight
from server.storage.at_hand import at_hand
from server.storage.models import Mode, Store


class Help(StrEnum):
    """What would help one room tonight."""

    SWEEP = "sweep"
    """Marked packs whose grace period is over."""
    FALL_OVER = "fall_over"
    """Another store that the plan names."""
    ALLOWANCE = "allowance"
    WAIT = "wait"
    """A run that does not start tonight."""
    SOONER = "sooner"
    """What leaves already, without the rest of its undo period."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Short:
    """A run of the coming night that no room is expected for."""

    row: LinedUp
    room: str
    """Key of the room that is too small."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RoomWay:
    """What can be done about it."""

    help: Help
    room: str
    """Key of the room that it helps."""
    title: str
    says: str
    bytes: int
    free_on: date
    suffices: bool
    """Whether it gives that room all that it lacks, by tonight."""
    plan: UUID | None = None
    device: UUID | None = None
    limit_bytes: int | None = None
    """Of a larger allowance: what it would have to be at least."""


@dataclass(frozen=True, slots=True, kw_only=True)
class LackingRoom:
    """A room that the coming night has too little of."""

    key: str
    name: str
    left_bytes: int
    wanted_bytes: int
    """What all its runs of tonight are expected to store, beyond what it has left."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Tonight:
    """What the coming night needs, and where it is short."""

    night: date
    short: list[Short]
    lacking: list[LackingRoom]
    ways: list[RoomWay]
    """By the room that they help, the least that has to be decided first."""


def tonight(store: Store, *, now: datetime) -> Tonight:
    """Raises StoreError, VaultError."""
    night = coming_night(now, office_zone())
    ahead = LinedUp.objects.filter(night=night, planned_for__gt=now, store=store).select_related("device__holder", "plan")
    rows = list(ahead.order_by("-late", "starts_at"))
    short = [Short(row=row, room=row.short_room) for row in rows if row.no_room]
    rooms = rooms_tonight([store], now=now)
    lacking = [lack for key in sorted({one.room for one in short}) if (lack := _lacking(key, rooms, rows, store)) is not None]
    ways = [way for one in lacking for way in _ways(store, one, rows, short, now)]
    return Tonight(night=night, short=short, lacking=lacking, ways=ways)


def _lacking(key: str, rooms: dict[str, Room], rows: Sequence[LinedUp], store: Store) -> LackingRoom | None:
    """None for a room that is there no more, or has room enough by now."""
    room = rooms.get(key)
    if room is None or room.left_bytes is None:
        return None
    left = max(0, room.left_bytes - room.reserve_bytes)
    expected = sum(row.expected_bytes for row in rows if key in keys_of(row.device, store.id))
    return LackingRoom(key=key, name=room.name, left_bytes=left, wanted_bytes=expected - left) if expected > left else None


def _ways(store: Store, lacking: LackingRoom, rows: Sequence[LinedUp], short: Sequence[Short], now: datetime) -> list[RoomWay]:
    today = now.astimezone(office_zone()).date()
    ways: list[RoomWay] = []
    if lacking.key == f"{STORE} {store.id}":
        ways += [*_swept(store, lacking, today, now), *_elsewhere(store, lacking, short, today), *_sooner(store, lacking, today)]
    ways += [*_larger(store, lacking, today), *_waiting(store, lacking, rows, today)]
    order = list(Help)
    return sorted(ways, key=lambda way: (not way.suffices, order.index(way.help), -way.bytes, way.title))


def _swept(store: Store, lacking: LackingRoom, today: date, now: datetime) -> list[RoomWay]:
    known = at_hand(store)
    with known.lock:
        held = due_bytes(known.vault, now=now)
    if held <= 0:
        return []
    says = "marked by a sweep, and its grace period is over: loses nothing"
    return [
        RoomWay(
            help=Help.SWEEP,
            room=lacking.key,
            title="Sweep now",
            says=says,
            bytes=held,
            free_on=today,
            suffices=held >= lacking.wanted_bytes,
        )
    ]


def _elsewhere(store: Store, lacking: LackingRoom, short: Sequence[Short], today: date) -> list[RoomWay]:
    """Of the plans of the runs that are short: stores that they name besides."""
    expected: dict[UUID, int] = defaultdict(int)
    for one in short:
        if one.room == lacking.key:
            expected[one.row.plan_id] += one.row.expected_bytes
    targets = PlanTarget.objects.filter(plan__in=expected, order__gt=0, store__mode=Mode.IN_USE, store__trouble="").exclude(store=store)
    steps = []
    for target in targets.select_related("plan", "store").order_by("plan__name", "order"):
        held = expected[target.plan_id]
        does = "goes there by itself when it finds no room" if target.falls_over else "could go there; its plan does not say so yet"
        says = f"{iec(held)} of {target.plan.name} {does}; what comes lies there alone until it is copied"
        steps.append(
            RoomWay(
                help=Help.FALL_OVER, room=lacking.key, title=f"{target.plan.name} into {target.store.name}", says=says, bytes=held,
                free_on=today, suffices=held >= lacking.wanted_bytes, plan=target.plan_id,
            )
        )  # fmt: skip
    return steps


def _larger(store: Store, lacking: LackingRoom, today: date) -> list[RoomWay]:
    """A store's own allowance, or that of a team or a device; not where the medium itself is full."""
    limit, says = None, f"{iec(lacking.wanted_bytes)} more for {lacking.name}; loses nothing"
    if lacking.key == f"{STORE} {store.id}":
        space = more_space(store, lacking.wanted_bytes)
        if space is None or store.allowance_bytes is None or _medium_left(store) < lacking.wanted_bytes:
            return []
        limit, says = store.allowance_bytes + lacking.wanted_bytes, f"loses {space.loses}"
    return [
        RoomWay(
            help=Help.ALLOWANCE, room=lacking.key, title="A larger allowance", says=says, bytes=lacking.wanted_bytes, free_on=today,
            suffices=True, limit_bytes=limit,
        )
    ]  # fmt: skip


def _medium_left(store: Store) -> float:
    """Beyond what its allowance leaves it; without end where the medium does not tell."""
    if store.free_bytes is None or store.allowance_bytes is None:
        return inf
    return store.free_bytes - max(0, store.allowance_bytes - store.stored_bytes)


def _waiting(store: Store, lacking: LackingRoom, rows: Iterable[LinedUp], today: date) -> list[RoomWay]:
    """The smallest run by itself that makes room for all others; where none does, the largest. Late ones do not wait."""
    mine = [row for row in rows if lacking.key in keys_of(row.device, store.id) and not row.late and row.expected_bytes > 0]
    enough = sorted((row for row in mine if row.expected_bytes >= lacking.wanted_bytes), key=lambda row: (row.expected_bytes, str(row.id)))
    chosen = enough[:1] or sorted(mine, key=lambda row: (-row.expected_bytes, str(row.id)))[:1]
    return [
        RoomWay(
            help=Help.WAIT, room=lacking.key, title=f"{row.device.name}, {row.device.holder.name} waits a night", bytes=row.expected_bytes,
            says=f"about {iec(row.expected_bytes)}; nothing of it is saved tonight", free_on=today,
            suffices=row.expected_bytes >= lacking.wanted_bytes, device=row.device_id,
        )
        for row in chosen
    ]  # fmt: skip


def _sooner(store: Store, lacking: LackingRoom, today: date) -> list[RoomWay]:
    """What only waits out its undo period here."""
    waiting = set(undoing(store, today).values_list("backup_id", flat=True))
    if not waiting:
        return []
    known = at_hand(store)
    with known.lock:
        there = {manifest.id for manifest in known.accounts.manifests}
        going = [id.bytes for id in waiting if id.bytes in there]
        held = known.accounts.alone_bytes(going) if going else 0
        free_on = today + timedelta(days=free_days(timedelta(), known.vault.limits))
    if held <= 0:
        return []
    leave = "1 backup leaves already; it" if len(going) == 1 else f"{len(going)} backups leave already; they"
    says = f"{leave} could not be taken back any more. Not free tonight: a sweep sees them twice before"
    return [
        RoomWay(
            help=Help.SOONER, room=lacking.key, title="End their undo period now", says=says, bytes=held, free_on=free_on,
            suffices=free_on <= today and held >= lacking.wanted_bytes,
        )
    ]  # fmt: skip


def undoing(store: Store, today: date) -> QuerySet[Copy]:
    """Copies that wait out their undo period in a store."""
    return Copy.objects.filter(store=store, state=CopyState.LEAVING, leaves_on__gt=today)
