"""A device's copies in all of its stores, judged as things are now: what its rules, its holds and the safeguards say of each.

Read under the lock of the device by whoever acts on it, and without it by whoever only shows it.
"""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from typing import cast
from uuid import UUID

from django.db.models import Q

from core.retention.pile import Fact
from core.retention.rule import Rule
from core.retention.verdicts import Case, Life, Moment, Verdict, leaves_on, lives, verdicts_of
from server.fleet.models import Device
from server.people.queries import office_settings, office_zone
from server.plans.convert import recurrence_of
from server.plans.models import Assignment, Plan
from server.plans.queries import OF_THEIR_PLANS
from server.plans.rules import GONE_STATES, AppliedRule, RuleBook
from server.retention.freezing import Frozen
from server.runs.models import ACTIVE, CAME, THERE, Copy, CopyState, Run, RunState
from server.runs.protection import in_use
from server.storage.models import OUT_OF_USE, Drive, Mode
from server.storage.queries import NOT_HERE

SLOW_OWED = timedelta(days=7)
"""A copy that failed is owed for so long; then it holds nothing up any more."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Context:
    """What is the same for every device. Read once."""

    book: RuleBook
    frozen: Frozen
    undo: timedelta
    now: datetime
    deciding_for: UUID | None = None
    away: frozenset[UUID] = frozenset()

    @classmethod
    def read(cls, now: datetime, *, deciding_for: UUID | None = None) -> "Context":
        """`deciding_for`: a store whose copies are decided about. A drive that is elsewhere counts for nothing in other stores, and for
        what it holds in its own: what leaves it does so when it is back, and is read once more then."""
        undo = timedelta(days=office_settings().undo_days)
        return cls(book=RuleBook.read(), frozen=Frozen.read(), undo=undo, now=now,
                   deciding_for=deciding_for, away=_away())  # fmt: skip


def _away() -> frozenset[UUID]:
    """Drives that are not here."""
    return frozenset(Drive.objects.filter(state__in=NOT_HERE).values_list("store_id", flat=True))


@dataclass(frozen=True, slots=True, kw_only=True)
class Judged:
    """A device, its copies, its rules, and what they say of each."""

    device: Device
    plan: Plan | None
    copies: dict[tuple[str, str], Copy]
    """(backup, store) → its row, with its backup."""
    moments: list[Moment]
    rules: Mapping[str, AppliedRule | None]
    as_of: datetime
    lapsed: bool
    """Whether its protection has lapsed, so that its rules count by its newest good backup."""
    verdicts: list[Verdict] = field(default_factory=list)

    def copy_of(self, verdict: Verdict) -> Copy:
        """The row behind a verdict."""
        return self.copies[verdict.moment.id, verdict.moment.store]

    def leaves_on(self, now: datetime, *, days: int) -> dict[tuple[str, str], date | None]:
        """(backup, store) → the day on which nothing claims it any more if the plan goes on as it does, within so many days.

        Nothing of a device that is retired or lost: its rule counts from one day, and time alone removes nothing more.
        """
        if self.device.state in GONE_STATES:
            return {}
        runs = self._runs(now, days)
        return leaves_on(self.moments, core_rules(self.rules), zone=office_zone(), now=now, runs=runs, as_of=self.as_of)

    def lives(self, now: datetime, *, days: int) -> list[Life]:
        """What lies there and what is to come within so many days, each with its end."""
        runs, zone = self._runs(now, days), office_zone()
        lasting = lives(self.moments, core_rules(self.rules), zone=zone, now=now, runs=runs, as_of=self.as_of)
        if self.device.state in GONE_STATES:  # its rule counts from one day: time alone removes nothing more
            return [replace(one, until=None) for one in lasting]
        return lasting

    def _runs(self, now: datetime, days: int) -> list[datetime]:
        if self.plan is None or self.device.state in GONE_STATES:
            return []
        return list(recurrence_of(self.plan, office_zone()).between(now, now + timedelta(days=days)))


def core_rules(rules: Mapping[str, AppliedRule | None]) -> dict[str, Rule | None]:
    """The rules alone, by store."""
    return {store: applied.rule if applied is not None else None for store, applied in rules.items()}


@dataclass(frozen=True, slots=True, kw_only=True)
class Instead:
    """A plan as it would be: what it says, and which stores it has."""

    plan: Plan
    stores: frozenset[UUID]
    followers: frozenset[UUID]
    """Devices that would follow it."""


def judged(device: Device, context: Context, *, without_hold: UUID | None = None) -> Judged:
    """As things are; or as they would be without the hold on one backup."""
    return judged_all([device], context, without_hold=without_hold)[0]


def judged_all(
    devices: Sequence[Device],
    context: Context,
    *,
    instead: Instead | None = None,
    without_hold: UUID | None = None,
    facts: "Facts | None" = None,
) -> list[Judged]:
    """As things are; or as they would be with a plan as it is being edited. Eight queries, whatever the number of devices.

    `facts`: of the same devices, read before, so that two sides are judged on the same rows.
    """
    facts = facts or Facts.read(devices, context.now)
    ready = [_ready(device, context, facts, instead, without_hold) for device in devices]
    cases = [Case(moments=one.moments, rules=core_rules(one.rules), as_of=one.as_of) for one in ready]
    verdicts = verdicts_of(cases, zone=office_zone(), now=context.now)
    return [replace(one, verdicts=of_one) for one, of_one in zip(ready, verdicts, strict=True)]


_OF_BACKUPS = ("finished_at", "in_doubt", "suspect", "imported_from", "looked_at", "encrypted", "hold_reason", "hold_until", "size_bytes")
_COLUMNS = (
    "state", "intact", "checked_at", "by_hand", "leaves_on", "removed_why", "backup_id", "store_id", "backup__device_id",
    *(f"backup__{name}" for name in _OF_BACKUPS), "store__name", "store__trouble", "store__mode",
)  # fmt: skip
"""Of the many copies that a rule is judged by; whoever needs more of one reads it by itself."""


@dataclass(frozen=True, slots=True)
class Facts:
    """What is asked of the database, by device."""

    plans: dict[UUID, Plan]
    rows: dict[UUID, list[Copy]]
    owed: set[UUID]
    busy: set[UUID]
    last: dict[UUID, tuple[datetime | None, str]]
    """(end, state) of the last run that ended."""
    moments: dict[UUID, list[Moment]] = field(default_factory=dict)
    """As they were made for the first side that is judged."""

    @classmethod
    def read(cls, devices: Sequence[Device], now: datetime) -> "Facts":
        """Holds, damage, runs and debts of these devices. A handful of queries."""
        ids = [device.id for device in devices]
        assigned = Assignment.objects.filter(device__in=ids).select_related("plan").prefetch_related(OF_THEIR_PLANS)
        rows: dict[UUID, list[Copy]] = defaultdict(list)
        there = Copy.objects.filter(backup__device__in=ids, state__in=THERE).select_related("backup", "store")
        for row in there.only(*_COLUMNS):
            rows[row.backup.device_id].append(row)
        partial = Run.objects.filter(device__in=ids, state=RunState.PARTIAL, backup__isnull=False).values_list("backup__id", flat=True)
        of_partial_runs = set(partial)
        for row in (row for mine in rows.values() for row in mine):
            row.partial = row.backup_id in of_partial_runs  # type: ignore[attr-defined]
        ended = Run.objects.filter(device__in=ids).exclude(state__in=ACTIVE).order_by("device_id", "-asked_at").distinct("device_id")
        return cls(
            plans={one.device_id: one.plan for one in assigned},
            rows=rows,
            owed=_owed_elsewhere(ids, now),
            busy=in_use(*ids),
            last={device: (end, state) for device, end, state in ended.values_list("device_id", "finished_at", "state")},
        )


def _ready(device: Device, context: Context, facts: Facts, instead: Instead | None, without_hold: UUID | None) -> Judged:
    plan, stores = facts.plans.get(device.id), None
    if instead is not None and device.id in instead.followers:
        plan, stores = instead.plan, instead.stores
    elif instead is not None and plan is not None and plan.id == instead.plan.id:
        plan = None
    rows = facts.rows[device.id]
    applied = {str(id): context.book.of(device, id, plan, stores) for id in {row.store_id for row in rows}}
    moments = facts.moments.get(device.id)
    if moments is None:
        moments = facts.moments[device.id] = [
            moment_of(
                row,
                away=row.store_id in context.away and row.store_id != context.deciding_for,
                busy=row.backup_id in facts.busy,
                owed=row.backup_id in facts.owed,
                frozen=context.frozen.holds(row.store_id, device.team_id),
                partial=row.partial,  # type: ignore[attr-defined]
            )
            for row in rows
        ]
    if without_hold is not None:
        moments = [replace(one, hold="") if one.id == str(without_hold) else one for one in moments]
    as_of, lapsed = _as_of(device, plan, rows, facts.last.get(device.id), context.now)
    return Judged(
        device=device, plan=plan, copies={(str(row.backup_id), str(row.store_id)): row for row in rows}, moments=moments, rules=applied,
        as_of=as_of, lapsed=lapsed,
    )  # fmt: skip


_NUMBERED = {fact: int(fact) for fact in Fact}
_PARTIAL, _DOUBT, _IMPORTED = _NUMBERED[Fact.PARTIAL], _NUMBERED[Fact.DOUBT], _NUMBERED[Fact.IMPORTED]
_ANOMALY, _DAMAGED, _GIVEN_UP = _NUMBERED[Fact.ANOMALY], _NUMBERED[Fact.DAMAGED], _NUMBERED[Fact.GIVEN_UP]
_LEAVING, _ABSENT, _IN_USE, _OWED = (_NUMBERED[fact] for fact in (Fact.LEAVING, Fact.ABSENT, Fact.IN_USE, Fact.OWED))
_CHECKED, _ENCRYPTED, _FROZEN = _NUMBERED[Fact.CHECKED], _NUMBERED[Fact.ENCRYPTED], _NUMBERED[Fact.FROZEN]
"""As plain numbers: there are many copies, and joining flags is slow."""


def moment_of(
    copy: Copy, *, away: bool = False, busy: bool = False, owed: bool = False, frozen: bool = False, partial: bool = False
) -> Moment:
    """A copy as retention sees it."""
    backup, store, facts = copy.backup, copy.store, 0
    looked, damaged = backup.looked_at is not None, not copy.intact
    for so, fact in (
        (partial, _PARTIAL), (backup.in_doubt, _DOUBT), (backup.imported_from and not looked, _IMPORTED), (backup.suspect, _ANOMALY),
        (damaged and not looked, _DAMAGED), (copy.by_hand or (damaged and looked), _GIVEN_UP), (copy.state == CopyState.LEAVING, _LEAVING),
        (away or store.trouble or store.mode in (Mode.PAUSED, *OUT_OF_USE), _ABSENT), (busy, _IN_USE), (owed and not damaged, _OWED),
        (copy.checked_at is not None, _CHECKED), (backup.encrypted, _ENCRYPTED), (frozen, _FROZEN),
    ):  # fmt: skip
        if so:
            facts |= fact
    return Moment(
        id=str(backup.id),
        at=backup.finished_at,
        store=str(copy.store_id),
        facts=cast("Fact", facts),  # whole numbers: a flag's own arithmetic costs more than the judging
        hold=backup.hold_reason,
        hold_until=backup.hold_until,
    )


def _owed_elsewhere(devices: Sequence[UUID], now: datetime) -> set[UUID]:
    """Backups that are on their way into another store: what they are copied from stays until they are there."""
    under_way = Q(state__in=(CopyState.OWED, CopyState.COPYING)) | Q(state=CopyState.FAILED, asked_at__gt=now - SLOW_OWED)
    coming = Copy.objects.filter(under_way, backup__device__in=devices, store__mode=Mode.IN_USE)
    return set(coming.values_list("backup_id", flat=True))


def _as_of(
    device: Device, plan: Plan | None, rows: list[Copy], last: tuple[datetime | None, str] | None, now: datetime
) -> tuple[datetime, bool]:
    """The instant by which its rules count, and whether that is because its protection has lapsed."""
    if device.state in GONE_STATES:  # it is not late: its rule counts from the day on which it became so
        return min(now, device.state_since or now), False
    if plan is None:
        return now, False
    good = [row.backup for row in rows if row.intact and not (row.backup.in_doubt or row.backup.suspect or row.by_hand)]
    newest = max((backup.finished_at for backup in good if backup.finished_at <= now), default=None)
    if newest is None:
        return now, False
    late = now - newest > timedelta(seconds=plan.promise_seconds)
    failed = last is not None and last[0] is not None and last[0] > newest and last[1] not in CAME
    return (newest, True) if late or failed else (now, False)
