"""What a plan would mean, computed while somebody edits it."""

from datetime import datetime, timedelta
from typing import Any

from core.retention.verdicts import Moment, verdicts
from core.schedule.pattern import PatternShape, pattern_of
from core.schedule.recurrence import clock_change
from core.schedule.window import longest_gap, slots
from server.people.queries import closed_days, office_zone
from server.plans.convert import recurrence_of, rule_of, sentence_of, window_of
from server.plans.models import Plan

PREVIEWED_RUNS = 5


def preview(plan: Plan, *, now: datetime) -> dict[str, Any]:
    """A plan that need not be saved: its dates, what it would keep of a year, and where it falls short of its promise."""
    zone, closed = office_zone(), closed_days()
    recurrence = recurrence_of(plan, zone, closed)
    past = recurrence_of(plan, zone, back=timedelta(weeks=53))
    year = [Moment(id=str(n), at=at) for n, at in enumerate(past.between(now - timedelta(days=366), now))]
    kept = [verdict.moment.at.astimezone(zone).date() for verdict in verdicts(year, rule_of(plan), zone=zone, now=now) if verdict.kept]
    first = recurrence.following(now, 1)
    coming = slots(recurrence, window_of(plan), after=now, until=first[0] + timedelta(days=40)) if first else []
    hourly = pattern_of(plan.rule).shape in (PatternShape.WORKING_TIME, PatternShape.RULE)
    upcoming = [
        {"at": slot.opens, "closes": slot.closes, "clocks": clock_change(slot.opens, None if hourly else plan.starts_at, zone)}
        for slot in coming
    ]
    longest = longest_gap(recurrence, after=now)
    short = longest > timedelta(seconds=plan.promise_seconds)
    says = f"Its runs are up to {longest.days} days and {longest.seconds // 3600} hours apart, longer than promised." if short else ""
    week = len(list(recurrence.between(now, now + timedelta(days=7))))
    today = now.astimezone(zone).date()
    skipped = sorted(day for day in recurrence.skipped if today <= day <= today + timedelta(days=366))
    return {
        "sentence": sentence_of(plan), "rule": plan.rule, "next_runs": _shown(upcoming), "skipped_days": skipped[:40], "runs_a_week": week,
        "kept_days": sorted(kept), "shortfall": says,
    }  # fmt: skip


def _shown(upcoming: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The next few, and the next one on which clocks change."""
    marked = next((entry for entry in upcoming[PREVIEWED_RUNS:] if entry["clocks"]), None)
    return [*upcoming[:PREVIEWED_RUNS], *([marked] if marked else [])]
