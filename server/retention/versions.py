"""The versions of a rule, and two of them laid over the real history side by side."""

from dataclasses import dataclass, replace
from datetime import datetime
from uuid import UUID

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from core.errors import BadInput
from server.fleet.models import Device
from server.plans.models import RuleVersion
from server.plans.rules import subject_of
from server.retention.consequences import Consequences, compared
from server.retention.exceptions import Whose, concerned
from server.retention.judging import Context, Facts, judged_all


@dataclass(frozen=True, slots=True, kw_only=True)
class SideBySide:
    """Two versions of a rule, and what each keeps that the other lets go."""

    one: RuleVersion
    other: RuleVersion
    only_one: Consequences
    """What leaves when the other one takes its place."""
    only_other: Consequences
    """What the other one keeps and this one would let go."""


def versions_of_plan(plan: UUID) -> QuerySet[RuleVersion]:
    """Newest first."""
    return _rows().filter(subject=subject_of(plan=plan))


def versions_beside(id: int) -> QuerySet[RuleVersion]:
    """Every version of the rule of which this is one, newest first."""
    return _rows().filter(subject=get_object_or_404(RuleVersion, id=id).subject)


def _rows() -> QuerySet[RuleVersion]:
    return RuleVersion.objects.select_related("by", "plan", "team", "device", "store").order_by("-number")


def side_by_side(one_id: int, other_id: int, *, now: datetime) -> SideBySide:
    """On the devices of which the rule speaks now, as their backups lie there. Raises BadInput."""
    one, other = get_object_or_404(_rows(), id=one_id), get_object_or_404(_rows(), id=other_id)
    if one.subject != other.subject:
        raise BadInput("These are versions of two rules.", field="other", remedy="Choose two of the same rule.")
    context = Context.read(now)
    devices = list(_devices(one))
    facts = Facts.read(devices, now)
    with_one = judged_all(devices, replace(context, book=context.book.with_version(one)), facts=facts)
    with_other = judged_all(devices, replace(context, book=context.book.with_version(other)), facts=facts)
    return SideBySide(
        one=one, other=other, only_one=compared(with_one, with_other, context), only_other=compared(with_other, with_one, context)
    )


def _devices(row: RuleVersion) -> QuerySet[Device]:
    if row.plan_id is not None and row.subject == subject_of(plan=row.plan_id):
        return Device.objects.filter(assignment__plan=row.plan_id).select_related("holder", "team").order_by("name", "id")
    of = Whose(plan=row.plan, team=row.team, device=row.device, store=row.store)
    rows: QuerySet[Device] = concerned(of).select_related("holder", "team").order_by("name", "id")
    return rows
