"""What a change of a plan would do to what lies there: laid over the real history before it is saved.

Both sides are judged by the same rule, on the same rows, at the same instant. What leaves already, and what the plan as it is
would let go tonight, is no consequence of the change.
"""

import hashlib
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from uuid import UUID

from django.db import transaction

from core.errors import BadInput
from server import ports
from server.api.problems import Conflict
from server.fleet.actions.change_device import change_of
from server.fleet.models import Device
from server.fleet.objections import DevicesChange
from server.people.queries import office_settings, office_zone
from server.plans.objections import Change
from server.plans.rules import GONE_STATES
from server.retention.convert import is_safeguarded
from server.retention.judging import Context, Facts, Instead, Judged, judged_all
from server.runs.models import CopyState

WORTH_SAYING = timedelta(days=28)
"""A stretch without a moment that is shorter is no news."""
WORD = "remove"


class Unseen(Conflict):
    """More would leave than was shown, or nothing was."""

    code = "retention.unseen"
    remedy = "Look at what would leave, and save again."


@dataclass(slots=True, kw_only=True)
class Point:
    """One backup of a device, in whichever stores."""

    at: datetime
    state: str
    """stays, leaves, safeguarded, held: what becomes of it with the change."""


@dataclass(slots=True, kw_only=True)
class DeviceConsequences:
    """What a change of rules would let go of one device."""

    device: Device
    leaves: int = 0
    stays: int = 0
    points: list[Point] = field(default_factory=list)
    gap: tuple[date, date] | None = None
    """The longest stretch of days without a moment that the change would make; its neighbours are what is left."""
    lapsed: bool = False


@dataclass(slots=True, kw_only=True)
class OfStore:
    """The same, by store."""

    name: str
    leaves: int = 0
    stays: int = 0
    backups: list[UUID] = field(default_factory=list)


@dataclass(slots=True, kw_only=True)
class Consequences:
    """Counts are of backups in a device and of copies in a store."""

    devices: list[DeviceConsequences] = field(default_factory=list)
    stores: dict[UUID, OfStore] = field(default_factory=dict)
    leaves: int = 0
    stays: int = 0
    safeguarded: int = 0
    digest: str = ""
    needs_word: bool = False
    first_day: date | None = None
    """First day on which something of it may go."""


def consequences(change: Change, *, now: datetime) -> Consequences:
    """Of a plan as it is being edited, for the devices that follow it or would."""
    context = Context.read(now)
    devices = {device.id: device for device in Device.objects.filter(assignment__plan=change.plan.id).select_related("holder", "team")}
    joining = set(change.followers) - set(devices)
    devices |= {device.id: device for device in Device.objects.filter(id__in=joining).select_related("holder", "team")}
    ordered = sorted(devices.values(), key=lambda device: (device.name, str(device.id)))
    instead = Instead(plan=change.plan, stores=change.stores, followers=change.followers)
    facts = Facts.read(ordered, now)
    return compared(judged_all(ordered, context, facts=facts), judged_all(ordered, context, instead=instead, facts=facts), context)


def of_devices(change: DevicesChange, *, now: datetime) -> Consequences:
    """Of devices whose state or team changes: another rule may speak of them then, or count from another day."""
    pairs = [(was, would) for was, would in zip(change.before, change.after, strict=True) if _ruled(was) != _ruled(would)]
    if not pairs:
        return Consequences()
    context, before, after = Context.read(now), [was for was, _ in pairs], [would for _, would in pairs]
    facts = Facts.read(before, now)
    return compared(judged_all(before, context, facts=facts), judged_all(after, context, facts=facts), context)


def of_devices_changed(ids: Sequence[UUID], values: Mapping[str, str], *, now: datetime) -> Consequences:
    """The same for devices by their ids, without changing anything. Raises BadInput."""
    with transaction.atomic():
        devices = list(Device.objects.filter(id__in=ids).select_related("holder", "team").order_by("name", "id"))
        foreseen = of_devices(change_of([(device, values) for device in devices], now=now), now=now)
        transaction.set_rollback(True)  # holders and teams that were named and are not there yet
    return foreseen


def _ruled(device: Device) -> tuple[int | None, bool]:
    return device.team_id, device.state in GONE_STATES


def compared(before: Sequence[Judged], after: Sequence[Judged], context: Context) -> Consequences:
    """The same devices judged twice, as things are and as they would be."""
    so_far, lines = Consequences(), list[str]()
    for was, would in zip(before, after, strict=True):
        _of_device(was, would, so_far, lines)
    so_far.digest = hashlib.sha256("\n".join(sorted(lines)).encode()).hexdigest() if lines else ""
    share = office_settings().unasked_share_percent
    so_far.needs_word = so_far.leaves * 100 > (so_far.leaves + so_far.stays) * share
    if lines:
        so_far.first_day = context.now.astimezone(office_zone()).date() + context.undo
    return so_far


def _of_device(before: Judged, after: Judged, so_far: Consequences, lines: list[str]) -> None:
    one = DeviceConsequences(device=after.device, lapsed=after.lapsed)
    kept_before = {(verdict.moment.id, verdict.moment.store) for verdict in before.verdicts if verdict.kept}
    backups: dict[str, list[tuple[datetime, str]]] = defaultdict(list)
    for verdict in after.verdicts:
        copy = after.copy_of(verdict)
        store = so_far.stores.setdefault(copy.store_id, OfStore(name=copy.store.name))
        place = (verdict.moment.id, verdict.moment.store)
        if not verdict.kept and place in kept_before and copy.state == CopyState.PRESENT:
            state = "leaves"
            store.leaves += 1
            store.backups.append(copy.backup_id)
            lines.append(f"{copy.backup_id} {copy.store_id}")
        elif not verdict.kept:
            continue
        else:
            state = "held" if verdict.moment.hold else "safeguarded" if is_safeguarded(verdict) else "stays"
            store.stays += 1
            so_far.safeguarded += state == "safeguarded"
        backups[verdict.moment.id].append((verdict.moment.at, state))
    for copies in backups.values():
        states = {state for _, state in copies}
        best = next(state for state in ("stays", "held", "safeguarded", "leaves") if state in states)
        one.points.append(Point(at=copies[0][0], state=best))
    one.points.sort(key=lambda point: point.at, reverse=True)
    one.leaves = sum(point.state == "leaves" for point in one.points)
    one.stays = len(one.points) - one.leaves
    one.gap = _gap(one.points)
    so_far.leaves, so_far.stays = so_far.leaves + one.leaves, so_far.stays + one.stays
    so_far.devices.append(one)


def _gap(points: list[Point]) -> tuple[date, date] | None:
    """Of points that come newest first: the longest stretch between two that stay in which others leave."""
    longest: tuple[timedelta, date, date] | None = None
    newer: Point | None = None
    between = 0
    for point in points:
        if point.state == "leaves":
            between += 1
            continue
        if newer is not None and between and (longest is None or newer.at - point.at > longest[0]):
            zone = office_zone()
            longest = (newer.at - point.at, point.at.astimezone(zone).date(), newer.at.astimezone(zone).date())
        newer, between = point, 0
    return (longest[1], longest[2]) if longest is not None and longest[0] >= WORTH_SAYING else None


def object_to_unseen(change: Change) -> None:
    """Nothing leaves unseen: whoever saves says which consequences were shown. Raises Unseen, BadInput."""
    agreed(consequences(change, now=ports.clock().now()), seen=change.seen, word=change.word)


def agreed(foreseen: Consequences, *, seen: str, word: str) -> None:
    """Whether what is about to be saved is what was shown. Raises Unseen, BadInput."""
    if not foreseen.digest:
        return
    if foreseen.digest != seen:
        copies = sum(store.leaves for store in foreseen.stores.values())
        says = "1 copy leaves that is kept now" if copies == 1 else f"{copies} copies leave that are kept now"
        raise Unseen(f"With this change {says}.")
    if foreseen.needs_word and word.strip().lower() != WORD:
        raise BadInput("This removes more than usual.", field="word", remedy=f"Read what leaves, and type “{WORD}”.")


def object_to_unseen_of_devices(change: DevicesChange) -> None:
    """The same for devices. Raises Unseen, BadInput."""
    foreseen = of_devices(change, now=ports.clock().now())
    if change.remedy and foreseen.digest:
        raise Unseen("By this change copies leave that are kept now.", remedy=change.remedy)
    agreed(foreseen, seen=change.seen, word=change.word)
