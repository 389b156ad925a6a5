"""A device's copies in all of its stores, judged as things are now: what its rules, its holds and the safeguards say of each.

Read under the lock of the device by whoever acts on it, and without it by whoever only shows it.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from uuid import UUID

from core.retention.pile import Fact
from core.retention.verdicts import Moment, Verdict, leaves_on, verdicts
from server.fleet.models import Device, DeviceState
from server.people.models import Office
from server.people.queries import office_zone
from server.plans.convert import recurrence_of
from server.plans.models import Plan
from server.plans.queries import assignment_of
from server.plans.rules import Applied, RuleBook
from server.retention.freezing import Frozen
from server.runs.models import CAME, THERE, Backup, Copy, CopyState, Run, RunState
from server.runs.protection import in_use
from server.storage.models import Mode

SLOW_OWED = timedelta(days=7)
"""A copy that failed is owed for so long; then it holds nothing up any more."""
GONE_STATES = (DeviceState.RETIRED, DeviceState.LOST)
"""Of such a device nothing new is expected, so that it is not late."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Context:
    """What is the same for every device. Read once."""

    book: RuleBook
    frozen: Frozen
    undo: timedelta
    now: datetime

    @classmethod
    def read(cls, now: datetime) -> "Context":
        office = Office.objects.only("undo_days").first()
        return cls(book=RuleBook.read(), frozen=Frozen.read(), undo=timedelta(days=office.undo_days if office else 7), now=now)


@dataclass(frozen=True, slots=True, kw_only=True)
class Judged:
    device: Device
    plan: Plan | None
    copies: dict[tuple[str, str], Copy]
    """(backup, store) → its row, with its backup."""
    moments: list[Moment]
    rules: Mapping[str, Applied | None]
    as_of: datetime
    lapsed: bool
    """Whether its protection has lapsed, so that its rules count by its newest good backup."""
    verdicts: list[Verdict] = field(default_factory=list)

    def copy_of(self, verdict: Verdict) -> Copy:
        return self.copies[verdict.moment.id, verdict.moment.store]

    def leaves_on(self, now: datetime, *, days: int) -> dict[tuple[str, str], date | None]:
        """(backup, store) → the day on which nothing claims it any more if the plan goes on as it does, within so many days."""
        runs: list[datetime] = []
        if self.plan is not None and self.device.state not in GONE_STATES:
            runs = list(recurrence_of(self.plan, office_zone()).between(now, now + timedelta(days=days)))
        return leaves_on(self.moments, core_rules(self.rules), zone=office_zone(), now=now, runs=runs, as_of=self.as_of)


def core_rules(rules: Mapping[str, Applied | None]) -> dict[str, object]:
    return {store: applied.rule if applied is not None else None for store, applied in rules.items()}  # type: ignore[misc]


def judged(
    device: Device,
    context: Context,
    *,
    plan: Plan | None = None,
    rules: Mapping[UUID, Applied | None] | None = None,
    without_hold: UUID | None = None,
) -> Judged:
    """As things are; or as they would be with these rules instead, or without the hold on one backup."""
    if plan is None:
        assignment = assignment_of(device)
        plan = assignment.plan if assignment is not None else None
    rows = list(Copy.objects.filter(backup__device=device, state__in=THERE).select_related("backup__run", "store"))
    owed = _owed_elsewhere(device, context.now)
    busy = in_use(device.id)
    stores = {row.store_id: row.store for row in rows}
    told = {id: rules[id] if rules is not None and id in rules else context.book.of(device, id, plan) for id in stores}
    applied = {str(id): one for id, one in told.items()}
    moments = [
        moment_of(row, busy=row.backup_id in busy, owed=row.backup_id in owed, frozen=context.frozen.holds(row.store_id, device.team_id))
        for row in rows
    ]
    if without_hold is not None:
        moments = [replace(one, hold="") if one.id == str(without_hold) else one for one in moments]
    as_of, lapsed = _as_of(device, plan, rows, context.now)
    found = verdicts(moments, core_rules(applied), zone=office_zone(), now=context.now, as_of=as_of)  # type: ignore[arg-type]
    return Judged(
        device=device, plan=plan, copies={(str(row.backup_id), str(row.store_id)): row for row in rows}, moments=moments, rules=applied,
        as_of=as_of, lapsed=lapsed, verdicts=found,
    )  # fmt: skip


def moment_of(copy: Copy, *, busy: bool = False, owed: bool = False, frozen: bool = False) -> Moment:
    """A copy as retention sees it."""
    backup, store, facts = copy.backup, copy.store, Fact(0)
    looked = backup.looked_at is not None
    away = bool(store.trouble) or store.mode in (Mode.PAUSED, Mode.DETACHED)
    for so, fact in (
        (backup.run is not None and backup.run.state == RunState.PARTIAL, Fact.PARTIAL), (backup.in_doubt, Fact.DOUBT),
        (bool(backup.brought_in_from) and not looked, Fact.IMPORTED), (backup.suspect, Fact.ANOMALY),
        (not copy.intact and not looked, Fact.DAMAGED), (copy.by_hand or (not copy.intact and looked), Fact.GIVEN_UP),
        (copy.state == CopyState.LEAVING, Fact.LEAVING), (away, Fact.ABSENT), (busy, Fact.IN_USE), (owed and copy.intact, Fact.OWED),
        (copy.checked_at is not None, Fact.CHECKED), (backup.encrypted, Fact.ENCRYPTED), (frozen, Fact.FROZEN),
    ):  # fmt: skip
        facts |= fact if so else Fact(0)
    return Moment(
        id=str(backup.id),
        at=backup.finished_at,
        store=str(copy.store_id),
        facts=facts,
        hold=backup.hold_reason,
        hold_until=backup.hold_until,
    )


def _owed_elsewhere(device: Device, now: datetime) -> set[UUID]:
    """Backups that are on their way into another store: what they are copied from stays until they are there."""
    coming = Copy.objects.filter(backup__device=device, store__mode=Mode.IN_USE)
    under_way = coming.filter(state__in=(CopyState.OWED, CopyState.COPYING)) | coming.filter(
        state=CopyState.FAILED, asked_at__gt=now - SLOW_OWED
    )
    return set(under_way.values_list("backup_id", flat=True))


def _as_of(device: Device, plan: Plan | None, rows: list[Copy], now: datetime) -> tuple[datetime, bool]:
    """The instant by which its rules count, and whether that is because its protection has lapsed."""
    if plan is None or device.state in GONE_STATES:
        return now, False
    good: list[Backup] = [row.backup for row in rows if row.intact and not (row.backup.in_doubt or row.backup.suspect or row.by_hand)]
    newest = max((backup.finished_at for backup in good if backup.finished_at <= now), default=None)
    if newest is None:
        return now, False
    late = now - newest > timedelta(seconds=plan.promise_seconds)
    last = Run.objects.filter(device=device, finished_at__gt=newest).order_by("-asked_at").values_list("state", flat=True).first()
    return (newest, True) if late or (last is not None and last not in CAME) else (now, False)
