"""Set what a team or a device may hold in a store, or at what a store itself calls somebody; or take that away."""

from dataclasses import dataclass
from uuid import UUID

from django.db import transaction
from django.shortcuts import get_object_or_404

from core.errors import BadInput
from core.quota.allowances import Limits
from core.units import iec
from server import ports
from server.api.problems import Conflict
from server.fleet.models import Device
from server.live import publish
from server.people.actions.journal import write_journal
from server.people.models import Team, User
from server.storage.allowances import Allowed, allowances_in
from server.storage.models import Allowance, SoftCounts, Store


@dataclass(frozen=True, slots=True, kw_only=True)
class WantedAllowance:
    """An allowance as it is to be."""

    limits: Limits
    soft_counts: str = SoftCounts.NEEDED
    team: int | None = None
    device: UUID | None = None


def set_allowance(store: Store, wanted: WantedAllowance, *, by: User) -> Allowed:
    """Replaces the one that its owner has there. Raises BadInput."""
    wanted.limits.check()
    if wanted.soft_counts not in SoftCounts.values:
        raise BadInput("Nothing counts like that.", field="soft_counts", remedy=f"Use one of: {', '.join(SoftCounts.values)}.")
    team, device = _owner(store, wanted)
    now = ports.clock().now()
    with transaction.atomic():
        Store.objects.select_for_update().get(id=store.id)
        row, _ = Allowance.objects.update_or_create(
            store=store, team=team, device=device,
            defaults={
                "soft_bytes": wanted.limits.soft_bytes, "hard_bytes": wanted.limits.hard_bytes, "grace_days": wanted.limits.grace_days,
                "soft_counts": wanted.soft_counts,
            },
        )  # fmt: skip
        allowed = next(one for one in allowances_in([store], now=now) if one.row.id == row.id)
        Allowance.objects.filter(id=row.id).update(over_since=allowed.limits.over_since(allowed.soft_held, row.over_since, now=now))
        facts = {"way": "of" if team or device else "store", "of": allowed.of, "limit": limit_words(wanted.limits), "store": store.name}
        write_journal(who=by, what="allowance.set", facts=facts, at=now, store=store.id, device=device.id if device else None)
        publish("changed", "stores")
    return next(one for one in allowances_in([store], now=now) if one.row.id == row.id)


def _owner(store: Store, wanted: WantedAllowance) -> tuple[Team | None, Device | None]:
    if wanted.team is not None and wanted.device is not None:
        raise BadInput("An allowance is of a team or of a device.", field="team", remedy="Set one for each.")
    if wanted.device is not None:
        return None, get_object_or_404(Device, id=wanted.device)
    if wanted.team is None:
        if wanted.limits.hard_bytes is not None:
            raise BadInput(
                "The hard limit of a store is its allowance.",
                field="hard_bytes",
                remedy="Change the store, and give only a soft limit here.",
            )
        return None, None
    team = get_object_or_404(Team, id=wanted.team)
    if not Device.objects.filter(team=team).exists():
        raise BadInput(f"{team.name} has no device.", field="team", remedy="Give its people devices first, or choose another team.")
    return team, None


@transaction.atomic
def take_allowance_away(allowance: Allowance, *, by: User) -> None:
    """Raises Conflict when somebody was faster."""
    held = Allowance.objects.select_for_update(of=("self",)).select_related("store").filter(id=allowance.id).first()
    if held is None:
        raise Conflict("Somebody has taken it away already.", remedy="Load the page again.")
    allowed = next(one for one in allowances_in([held.store], now=ports.clock().now()) if one.row.id == held.id)
    held.delete()
    write_journal(
        who=by,
        what="allowance.taken_away",
        facts={"of": allowed.of, "store": held.store.name},
        at=ports.clock().now(),
        store=held.store_id,
        device=held.device_id,
    )
    publish("changed", "stores")


def limit_words(limits: Limits) -> str:
    """Both limits, in words."""
    parts = []
    if limits.hard_bytes is not None:
        parts.append(f"at most {iec(limits.hard_bytes)}")
    if limits.soft_bytes is not None:
        days = "at once" if limits.grace_days == 0 else f"after {limits.grace_days} {'day' if limits.grace_days == 1 else 'days'}"
        parts.append(f"{iec(limits.soft_bytes)} before it needs a person {days}")
    return " and ".join(parts)
