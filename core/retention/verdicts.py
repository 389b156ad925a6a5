"""One device's copies, judged: why each stays, and until when. The rule itself is in `pile`; here it gets words and days."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from core.retention import calendar
from core.retention.calendar import NEVER, iso_week
from core.retention.pile import NO_RULE, Fact, Pile, claimed_until, judged
from core.retention.rule import BY_RULE, Rule, Why
from core.units import aware

ONE_STORE = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Moment:
    """A copy of a backup as retention sees it."""

    id: str
    """Of the backup."""
    at: datetime
    """Aware; when the backup finished."""
    store: str = ONE_STORE
    facts: Fact = Fact(0)
    hold: str = ""
    """Why it is kept whatever the rule says; empty without a hold."""
    hold_until: date | None = None
    """Last day of the hold, in the rule's zone; None for one that stays until it is released."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Claim:
    """One reason for which a copy is kept."""

    why: Why
    """A single one."""
    label: str
    """Which one: `2026-03-02`, `2026-W10`, `2026-03`, `2026`, `2 of 3`, or the reason of a hold; empty where there is no which."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Verdict:
    moment: Moment
    why: Why
    rule: Rule | None
    """That speaks of it; None keeps everything."""
    rank: int
    """Which of the newest it is, of one that is kept as one of the last n."""
    zone: ZoneInfo

    @property
    def kept(self) -> bool:
        return bool(self.why)

    @property
    def claims(self) -> tuple[Claim, ...]:
        """Each reason for which it stays, with which one it is."""
        return tuple(_claims(self.moment, self.why, self.rule, self.rank, self.zone))


Rules = Mapping[str, Rule | None]
"""Store → its rule for this device; None, or a store that is not named, keeps everything."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Case:
    """One device: its copies, and the rules of its stores."""

    moments: Sequence[Moment]
    rules: Rules | Rule
    as_of: datetime | None = None
    """The instant by which the rules count, while protection has lapsed."""


def verdicts(
    moments: Iterable[Moment], rules: Rules | Rule, *, zone: ZoneInfo, now: datetime, as_of: datetime | None = None
) -> list[Verdict]:
    """One verdict a copy, newest first. `as_of`: the instant by which the rules count, while protection has lapsed."""
    return verdicts_of([Case(moments=list(moments), rules=rules, as_of=as_of)], zone=zone, now=now)[0]


def verdicts_of(cases: Sequence[Case], *, zone: ZoneInfo, now: datetime) -> list[list[Verdict]]:
    """Of many devices at once: for each case one verdict a copy, newest first."""
    ordered = [sorted(case.moments, key=lambda one: (aware(one.at), one.id, one.store), reverse=True) for case in cases]
    pile = _pile([replace(case, moments=moments) for case, moments in zip(cases, ordered, strict=True)], zone=zone, now=now)
    why = [Why(bits) for bits in judged(pile, now=calendar.seconds_of(aware(now))).tolist()]
    nights, begin = [], 0
    for case, moments in zip(cases, ordered, strict=True):
        mine = why[begin : begin + len(moments)]
        begin += len(moments)
        ranks = _ranks(moments, mine)
        nights.append(
            [
                Verdict(moment=one, why=bits, rule=_rule(case.rules, one.store), rank=ranks.get(n, 0), zone=zone)
                for n, (one, bits) in enumerate(zip(moments, mine, strict=True))
            ]
        )
    return nights


@dataclass(frozen=True, slots=True, kw_only=True)
class Life:
    """A copy that stays now, or one that a run to come would make, and until when something claims it."""

    moment: Moment
    planned: bool
    until: datetime | None
    """None for what outlasts the last of the runs, or stays for a reason whose end nobody can foretell."""


def lives(
    moments: Sequence[Moment],
    rules: Rules | Rule,
    *,
    zone: ZoneInfo,
    now: datetime,
    runs: Sequence[datetime],
    as_of: datetime | None = None,
) -> list[Life]:
    """What lies there and what is to come, if a good backup is made in each store at each of `runs`."""
    by_rule = verdicts(moments, rules, zone=zone, now=now, as_of=as_of)
    sure = [verdict for verdict in by_rule if verdict.kept]
    stores = sorted({one.store for one in moments})
    later = [Moment(id=f"~{n:06}", at=run, store=store) for store in stores for n, run in enumerate(sorted(runs))]
    pile = _pile([Case(moments=[*(verdict.moment for verdict in sure), *later], rules=rules)], zone=zone, now=now)
    ends = np.max(np.stack(list(claimed_until(pile, now=int(NEVER)).values())), axis=0) if len(pile.at) else pile.at
    reasons = [
        Life(moment=verdict.moment, planned=False, until=_end(verdict, int(end), zone)) for verdict, end in zip(sure, ends, strict=False)
    ]
    return reasons + [
        Life(moment=moment, planned=True, until=None if end >= NEVER else calendar.instant_of(int(end)))
        for moment, end in zip(later, ends[len(sure) :], strict=True)
    ]


def _end(verdict: Verdict, counted: int, zone: ZoneInfo) -> datetime | None:
    """When nothing keeps it any more, the rule's claims ending at `counted`."""
    hold = verdict.moment.hold_until if verdict.why & Why.HOLD else None
    if verdict.why & ~(BY_RULE | Why.HOLD) or (verdict.why & Why.HOLD and hold is None):
        return None
    if hold is not None:
        counted = max(counted, calendar.midnight(hold + timedelta(days=1), zone))
    return None if counted >= NEVER else calendar.instant_of(counted)


def leaves_on(
    moments: Sequence[Moment],
    rules: Rules | Rule,
    *,
    zone: ZoneInfo,
    now: datetime,
    runs: Sequence[datetime],
    as_of: datetime | None = None,
) -> dict[tuple[str, str], date | None]:
    """(backup, store) of what stays now → the office's day on which nothing claims it any more."""
    lasting = lives(moments, rules, zone=zone, now=now, runs=runs, as_of=as_of)
    return {
        (one.moment.id, one.moment.store): None if one.until is None else one.until.astimezone(zone).date()
        for one in lasting
        if not one.planned
    }


def _rule(rules: Rules | Rule, store: str) -> Rule | None:
    return rules if isinstance(rules, Rule) else rules.get(store)


def _pile(cases: Sequence[Case], *, zone: ZoneInfo, now: datetime) -> Pile:
    today, count = aware(now).astimezone(zone).date(), sum(len(case.moments) for case in cases)
    moments = [one for case in cases for one in case.moments]
    ids = {id: n for n, id in enumerate(sorted({one.id for one in moments}))}
    stores = {store: n for n, store in enumerate(sorted({one.store for one in moments}))}
    rules: dict[Rule, int] = {}
    places = []
    for case in cases:
        mine = {store: _rule(case.rules, store) for store in {one.store for one in case.moments}}
        numbers = {store: NO_RULE if rule is None else rules.setdefault(rule, len(rules)) for store, rule in mine.items()}
        places += [numbers[one.store] for one in case.moments]
    sizes = [len(case.moments) for case in cases]
    counted = [calendar.seconds_of(aware(case.as_of or now)) for case in cases]
    return Pile(
        device=np.repeat(np.arange(len(cases)), sizes),
        store=np.fromiter((stores[one.store] for one in moments), dtype=np.int64, count=count),
        backup=np.fromiter((ids[one.id] for one in moments), dtype=np.int64, count=count),
        at=np.fromiter((calendar.seconds_of(aware(one.at)) for one in moments), dtype=np.int64, count=count),
        facts=np.fromiter((int(one.facts) | (int(Fact.HELD) if _holds(one, today) else 0) for one in moments), dtype=np.int32, count=count),
        rule=np.array(places, dtype=np.int64),
        as_of=np.repeat(np.array(counted, dtype=np.int64), sizes),
        rules=list(rules),
        zone=zone,
    )


def _holds(one: Moment, today: date) -> bool:
    return bool(one.hold) and (one.hold_until is None or today <= one.hold_until)


def _ranks(ordered: Sequence[Moment], why: Sequence[Why]) -> dict[int, int]:
    """Place → which of the newest it is in its store, for those that are kept as one of the last n."""
    seen: dict[str, int] = {}
    ranks = {}
    for n, one in enumerate(ordered):
        if why[n] & Why.LAST:
            ranks[n] = seen[one.store] = seen.get(one.store, 0) + 1
    return ranks


def _hour(local: datetime) -> str:
    return f"{local:%Y-%m-%d %H:00%z}"


_NAMES: dict[Why, Callable[[datetime], str]] = {
    Why.HOUR: _hour, Why.DAY: lambda local: f"{local:%Y-%m-%d}", Why.WEEK: lambda local: iso_week(local.date()),
    Why.MONTH: lambda local: f"{local:%Y-%m}", Why.YEAR: lambda local: f"{local:%Y}",
}  # fmt: skip


def _claims(one: Moment, why: Why, rule: Rule | None, rank: int, zone: ZoneInfo) -> Iterable[Claim]:
    local = aware(one.at).astimezone(zone)
    for bit in Why:
        if not why & bit:
            continue
        label = ""
        if bit in _NAMES:
            label = _NAMES[bit](local)
        elif bit == Why.HOLD:
            label = one.hold
        elif rule is not None and bit == Why.LAST:
            label = f"{rank} of {rule.last}"
        elif rule is not None and bit == Why.WITHIN and rule.within is not None:
            label = f"{rule.within.count} {rule.within.unit}"
        elif rule is not None and bit == Why.YOUNG:
            label = f"{rule.minimum_age.days} days"
        yield Claim(why=bit, label=label)
