"""Kinds that plans could leave out from now on, and what that frees in a store once the backups of now have left by their rules.

Nothing that lies there is taken apart: a backup stays what it was. What holds the kinds for longer than anybody can foresee, as a
backup on hold does, goes on holding them, and is not counted.
"""

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence, Set
from dataclasses import dataclass
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
        """Names kinds and plan."""
        return f"{_words(self.kinds)} left out of {self.plan.name}"

    @property
    def loses(self) -> str:
        """What nobody will find in later backups."""
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


Kinds = Mapping[bytes, Collection[str]]
"""What each backup in the store holds."""


def left_out(store: Store, judged: Iterable[Judged], kinds: Kinds, *, now: datetime) -> Iterator[LeavesOut]:
    """Of each plan whose devices have something here that it still takes. One query.

    What a service keeps in step is left out of the devices of which it does; all else out of the plan, and so of every device that
    follows it and takes it for no reason of its own.
    """
    chosen = choices()
    plans: dict[UUID, list[_Here]] = defaultdict(list)
    for one in judged:
        if one.plan is not None and one.device.state not in GONE_STATES:
            plans[one.plan.id].append(_here(one, store, kinds, chosen, now))
    for _, devices in sorted(plans.items()):
        in_step = {here.device: here.held & here.in_step for here in devices}
        yield from _offered(Rung.IN_STEP, devices, in_step)
        for rung in (Rung.PICTURES, Rung.HAD_AGAIN, Rung.ATTACHMENTS):
            wanted = {kind for here in devices for kind in here.held - here.in_step if rung_of(kind, in_step=False) is rung}
            yield from _offered(rung, devices, {here.device: here.held & wanted - here.own for here in devices})


@dataclass(frozen=True, slots=True, kw_only=True)
class _Here:
    """A device, and what of it lies in the store."""

    plan: Plan
    device: Device
    taken: frozenset[str]
    held: frozenset[str]
    """Kinds that lie here and are still taken."""
    in_step: frozenset[str]
    """Kinds that a service keeps in step."""
    own: frozenset[str]
    """Kinds that somebody chose for it, whatever its plan says."""
    backups: tuple[tuple[bytes, frozenset[str], date | None], ...]
    """Each with its kinds and the day on which it leaves by itself; None for one that does not."""


def _here(one: Judged, store: Store, kinds: Kinds, chosen: Choices, now: datetime) -> _Here:
    assert one.plan is not None
    plan, device, none = one.plan, one.device, tuple[str, ...]()
    taken = frozenset(or_else(plan, lambda: kinds_taken(plan, device, chosen), none))  # nothing of a plan that cannot be read
    backups = tuple((id, frozenset(kinds[id]), day) for id, day in _days(one, store, now) if id in kinds)
    held = frozenset(kind for _, its, _ in backups for kind in its) & taken
    own = frozenset(kind for kind in held if (choice := chosen.of(device, kind)) is not None and choice.taken)
    in_step = frozenset(account.kind for account in map(account_of, device.accounts) if account.keeps)
    return _Here(plan=plan, device=device, taken=taken, held=held, in_step=in_step, own=own, backups=backups)


def _offered(rung: Rung, devices: Sequence[_Here], leaving: Mapping[Device, Set[str]]) -> Iterator[LeavesOut]:
    """Nothing where a device would have nothing left to back up, or nothing leaves that could be counted on."""
    touched = [here for here in devices if leaving[here.device]]
    if any(not here.taken - leaving[here.device] for here in touched):
        return
    parts: set[tuple[bytes, str]] = set()
    days, staying = [], 0
    for here in touched:
        for id, its, day in here.backups:
            mine = its & leaving[here.device]
            if mine and day is None:
                staying += 1
            elif mine and day is not None:
                parts |= {(id, kind) for kind in mine}
                days.append(day)
    if days:
        named = {kind for here in touched for kind in leaving[here.device]}
        yield LeavesOut(
            rung=rung, plan=touched[0].plan, kinds=tuple(code for code in KINDS if code in named),
            devices=tuple(here.device for here in touched), parts=frozenset(parts), last_day=max(days), staying=staying,
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
    labels = [KINDS[code].label for code in kinds]
    return listed([labels[0], *(label.lower() for label in labels[1:])])
