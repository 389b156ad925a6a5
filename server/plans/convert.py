"""Plans in the core's words."""

from datetime import datetime
from zoneinfo import ZoneInfo

from core.content.scope import Exclusion, LeaveOut, Reach, kinds_of
from core.retention.rule import Rule
from core.schedule.recurrence import Recurrence, weekly
from core.schedule.window import Window
from server.plans.models import Plan


def recurrence_of(plan: Plan, zone: ZoneInfo) -> Recurrence:
    """Raises BadInput for a plan without days."""
    return weekly(plan.days, plan.starts_at, zone)


def window_of(plan: Plan) -> Window:
    """Raises BadInput for an impossible one."""
    return Window(opens=plan.starts_at, closes=plan.window_closes)


def rule_of(plan: Plan) -> Rule:
    """Raises BadInput for one that keeps nothing."""
    return Rule(last=plan.keep_last, daily=plan.keep_daily, weekly=plan.keep_weekly, monthly=plan.keep_monthly)


def next_run(plan: Plan, zone: ZoneInfo, after: datetime) -> datetime | None:
    """None while the plan is paused."""
    found = [] if plan.paused else recurrence_of(plan, zone).following(after, 1)
    return found[0] if found else None


def taken_kinds(plan: Plan) -> tuple[str, ...]:
    """Codes of the kinds that the plan takes. Raises BadInput."""
    return kinds_of(Reach(plan.reach), plan.kinds)


def leave_out_of(plan: Plan) -> LeaveOut:
    """What of those kinds it leaves out. Raises BadInput."""
    exclusions = tuple(Exclusion(kind=entry["kind"], under=entry["under"]) for entry in plan.exclusions)
    return LeaveOut(larger_than_bytes=plan.larger_than_bytes, exclusions=exclusions)
