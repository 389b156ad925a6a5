"""Why each copy is kept, and until when."""

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from uuid import UUID

from core.retention.rule import Moment, Rule, forecast, verdicts
from server.fleet.models import Device
from server.people.queries import office_zone
from server.plans.convert import recurrence_of, rule_of
from server.plans.models import Plan
from server.plans.queries import assignment_of
from server.plans.soundness import or_else
from server.retention.convert import claim_words, moment_of
from server.runs.models import Copy, CopyState

HORIZON_DAYS = 800


@dataclass(frozen=True, slots=True, kw_only=True)
class Keeping:
    """What retention says of one copy."""

    kept: bool
    why: list[str]
    falls_out_on: date | None
    """If the plan carries on; None when nothing makes it fall out within the horizon."""


def keeping(device: Device, store_id: UUID, *, now: datetime) -> dict[UUID, Keeping]:
    """Backup → what retention says of its copy in this store. Without a plan everything is kept."""
    copies = Copy.objects.filter(backup__device=device, store_id=store_id, state=CopyState.PRESENT).select_related("backup")
    moments = [moment_of(copy) for copy in copies]
    assignment = assignment_of(device)
    if assignment is None or store_id not in {target.store_id for target in assignment.plan.targets.all()}:
        return {UUID(moment.id): Keeping(kept=True, why=["no plan's rule applies to it"], falls_out_on=None) for moment in moments}
    unknown = {UUID(moment.id): Keeping(kept=True, why=["its plan cannot be computed"], falls_out_on=None) for moment in moments}
    return or_else(assignment.plan, lambda: judged(moments, rule_of(assignment.plan), assignment.plan, now=now), unknown)


def judged(moments: list[Moment], rule: Rule, plan: Plan, *, now: datetime) -> dict[UUID, Keeping]:
    zone = office_zone()
    runs = list(recurrence_of(plan, zone).between(now, now + timedelta(days=_horizon_days(rule))))
    falls = forecast(moments, rule, zone=zone, now=now, runs=runs)
    return {
        UUID(verdict.moment.id): Keeping(
            kept=verdict.kept, why=[claim_words(claim) for claim in verdict.claims], falls_out_on=falls.get(verdict.moment.id)
        )
        for verdict in verdicts(moments, rule, zone=zone, now=now)
    }


def _horizon_days(rule: Rule) -> int:
    """Long enough for every bucket of the rule to pass."""
    return min(HORIZON_DAYS, max(rule.last * 7 + 30, rule.daily + 8, rule.weekly * 7 + 14, rule.monthly * 31 + 40))
