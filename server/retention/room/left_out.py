"""Kinds that plans could leave out from now on, and what that frees in a store once the backups of now have left by their rules.

Nothing that lies there is taken apart: a backup stays what it was. What holds the kinds for longer than anybody can foresee, as a
backup on hold does, goes on holding them, and is not counted.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from uuid import UUID

from core.content.kinds import KINDS
from core.quota.ladder import Rung, rung_of
from core.units import listed
from server.fleet.convert import account_of
from server.fleet.models import Device
from server.people.queries import office_zone
from server.plans.choices import Choices, choices, kinds_taken
from server.plans.models import Plan
from server.plans.rules import GONE_STATES
from server.plans.soundness import or_else
from server.retention.judging import Judged
from server.runs.models import CopyState
from server.storage.models import Store

HORIZON_DAYS = 400
"""What does not leave within so many days is not counted on."""


@dataclass(frozen=True, slots=True, kw_only=True)
class LeavesOut:
    """What a plan, or some devices of it, would not take any more."""

    rung: Rung
    plan: Plan
    kinds: tuple[str, ...]
    devices: tuple[Device, ...]
    parts: frozenset[tuple[bytes, str]]
    last_day: date
    """On which the last backup leaves that holds any of it, as its rule goes on."""
    staying: int
    """Backups that hold some of it and do not leave by themselves."""

    @property
    def title(self) -> str:
        return f"{_words(self.kinds)} left out of {self.plan.name}"

    @property
    def loses(self) -> str:
        count = len(self.devices)
        says = f"{_LOSES[self.rung]}; {count} {'device' if count == 1 else 'devices'}, from its next run on"
        if self.staying:
            who = "backup that is kept for longer holds" if self.staying == 1 else "backups that are kept for longer hold"
            says += f"; {self.staying} {who} on to it"
        return says


_LOSES = {
    Rung.IN_STEP: "a deletion there would travel: kept in step is not backed up",
    Rung.PICTURES: "they would be on the devices only, or where you send them",
    Rung.HAD_AGAIN: "they have to be loaded again",
    Rung.ATTACHMENTS: "letters stay, what was attached would be on the devices only",
}


@dataclass(slots=True)
class _Group:
    devices: list[Judged] = field(default_factory=list)
    kinds: set[str] = field(default_factory=set)


def left_out(store: Store, judged: Iterable[Judged], kinds: Mapping[bytes, Collection[str]], *, now: datetime) -> Iterator[LeavesOut]:
    """Of each plan whose devices have something here that it still takes; `kinds`: what each backup here holds. One query."""
    groups: dict[tuple[Rung, UUID], _Group] = defaultdict(_Group)
    chosen = choices()
    for one in judged:
        if one.plan is None or one.device.state in GONE_STATES:
            continue
        here = {kind for copy in one.copies.values() if copy.store_id == store.id for kind in kinds.get(copy.backup_id.bytes, ())}
        for kind in sorted(here & set(_taken(one, chosen))):
            rung = rung_of(kind, in_step=kind in _in_step(one.device))
            if rung is not None:
                group = groups[rung, one.plan.id]
                group.kinds.add(kind)
                if one not in group.devices:
                    group.devices.append(one)
    for (rung, _), group in sorted(groups.items(), key=lambda entry: entry[0]):
        if (found := _offered(rung, group, chosen, store, kinds, now)) is not None:
            yield found


def _taken(one: Judged, chosen: Choices) -> Collection[str]:
    """Nothing of a plan that cannot be read."""
    assert one.plan is not None
    plan, none = one.plan, tuple[str, ...]()
    return or_else(plan, lambda: kinds_taken(plan, one.device, chosen), none)


def _in_step(device: Device) -> set[str]:
    return {account.kind for account in map(account_of, device.accounts) if account.keeps}


def _offered(rung: Rung, group: _Group, chosen: Choices, store: Store, there: Collection[bytes], now: datetime) -> LeavesOut | None:
    """None where a device would have nothing left to back up, or nothing leaves that could be counted on."""
    plan, kinds = group.devices[0].plan, tuple(code for code in KINDS if code in group.kinds)
    assert plan is not None
    if any(not set(_taken(one, chosen)) - set(kinds) for one in group.devices):
        return None
    parts: set[tuple[bytes, str]] = set()
    days, staying = [], 0
    for one in group.devices:
        for id, day in _days(one, store, now):
            if id not in there:
                continue
            if day is None:
                staying += 1
            else:
                parts |= {(id, kind) for kind in kinds}
                days.append(day)
    if not days:
        return None
    return LeavesOut(
        rung=rung, plan=plan, kinds=kinds, devices=tuple(one.device for one in group.devices), parts=frozenset(parts), last_day=max(days),
        staying=staying,
    )  # fmt: skip


def _days(one: Judged, store: Store, now: datetime) -> Iterator[tuple[bytes, date | None]]:
    """Its backups here, each with the day on which it leaves by itself: today what nothing keeps any more."""
    assert one.plan is not None
    nothing: dict[tuple[str, str], date | None] = {}
    today = now.astimezone(office_zone()).date()
    falls = or_else(one.plan, lambda: one.leaves_on(now, days=HORIZON_DAYS), nothing)
    for key, copy in one.copies.items():
        if copy.store_id == store.id:
            leaving = copy.leaves_on if copy.state == CopyState.LEAVING else None
            yield copy.backup_id.bytes, leaving or falls.get(key, today)


def _words(kinds: Sequence[str]) -> str:
    found = [KINDS[code].label for code in kinds]
    return listed([found[0], *(label.lower() for label in found[1:])])
