"""Recurrence as people say it: a pattern that reads like a sentence, to and from an RRULE value (RFC 5545).

Five patterns cover what offices do; every other rule is a pattern of the shape `rule`, shown as it is written.
"""

import re
from dataclasses import dataclass
from datetime import time
from enum import StrEnum

from core.errors import BadInput
from core.schedule.recurrence import WEEKDAYS, weekly_rule

DAY_NAMES = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
ORDINALS = {1: "first", 2: "second", 3: "third", 4: "fourth", -1: "last"}
MOST_DAYS = 366


class PatternShape(StrEnum):
    EVERY_NIGHT = "every_night"
    EVERY_DAYS = "every_days"
    WEEKDAYS = "weekdays"
    MONTHLY = "monthly"
    WORKING_TIME = "working_time"
    RULE = "rule"


@dataclass(frozen=True, slots=True, kw_only=True)
class Pattern:
    """One of the shapes; fields of other shapes are left at their defaults."""

    shape: PatternShape
    days: int = 2
    """`every_days`: one run in so many days."""
    weekdays: tuple[int, ...] = ()
    """`weekdays`, `working_time`: 0 is Monday. `monthly`: exactly one."""
    nth: int = 1
    """`monthly`: first to fourth, or -1 for the last."""
    hours: int = 4
    """`working_time`: one run in so many hours."""
    from_hour: int = 8
    to_hour: int = 18
    """`working_time`: the last run starts by this hour."""
    rule: str = ""
    """`rule`: an RRULE value."""


def rule_of(pattern: Pattern) -> str:
    """The RRULE value. Raises BadInput naming the field."""
    match pattern.shape:
        case PatternShape.EVERY_NIGHT:
            return "FREQ=DAILY"
        case PatternShape.EVERY_DAYS:
            if not 1 <= pattern.days <= MOST_DAYS:
                raise BadInput("That many days apart is not possible.", field="days", remedy=f"Use a number from 1 to {MOST_DAYS}.")
            return f"FREQ=DAILY;INTERVAL={pattern.days}"
        case PatternShape.WEEKDAYS:
            return weekly_rule(pattern.weekdays)
        case PatternShape.MONTHLY:
            if len(pattern.weekdays) != 1 or not 0 <= pattern.weekdays[0] <= 6 or pattern.nth not in ORDINALS:
                raise BadInput("Choose which weekday of the month.", field="nth", remedy="For example the first Monday.")
            return f"FREQ=MONTHLY;BYDAY={pattern.nth}{WEEKDAYS[pattern.weekdays[0]]}"
        case PatternShape.WORKING_TIME:
            return _working_time(pattern)
        case _:
            if not pattern.rule.strip():
                raise BadInput("There is no rule.", field="rule", remedy="Give an RRULE value, for example FREQ=DAILY;INTERVAL=3.")
            return pattern.rule.strip().removeprefix("RRULE:").upper()


def _working_time(pattern: Pattern) -> str:
    if not 0 <= pattern.from_hour < pattern.to_hour <= 23:
        raise BadInput("The working time ends before it begins.", field="to_hour", remedy="Use hours from 0 to 23, the later one second.")
    if not 1 <= pattern.hours <= 12:
        raise BadInput("That many hours apart is not possible.", field="hours", remedy="Use a number from 1 to 12.")
    hours = ",".join(str(hour) for hour in range(pattern.from_hour, pattern.to_hour + 1, pattern.hours))
    return f"{weekly_rule(pattern.weekdays)};BYHOUR={hours};BYMINUTE=0;BYSECOND=0"


_WEEKLY = re.compile(r"FREQ=WEEKLY;BYDAY=([A-Z,]+)(?:;BYHOUR=([\d,]+);BYMINUTE=0;BYSECOND=0)?")


def pattern_of(rule: str) -> Pattern:
    """The pattern that says this rule; `rule` itself where no sentence does."""
    if rule == "FREQ=DAILY":
        return Pattern(shape=PatternShape.EVERY_NIGHT)
    if match := re.fullmatch(r"FREQ=DAILY;INTERVAL=(\d{1,3})", rule):
        return Pattern(shape=PatternShape.EVERY_DAYS, days=int(match[1]))
    if (match := re.fullmatch(r"FREQ=MONTHLY;BYDAY=(-?\d)([A-Z]{2})", rule)) and int(match[1]) in ORDINALS and match[2] in WEEKDAYS:
        return Pattern(shape=PatternShape.MONTHLY, nth=int(match[1]), weekdays=(WEEKDAYS.index(match[2]),))
    if (match := _WEEKLY.fullmatch(rule)) and all(day in WEEKDAYS for day in match[1].split(",")):
        days = tuple(sorted(WEEKDAYS.index(day) for day in match[1].split(",")))
        if not match[2]:
            return Pattern(shape=PatternShape.WEEKDAYS, weekdays=days)
        hours = [int(hour) for hour in match[2].split(",")]
        step = hours[1] - hours[0] if len(hours) > 1 else 4
        guess = Pattern(shape=PatternShape.WORKING_TIME, weekdays=days, hours=step, from_hour=hours[0], to_hour=hours[-1])
        if 1 <= step <= 12 and len(hours) > 1 and rule_of(guess) == rule:
            return guess
    return Pattern(shape=PatternShape.RULE, rule=rule)


def sentence(pattern: Pattern, at: time) -> str:
    """`every night at 22:00`, `on Tuesdays and Sundays at 20:00`, `on the first Monday of each month at 21:00`."""
    time_of_day = f" at {at:%H:%M}"
    match pattern.shape:
        case PatternShape.EVERY_NIGHT:
            return f"every night{time_of_day}"
        case PatternShape.EVERY_DAYS:
            return ("every day" if pattern.days == 1 else f"every {pattern.days} days") + time_of_day
        case PatternShape.WEEKDAYS:
            return f"on {_days(pattern.weekdays)}{time_of_day}"
        case PatternShape.MONTHLY:
            return f"on the {ORDINALS[pattern.nth]} {DAY_NAMES[pattern.weekdays[0]]} of each month{time_of_day}"
        case PatternShape.WORKING_TIME:
            every = "every hour" if pattern.hours == 1 else f"every {pattern.hours} hours"
            return f"{every} from {pattern.from_hour:02}:00 to {pattern.to_hour:02}:00 on {_days(pattern.weekdays)}"
        case _:
            return f"by the rule {pattern.rule}, counted from {at:%H:%M}"


def _days(days: tuple[int, ...]) -> str:
    if days == (0, 1, 2, 3, 4):
        return "working days"
    names = [f"{DAY_NAMES[day]}s" for day in days]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
