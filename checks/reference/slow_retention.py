"""Retention once more, slow and obvious: sets, loops and the standard library. Shares no code with the product's."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

UNSURE = {"doubt", "imported", "passing", "anomaly", "damaged"}


@dataclass(frozen=True)
class SlowRule:
    last: int = 0
    hourly: int = 0
    daily: int = 0
    weekly: int = 0
    monthly: int = 0
    yearly: int = 0
    within_days: int = 0
    minimum_age: timedelta = timedelta()
    greatest_days: int = 0


@dataclass(frozen=True)
class SlowCopy:
    backup: str
    store: str
    at: datetime
    facts: frozenset[str] = frozenset()
    """partial, given up, leaving, absent, held, in use, owed, checked, encrypted, frozen, and those of UNSURE"""


def kept(copies: list[SlowCopy], rules: dict[str, SlowRule | None], zone: ZoneInfo, now: datetime, as_of: datetime) -> set[SlowCopy]:
    stay = {one for one in copies if claimed(one, copies, rules[one.store], zone, now, as_of)}
    sure = [one for one in copies if not one.facts & (UNSURE | {"given up"}) and one.at <= now]
    sound = [one for one in copies if not one.facts & {"damaged", "absent"}]
    for needed in (set[str](), {"not partial"}, {"encrypted"}, {"checked"}):
        such = [one for one in sure if is_such(one, needed)]
        if such:
            newest = max([one for one in such if one in sound] or such, key=lambda one: (one.at, one.backup)).backup
            mine = [one for one in such if one.backup == newest]
            if not [one for one in mine if one in stay and one in sound]:
                stay |= set(mine)
    for strange in copies:
        if "anomaly" in strange.facts and "given up" not in strange.facts:
            before = [one for one in sure if one in sound and (one.at, one.backup) < (strange.at, strange.backup)]
            if before:
                newest = max(before, key=lambda one: (one.at, one.backup)).backup
                stay |= {one for one in sure if one in sound and one.backup == newest}
    for backup in {one.backup for one in stay}:
        if not [one for one in stay if one.backup == backup and one in sound]:
            stay |= {one for one in sound if one.backup == backup}
    return stay


def is_such(one: SlowCopy, needed: set[str]) -> bool:
    return all(("partial" not in one.facts) if name == "not partial" else (name in one.facts) for name in needed)


def claimed(one: SlowCopy, copies: list[SlowCopy], rule: SlowRule | None, zone: ZoneInfo, now: datetime, as_of: datetime) -> bool:
    if one.facts & {"held", "in use", "owed", "frozen"}:
        return True
    if "given up" in one.facts:
        return False
    if rule is None or one.facts & UNSURE or one.at > as_of:
        return True
    if one.at + rule.minimum_age > as_of and rule.minimum_age:
        return True
    day = one.at.astimezone(zone).date()
    today = as_of.astimezone(zone).date()
    if rule.greatest_days and day < today - timedelta(days=rule.greatest_days):
        return False
    if rule.within_days and day >= today - timedelta(days=rule.within_days):
        return True
    takers = [
        other
        for other in copies
        if other.store == one.store and not other.facts & (UNSURE | {"given up"}) and other.at <= now and other.at <= as_of
    ]
    takers.sort(key=lambda other: (other.at, other.backup), reverse=True)
    if one in takers[: rule.last]:
        return True
    for count, name in (
        (rule.hourly, hour_name), (rule.daily, "%Y-%m-%d"), (rule.weekly, "%G-W%V"), (rule.monthly, "%Y-%m"), (rule.yearly, "%Y"),
    ):  # fmt: skip
        names: list[str] = []
        for other in takers:
            local = other.at.astimezone(zone)
            period = name(local) if callable(name) else local.strftime(name)
            if period not in names:
                names.append(period)
        mine = one.at.astimezone(zone)
        period = name(mine) if callable(name) else mine.strftime(name)
        if period not in names[:count]:
            continue
        same = [o for o in takers if (name(o.at.astimezone(zone)) if callable(name) else o.at.astimezone(zone).strftime(name)) == period]
        best = [other for other in same if "partial" not in other.facts] or same
        if best[0] == one:
            return True
    return False


def hour_name(local: datetime) -> str:
    return f"{local:%Y-%m-%d %H %z}"
