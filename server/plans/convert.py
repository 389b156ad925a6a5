"""Plans in the core's words."""

from collections.abc import Collection
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from core.content.scope import Exclusion, LeaveOut, Reach, kinds_of
from core.retention.rule import Period, Rule, Unit
from core.schedule.conditions import Conditions
from core.schedule.pattern import pattern_of, sentence
from core.schedule.recurrence import Recurrence
from core.schedule.window import Window
from server.plans.models import Plan

NOTHING: frozenset[date] = frozenset()


def recurrence_of(plan: Plan, zone: ZoneInfo, closed: Collection[date] = NOTHING, *, back: timedelta = timedelta()) -> Recurrence:
    """`closed` are the days on which the office is; `back` lets it begin earlier, to look at a year that was not. Raises BadInput."""
    first = plan.starts_on or plan.added_at.astimezone(zone).date()
    skipped = frozenset(plan.exceptions) | (frozenset(closed) if plan.skips_closed_days else NOTHING)
    start = datetime.combine(first, plan.starts_at) - back
    return Recurrence(rule=plan.rule, start=start, zone=zone, until=plan.ends_on, skipped=skipped)


def window_of(plan: Plan) -> Window:
    """Raises BadInput for an impossible one."""
    return Window(opens=plan.starts_at, closes=plan.window_closes, catch_up=plan.catch_up)


def conditions_of(plan: Plan) -> Conditions:
    """Raises BadInput."""
    return Conditions(
        on_power=plan.needs_power,
        on_office_wireless=plan.needs_office_wireless,
        battery_percent=plan.needs_battery_percent,
        not_in_use_minutes=plan.not_in_use_minutes,
    )


def sentence_of(plan: Plan) -> str:
    """When it runs, in words."""
    return sentence(pattern_of(plan.rule), plan.starts_at)


LEAST_DAYS = 7


def rule_of(plan: Plan) -> Rule:
    """What the plan itself says, without exceptions. Raises BadInput for one that keeps nothing."""
    seconds = plan.keep_minimum_age_seconds
    return Rule(
        last=plan.keep_last,
        hourly=plan.keep_hourly,
        daily=plan.keep_daily,
        weekly=plan.keep_weekly,
        monthly=plan.keep_monthly,
        yearly=plan.keep_yearly,
        within=None if plan.keep_within is None else Period(plan.keep_within, Unit(plan.keep_within_unit)),
        minimum_age=max(timedelta(days=LEAST_DAYS), timedelta(seconds=plan.promise_seconds))
        if seconds is None
        else timedelta(seconds=seconds),
        greatest_age=None if plan.keep_greatest_age is None else Period(plan.keep_greatest_age, Unit(plan.keep_greatest_age_unit)),
    )


def next_run(plan: Plan, zone: ZoneInfo, after: datetime, closed: Collection[date] = NOTHING) -> datetime | None:
    """The next occurrence, whether it is paused or not; None when there is none."""
    moments = recurrence_of(plan, zone, closed).following(after, 1)
    return moments[0] if moments else None


def taken_kinds(plan: Plan) -> tuple[str, ...]:
    """Codes of the kinds that the plan takes. Raises BadInput."""
    return kinds_of(Reach(plan.reach), plan.kinds)


def leave_out_of(plan: Plan) -> LeaveOut:
    """What of those kinds it leaves out. Raises BadInput."""
    exclusions = tuple(Exclusion(kind=entry["kind"], under=entry["under"]) for entry in plan.exclusions)
    return LeaveOut(larger_than_bytes=plan.larger_than_bytes, exclusions=exclusions)
