"""What makes room over time, or for money: kinds that a plan could leave out from now on, and a larger allowance. Shown with what it
would spare; done where plans and stores are changed."""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from uuid import UUID

from core.content.kinds import KINDS
from core.quota.ladder import Rung, rung_of
from core.units import GIB, iec, listed
from server.fleet.convert import account_of
from server.plans.models import Assignment
from server.storage.models import KindOccupancy, Store

LEAST_BYTES = 1 << 20
"""Less is not worth a line."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Elsewhere:
    rung: Rung
    title: str
    loses: str
    bytes: int
    """At least: what the kinds of each device need alone, once old backups are gone."""
    plan: UUID | None = None


def left_out(store: Store) -> list[Elsewhere]:
    """Of each plan whose devices have something here. Two queries."""
    plans: dict[UUID, tuple[UUID, str]] = {}
    in_step: dict[UUID, set[str]] = defaultdict(set)
    for one in Assignment.objects.select_related("plan", "device"):
        plans[one.device_id] = (one.plan_id, one.plan.name)
        in_step[one.device_id] = {account.kind for account in map(account_of, one.device.accounts) if account.keeps}
    sums: dict[tuple[Rung, UUID], int] = defaultdict(int)
    devices: dict[tuple[Rung, UUID], set[UUID]] = defaultdict(set)
    kinds: dict[tuple[Rung, UUID], set[str]] = defaultdict(set)
    for row in KindOccupancy.objects.filter(store=store, device__in=plans, alone_bytes__gt=0).only("device_id", "kind", "alone_bytes"):
        rung = rung_of(row.kind, in_step=row.kind in in_step[row.device_id])
        if rung is not None:
            key = (rung, plans[row.device_id][0])
            sums[key] += row.alone_bytes
            devices[key].add(row.device_id)
            kinds[key].add(row.kind)
    names = dict(plans.values())
    return [
        Elsewhere(
            rung=rung, plan=plan, bytes=held, title=f"{_words(kinds[rung, plan])} left out of {names[plan]}",
            loses=f"{_LOSES[rung]}; {len(devices[rung, plan])} {'device' if len(devices[rung, plan]) == 1 else 'devices'}",
        )
        for (rung, plan), held in sorted(sums.items(), key=lambda one: (one[0][0], -one[1]))
        if held >= LEAST_BYTES
    ]  # fmt: skip


_LOSES = {
    Rung.IN_STEP: "a deletion there would travel: kept in step is not backed up",
    Rung.PICTURES: "they would be on the devices only, or where you send them",
    Rung.HAD_AGAIN: "they have to be loaded again",
    Rung.ATTACHMENTS: "letters stay, what was attached would be on the devices only",
}


def _words(kinds: Iterable[str]) -> str:
    found = [KINDS[code].label for code in KINDS if code in set(kinds)]
    return listed([found[0], *(label.lower() for label in found[1:])])


def more_space(store: Store, wanted: int) -> Elsewhere | None:
    """What the same room costs."""
    if store.allowance_bytes is None:
        return None
    loses = "nothing"
    if store.price_gib_month:
        loses += f"; about {wanted / GIB * store.price_gib_month / 10_000:.2f} {store.currency} a month"
    return Elsewhere(rung=Rung.MORE_SPACE, title=f"A larger allowance: {iec(store.allowance_bytes + wanted)}", loses=loses, bytes=wanted)
