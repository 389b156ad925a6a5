"""Plans that cannot be computed: one such row takes no list, no watch, no line-up and no start with it.

Everything is checked before a plan is saved, so this speaks of rows that came another way: an earlier program, a hand
in the database, a library that changed. They are shown as what they are, with their way out.
"""

import logging
from collections.abc import Callable
from datetime import date, datetime, timedelta
from typing import TypeVar
from zoneinfo import ZoneInfo

from core.errors import AtticError
from server.plans.convert import conditions_of, leave_out_of, recurrence_of, rule_of, sentence_of, taken_kinds, window_of
from server.plans.models import Plan

T = TypeVar("T")
U = TypeVar("U")
log = logging.getLogger("attic.plans")
LOOKED_AHEAD = timedelta(days=62)


def or_else(plan: Plan, compute: Callable[[], T], otherwise: U) -> T | U:
    """What `compute` says of the plan, or `otherwise` when it cannot be computed; that is logged."""
    try:
        return compute()
    except Exception:
        log.warning("the plan %s (%s) cannot be computed", plan.id, plan.name, exc_info=True)
        return otherwise


def fault_of(plan: Plan, *, zone: ZoneInfo, closed: frozenset[date], now: datetime) -> str:
    """Why it cannot be computed, in words; empty when it can."""
    try:
        recurrence = recurrence_of(plan, zone, closed)
        recurrence.following(now, 1)
        list(recurrence.between(now - timedelta(days=1), now + LOOKED_AHEAD))
        window_of(plan), rule_of(plan), conditions_of(plan), leave_out_of(plan), taken_kinds(plan), sentence_of(plan)
    except AtticError as error:
        return error.message
    except Exception as error:
        log.warning("the plan %s (%s) cannot be computed", plan.id, plan.name, exc_info=True)
        return f"Its dates cannot be computed ({type(error).__name__})."
    return ""
