"""Retention rules: verdicts on a device's backups.

A rule keeps the last n backups, and the newest one of each of the last n days, ISO 8601 weeks, months
and years, all by the calendar of the office's zone, today's included. Whatever the rule says, a hold
keeps a backup, and a device's last restorable backup stays. The answer does not depend on the order
of the backups, and asking again after removing what fell out changes nothing.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, fields
from datetime import date, datetime, timedelta
from enum import StrEnum
from zoneinfo import ZoneInfo

from core.errors import BadInput
from core.units import aware

HIGHEST_COUNT = 3650


class Bucket(StrEnum):
    """What a claim counts by."""

    LAST = "last"
    DAY = "day"
    WEEK = "week"
    MONTH = "month"
    YEAR = "year"
    HOLD = "hold"
    LAST_RESTORABLE = "last_restorable"


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """Counts of each bucket; zero leaves a bucket out."""

    last: int = 0
    daily: int = 0
    weekly: int = 0
    monthly: int = 0
    yearly: int = 0

    def __post_init__(self) -> None:
        for field in fields(self):
            count = getattr(self, field.name)
            if not 0 <= count <= HIGHEST_COUNT:
                raise BadInput(
                    f"{count} is no possible count.", field=f"keep_{field.name}", remedy=f"Use a number from 0 to {HIGHEST_COUNT}."
                )
        if not any(getattr(self, field.name) for field in fields(self)):
            raise BadInput("This rule would keep nothing.", field="keep_last", remedy="Keep at least the last backup.")


@dataclass(frozen=True, slots=True, kw_only=True)
class Moment:
    """A backup as retention sees it."""

    id: str
    at: datetime
    """Aware; when it finished."""
    hold: str = ""
    """Why it is kept whatever the rule says; empty without a hold."""
    hold_until: date | None = None
    """Last day of the hold, in the rule's zone; None for one that stays until it is released."""
    restorable: bool = True
    """False once a check found it damaged."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Claim:
    """One reason for which a backup is kept."""

    bucket: Bucket
    label: str
    """Which one: `2026-03-02`, `2026-W10`, `2026-03`, `2026`, `2 of 3`, or the reason of a hold."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Verdict:
    moment: Moment
    claims: tuple[Claim, ...]

    @property
    def kept(self) -> bool:
        return bool(self.claims)


def verdicts(moments: Iterable[Moment], rule: Rule, *, zone: ZoneInfo, now: datetime) -> list[Verdict]:
    """One verdict a backup, newest first.

    A damaged backup takes no good one's place. It stays itself for as long as the rule would keep it if
    it were good: most of it may still be restored, and it may yet be repaired.
    """
    ordered = sorted(moments, key=lambda moment: (aware(moment.at), moment.id), reverse=True)
    good = [moment for moment in ordered if moment.restorable]
    claims, for_all = _claims(good, rule, zone=zone, now=now), _claims(ordered, rule, zone=zone, now=now)
    claims |= {moment.id: for_all[moment.id] for moment in ordered if not moment.restorable}
    today = aware(now).astimezone(zone).date()
    for moment in ordered:
        if moment.hold and (moment.hold_until is None or today <= moment.hold_until):
            claims[moment.id].append(Claim(bucket=Bucket.HOLD, label=moment.hold))
    if good and not any(claims[moment.id] for moment in good):
        claims[good[0].id].append(Claim(bucket=Bucket.LAST_RESTORABLE, label="the only one left"))
    return [Verdict(moment=moment, claims=tuple(claims[moment.id])) for moment in ordered]


def _claims(ordered: Sequence[Moment], rule: Rule, *, zone: ZoneInfo, now: datetime) -> dict[str, list[Claim]]:
    """The rule's own claims on these backups, which come newest first."""
    claims: dict[str, list[Claim]] = {moment.id: [] for moment in ordered}
    for place, moment in enumerate(ordered[: rule.last], start=1):
        claims[moment.id].append(Claim(bucket=Bucket.LAST, label=f"{place} of {rule.last}"))
    today = aware(now).astimezone(zone).date()
    days = [(moment, aware(moment.at).astimezone(zone).date()) for moment in ordered]
    for bucket, label, wanted in _calendar(rule, today):
        taken: set[str] = set()
        for moment, day in days:
            name = label(day)
            if name in wanted and name not in taken:
                taken.add(name)
                claims[moment.id].append(Claim(bucket=bucket, label=name))
    return claims


def forecast(moments: Sequence[Moment], rule: Rule, *, zone: ZoneInfo, now: datetime, runs: Sequence[datetime]) -> dict[str, date | None]:
    """The day on which each kept backup falls out if a good backup is made at every one of `runs`.

    None for one that outlasts the last of `runs`. Days are the office's.
    """
    left = {verdict.moment.id: verdict.moment for verdict in verdicts(moments, rule, zone=zone, now=now) if verdict.kept}
    falls: dict[str, date | None] = dict.fromkeys(left)
    future: list[Moment] = []
    for number, run in enumerate(sorted(runs)):
        future.append(Moment(id=f"future {number}", at=run))
        after = verdicts([*left.values(), *future], rule, zone=zone, now=run)
        gone = {verdict.moment.id for verdict in after if not verdict.kept}
        for id in gone & left.keys():
            falls[id] = aware(run).astimezone(zone).date()
            del left[id]
        future = [moment for moment in future if moment.id not in gone]
        if all(moment.hold and moment.hold_until is None for moment in left.values()):
            break
    return falls


def iso_week(day: date) -> str:
    """`2026-W53`: week and its year by ISO 8601, whose year is not always the calendar's."""
    year, week, _ = day.isocalendar()
    return f"{year}-W{week:02}"


def _calendar(rule: Rule, today: date) -> list[tuple[Bucket, Callable[[date], str], set[str]]]:
    """Each bucket with how a day is named in it and which names are wanted."""
    months = today.year * 12 + today.month - 1
    wanted_months = (divmod(months - back, 12) for back in range(rule.monthly))
    return [
        (Bucket.DAY, date.isoformat, {(today - timedelta(days=back)).isoformat() for back in range(rule.daily)}),
        (Bucket.WEEK, iso_week, {iso_week(today - timedelta(weeks=back)) for back in range(rule.weekly)}),
        (Bucket.MONTH, lambda day: f"{day:%Y-%m}", {f"{year:04}-{month + 1:02}" for year, month in wanted_months}),
        (Bucket.YEAR, lambda day: f"{day:%Y}", {f"{today.year - back:04}" for back in range(rule.yearly)}),
    ]
