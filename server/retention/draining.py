"""What will lie where once a store has been drained into another, and what will not. Reads, decides nothing.

Copied is what lies whole here, not yet there, and either the rule of the other store keeps it or nothing else holds it. What the rule there
would not keep, and a third store holds, is not copied. What is damaged here and whole nowhere cannot be.
"""

import hashlib
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from uuid import UUID
from zoneinfo import ZoneInfo

from core.retention.rule import BY_RULE, Why
from core.retention.verdicts import verdicts
from server.api.problems import Conflict
from server.people.queries import office_zone
from server.plans.models import Plan, PlanTarget
from server.plans.rules import RuleBook
from server.retention.judging import moment_of
from server.runs.models import THERE, Copy, CopyState
from server.storage.models import OUT_OF_USE, Mode, Store

MOST_NAMED = 50
_OF_ROWS = ("backup__device__holder", "backup__device__assignment__plan", "store")


@dataclass(frozen=True, slots=True, kw_only=True)
class NamedBackup:
    """One that will lie nowhere."""

    backup_id: UUID
    device_name: str
    holder: str
    finished_at: datetime
    damaged: bool
    """Whether it is damaged here, too; else it is whole and was not copied yet."""


@dataclass(slots=True, kw_only=True)
class Outlook:
    """What draining a store would move, and what it cannot."""

    store: Store
    into: Store
    here: int = 0
    there: int = 0
    """Of what lies here: what the other store holds whole already."""
    moving: list[UUID] = field(default_factory=list)
    moving_bytes: int = 0
    """Of their content; what is sent is less where some of it lies there."""
    elsewhere: int = 0
    """Not copied: the rule there would not keep it, and a third store holds it."""
    lost: list[NamedBackup] = field(default_factory=list)
    """Lies whole in no store at all, or in this one only."""
    lost_count: int = 0
    plans: list[Plan] = field(default_factory=list)
    """Those that name this store."""
    under_way: int = 0
    failed: int = 0

    @property
    def digest(self) -> str:
        """What somebody agrees to: the same as long as the same would happen."""
        facts = [str(self.store.id), str(self.into.id), self.lost_count, sorted(str(one.backup_id) for one in self.lost), self.here]
        return hashlib.sha256(repr(facts).encode()).hexdigest()

    @property
    def done(self) -> bool:
        """Whether nothing is left to be moved."""
        return not self.moving


def outlook(store: Store, into: Store, *, now: datetime) -> Outlook:
    """As things stand, in a fixed number of queries. Raises Conflict when one of them cannot be that."""
    if store.id == into.id:
        raise Conflict("A store cannot be drained into itself.", remedy="Choose another one.")
    if into.mode != Mode.IN_USE or into.draining_into_id is not None:
        raise Conflict(f"{into.name} takes nothing now.", remedy="Choose a store that is in use.")
    rows = list(Copy.objects.filter(store=store, state__in=THERE).select_related(*_OF_ROWS))
    elsewhere = _elsewhere(store, [row.backup_id for row in rows])
    coming = dict(
        Copy.objects.filter(store=into, state__in=(CopyState.OWED, CopyState.COPYING, CopyState.FAILED)).values_list("backup_id", "state")
    )
    foreseen = Outlook(store=store, into=into, here=len(rows), plans=_plans(store))
    by_device: dict[UUID, list[Copy]] = defaultdict(list)
    for row in rows:
        if into.id in elsewhere[row.backup_id]:
            foreseen.there += 1
        elif row.intact:
            by_device[row.backup.device_id].append(row)
        elif not elsewhere[row.backup_id]:
            _lose(foreseen, row)
    book, lying, targets, zone = RuleBook.read(), _lying_in(into), _targets(), office_zone()
    for device, mine in by_device.items():
        kept = _kept(mine, lying[device], into, book, targets, zone, now)
        for row in mine:
            if row.backup_id not in kept and elsewhere[row.backup_id]:
                foreseen.elsewhere += 1
                continue
            foreseen.under_way += coming.get(row.backup_id) in (CopyState.OWED, CopyState.COPYING)
            foreseen.failed += coming.get(row.backup_id) == CopyState.FAILED
            foreseen.moving.append(row.backup_id)
            foreseen.moving_bytes += row.backup.size_bytes
            if not elsewhere[row.backup_id]:
                _lose(foreseen, row)
    return foreseen


def _lose(foreseen: Outlook, row: Copy) -> None:
    """What would lie nowhere if the store were given up now."""
    foreseen.lost_count += 1
    if len(foreseen.lost) < MOST_NAMED:
        backup = row.backup
        foreseen.lost.append(
            NamedBackup(
                backup_id=row.backup_id, device_name=backup.device.name, holder=backup.device.holder.name, finished_at=backup.finished_at,
                damaged=not row.intact,
            )
        )  # fmt: skip


def _elsewhere(store: Store, backups: Sequence[UUID]) -> dict[UUID, set[UUID]]:
    """Backup → other stores that hold it whole."""
    others = Copy.objects.filter(backup__in=backups, state__in=THERE, intact=True).exclude(store=store).exclude(store__mode__in=OUT_OF_USE)
    by_store: dict[UUID, set[UUID]] = defaultdict(set)
    for backup, other in others.values_list("backup_id", "store_id"):
        by_store[backup].add(other)
    return by_store


def _plans(store: Store) -> list[Plan]:
    return list(Plan.objects.filter(targets__store=store).prefetch_related("targets").order_by("name"))


def _lying_in(into: Store) -> dict[UUID, list[Copy]]:
    """Device → its copies in the other store."""
    copies: dict[UUID, list[Copy]] = defaultdict(list)
    for row in Copy.objects.filter(store=into, state__in=THERE).select_related("backup", "store"):
        copies[row.backup.device_id].append(row)
    return copies


def _targets() -> dict[UUID, set[UUID]]:
    """Plan → its stores."""
    by_store: dict[UUID, set[UUID]] = defaultdict(set)
    for plan, store in PlanTarget.objects.values_list("plan_id", "store_id"):
        by_store[plan].add(store)
    return by_store


def _kept(
    rows: Sequence[Copy],
    lying: Sequence[Copy],
    into: Store,
    book: RuleBook,
    targets: Mapping[UUID, set[UUID]],
    zone: ZoneInfo,
    now: datetime,
) -> set[UUID]:
    """Backups of one device that the rule in the other store would keep if they lay there; all of them where there is no rule."""
    device = rows[0].backup.device
    assignment = getattr(device, "assignment", None)
    plan = assignment.plan if assignment is not None else None
    applied = book.of(device, into.id, plan, targets[plan.id] | {into.id} if plan is not None else None)
    if applied is None:
        return {row.backup_id for row in rows}
    moments = [replace(moment_of(row), store=str(into.id)) for row in (*rows, *lying)]
    judged = verdicts(moments, {str(into.id): applied.rule}, zone=zone, now=now)
    kept = {one.moment.id for one in judged if one.why & BY_RULE & ~Why.YOUNG or one.moment.hold}
    return {row.backup_id for row in rows if str(row.backup_id) in kept}


def targets_after(plan: Plan, store: Store, into: Store) -> list[PlanTarget]:
    """The plan's stores once the other one has taken the place of this one."""
    plan_targets = [target for target in plan.targets.all() if target.store_id not in (store.id, into.id)]
    own = next((target for target in plan.targets.all() if target.store_id == into.id), None)
    old = next(target for target in plan.targets.all() if target.store_id == store.id)
    instead = own if own is not None and own.order <= old.order else old
    plan_targets.append(instead)
    return sorted(plan_targets, key=lambda target: target.order)
