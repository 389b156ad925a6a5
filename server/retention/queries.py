"""Why each copy is kept, and until when."""

from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from core.retention.rule import Rule
from server.fleet.models import Device
from server.plans.soundness import or_else
from server.retention.convert import reasons
from server.retention.judging import Context, Judged, judged
from server.runs.models import Copy, CopyState

HORIZON_DAYS = 800


@dataclass(frozen=True, slots=True, kw_only=True)
class Keeping:
    """What retention says of one copy."""

    kept: bool
    why: list[str]
    falls_out_on: date | None
    """When nothing claims it any more, if the plan carries on; None when nothing makes it fall out within the horizon."""
    leaves_on: date | None
    """First day on which it may go, of one that is leaving."""
    leaves_because: str
    """Empty for one that is not leaving."""


def keeping(device: Device, *, now: datetime) -> dict[UUID, dict[UUID, Keeping]]:
    """Store → backup → what retention says of the copy there. Of a plan that cannot be computed everything is kept."""
    context = Context.read(now)
    device_judged = judged(device, context)
    if device_judged.plan is None:
        return _told(device_judged, {})
    return or_else(
        device_judged.plan,
        lambda: _told(device_judged, device_judged.leaves_on(now, days=_horizon_days(device_judged))),
        _told(device_judged, {}),
    )


def _told(device_judged: Judged, falls: dict[tuple[str, str], date | None]) -> dict[UUID, dict[UUID, Keeping]]:
    keepings: dict[UUID, dict[UUID, Keeping]] = {}
    for verdict in device_judged.verdicts:
        copy = device_judged.copy_of(verdict)
        keepings.setdefault(copy.store_id, {})[copy.backup_id] = Keeping(
            kept=verdict.kept,
            why=reasons(verdict),
            falls_out_on=falls.get((verdict.moment.id, verdict.moment.store)),
            leaves_on=copy.leaves_on if copy.state == CopyState.LEAVING else None,
            leaves_because=_because(copy) if copy.state == CopyState.LEAVING else "",
        )
    return keepings


def _because(copy: Copy) -> str:
    return f"removed by hand: {copy.removed_why}" if copy.by_hand else copy.removed_why


def _horizon_days(device_judged: Judged) -> int:
    """Long enough for every bucket of its rules to pass."""
    rules = [applied.rule for applied in device_judged.rules.values() if applied is not None]
    return max((_longest(rule) for rule in rules), default=30)


def _longest(rule: Rule) -> int:
    counted = max(rule.last * 7 + 30, rule.daily + 8, rule.weekly * 7 + 14, rule.monthly * 31 + 40, rule.yearly * 366 + 40)
    within = 366 * 3 if rule.within else 0
    return min(HORIZON_DAYS, max(counted, within, rule.minimum_age.days + 30))
