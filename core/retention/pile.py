"""The whole pile at once: which copies stay in their stores and why, as arrays.

A pile is any number of devices with their copies in any number of stores. Slots are counted for a device in a store;
safeguards look at a device in all of its stores. Nothing is removed here: whoever carries a verdict out does.

One pass gives, for each copy and each bucket of its rule, the instant from which on the bucket claims it no longer. A claim
holds when that lies ahead. With the runs to come put into the pile the same pass tells the future.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from enum import IntFlag, unique
from zoneinfo import ZoneInfo

import numpy as np

from core.retention import calendar
from core.retention.calendar import NEVER
from core.retention.rule import BY_RULE, UNSURE, Rule, Why

PAST = -(1 << 62)


@unique
class Fact(IntFlag):
    """What is so for a copy, as far as retention asks."""

    PARTIAL = 1 << 0
    DOUBT = 1 << 1
    IMPORTED = 1 << 2
    PASSING = 1 << 3
    ANOMALY = 1 << 4
    DAMAGED = 1 << 5
    """All of them: and nobody has looked. What somebody has looked at carries none, or is `GIVEN_UP`."""
    GIVEN_UP = 1 << 6
    """Removed by hand, or damaged and looked at: takes no slot and no rule claims it."""
    LEAVING = 1 << 7
    """Decided; waits out its undo period."""
    ABSENT = 1 << 8
    """In a store that could not be reached for long, or on a drive that was not seen since its last rotation."""
    HELD = 1 << 9
    IN_USE = 1 << 10
    OWED = 1 << 11
    CHECKED = 1 << 12
    ENCRYPTED = 1 << 13
    FROZEN = 1 << 14


_UNSURE = Fact.DOUBT | Fact.IMPORTED | Fact.PASSING | Fact.ANOMALY | Fact.DAMAGED
_SAME = {
    Fact.DOUBT: Why.DOUBT, Fact.IMPORTED: Why.IMPORTED, Fact.PASSING: Why.PASSING, Fact.ANOMALY: Why.ANOMALY, Fact.DAMAGED: Why.DAMAGED,
    Fact.HELD: Why.HOLD, Fact.IN_USE: Why.IN_USE, Fact.OWED: Why.OWED, Fact.FROZEN: Why.FROZEN,
}  # fmt: skip
NO_RULE = -1


@dataclass(slots=True, kw_only=True)
class Pile:
    """Copies, one a place of each array."""

    device: np.ndarray
    """Numbers from 0."""
    store: np.ndarray
    """Numbers from 0."""
    backup: np.ndarray
    """Numbers; the same backup in two stores has one. Of two at the same instant the higher is the newer."""
    at: np.ndarray
    """int64 seconds."""
    facts: np.ndarray
    """`Fact`s, int32."""
    rule: np.ndarray
    """Place in `rules`; NO_RULE keeps."""
    as_of: np.ndarray
    """int64 seconds: the instant by which its rule counts; `now`, or earlier while a device's protection has lapsed."""
    rules: Sequence[Rule]
    zone: ZoneInfo
    order: np.ndarray = field(init=False)
    """By device in a store, oldest first."""

    def __post_init__(self) -> None:
        self.order = np.lexsort((self.backup, self.at, self.device, self.store))


def judged(pile: Pile, *, now: int) -> np.ndarray:
    """`Why` of each copy, int32; 0 for one that nothing keeps."""
    until = claimed_until(pile, now=now)
    why = np.zeros(len(pile.at), dtype=np.int32)
    for bit, ends in until.items():
        why |= np.where(ends > pile.as_of, np.int32(bit), np.int32(0))
    why |= np.where(pile.at > pile.as_of, np.int32(Why.YOUNG), np.int32(0))
    why = np.where(_slotless(pile, now) & (pile.rule != NO_RULE), why & ~np.int32(BY_RULE), why)
    gone = (pile.facts & Fact.GIVEN_UP) != 0
    why = np.where(gone, 0, why).astype(np.int32)
    for fact, bit in _SAME.items():
        is_so = (pile.facts & fact) != 0
        if bit in UNSURE:
            is_so &= ~gone
        why |= np.where(is_so, np.int32(bit), np.int32(0))
    why |= np.where((pile.at > now) & ~gone, np.int32(Why.FUTURE), np.int32(0))
    return _safeguarded(pile, why, now)


def claimed_until(pile: Pile, *, now: int) -> dict[Why, np.ndarray]:
    """Bucket → the instant from which on it claims each copy no longer, if the pile is all there is; NEVER, or PAST where it never did."""
    ends = {bit: np.full(len(pile.at), PAST, dtype=np.int64) for bit in (*_COUNTED, Why.LAST, Why.WITHIN, Why.YOUNG, Why.NO_RULE)}
    ends[Why.NO_RULE][pile.rule == NO_RULE] = NEVER
    ordered_rule, slotless = pile.rule[pile.order], _slotless(pile, now)[pile.order]
    for number, rule in enumerate(pile.rules):
        mine = pile.order[(ordered_rule == number) & ~slotless]
        if len(mine):
            _claims_of(pile, rule, mine, ends)
    return ends


def _slotless(pile: Pile, now: int) -> np.ndarray:
    slotless: np.ndarray = ((pile.facts & (_UNSURE | Fact.GIVEN_UP)) != 0) | (pile.at > now)
    return slotless


_Numbered = Callable[[np.ndarray, np.ndarray], np.ndarray]
_COUNTED: dict[Why, tuple[str, _Numbered]] = {
    Why.HOUR: ("hourly", calendar.hours), Why.DAY: ("daily", calendar.day_numbers), Why.WEEK: ("weekly", calendar.weeks),
    Why.MONTH: ("monthly", calendar.months), Why.YEAR: ("yearly", calendar.years),
}  # fmt: skip


def _claims_of(pile: Pile, rule: Rule, mine: np.ndarray, ends: dict[Why, np.ndarray]) -> None:
    """Of these copies, which come by device in a store and oldest first, into `ends`."""
    at, ahead = pile.at[mine], calendar.offsets(pile.at[mine], pile.zone)
    begins = np.ones(len(mine), dtype=bool)
    begins[1:] = (pile.device[mine][1:] != pile.device[mine][:-1]) | (pile.store[mine][1:] != pile.store[mine][:-1])
    group = np.cumsum(begins) - 1
    partial = (pile.facts[mine] & Fact.PARTIAL) != 0
    oldest = calendar.passed_at(at, ahead, rule.greatest_age, pile.zone) if rule.greatest_age else None

    def put(bit: Why, those: np.ndarray) -> None:
        ends[bit][mine] = those if oldest is None or bit == Why.YOUNG else np.minimum(those, oldest)

    if rule.last:
        put(Why.LAST, _nth_after(at, group, np.arange(len(mine)), rule.last))
    if rule.within:
        put(Why.WITHIN, calendar.passed_at(at, ahead, rule.within, pile.zone))
    if rule.minimum_age:
        put(Why.YOUNG, at + int(rule.minimum_age.total_seconds()))
    for bit, (name, numbers) in _COUNTED.items():
        if count := getattr(rule, name):
            put(bit, _claimed_by_periods(at, group, begins, numbers(at, ahead), partial, count))


def _nth_after(at: np.ndarray, group: np.ndarray, place: np.ndarray, count: int) -> np.ndarray:
    """When the `count`th after each place appears in the same group; NEVER when there is none."""
    there = place + count
    inside = there < len(at)
    inside[inside] = group[there[inside]] == group[place[inside]]
    values = np.full(len(place), NEVER, dtype=np.int64)
    values[inside] = at[there[inside]]
    return values


def _claimed_by_periods(
    at: np.ndarray, group: np.ndarray, begins: np.ndarray, number: np.ndarray, partial: np.ndarray, count: int
) -> np.ndarray:
    """Until when each is the one of its period, and its period among the newest `count` that have a backup."""
    first = begins.copy()
    first[1:] |= number[1:] != number[:-1]
    period, heads = np.cumsum(first) - 1, np.flatnonzero(first)
    outlived = _nth_after(at[heads], group[heads], np.arange(len(heads)), count)[period]
    # the newest complete one stands for a period, or the newest partial one while there is no complete one
    places = np.arange(len(at))
    next_any = _next(places, np.ones(len(at), dtype=bool), period)
    next_complete = _next(places, ~partial, period)
    follower = np.where(partial, next_any, next_complete)
    replaced = np.where(follower >= 0, at[follower], NEVER)
    complete_so_far = np.maximum.accumulate(np.where(partial, -1, places))
    after_complete = partial & (complete_so_far >= heads[period])
    return np.where(after_complete, PAST, np.minimum(outlived, replaced))


def _next(places: np.ndarray, wanted: np.ndarray, period: np.ndarray) -> np.ndarray:
    """The next place after each that is wanted and of the same period; -1 without one."""
    size = len(places)
    ahead = np.where(wanted, places, size)
    following = np.minimum.accumulate(ahead[::-1])[::-1]
    after = np.append(following[1:], size)
    values = np.full(size, -1, dtype=np.int64)
    inside = after < size
    inside[inside] = period[after[inside]] == period[np.flatnonzero(inside)]
    values[inside] = after[inside]
    return values


def _safeguarded(pile: Pile, why: np.ndarray, now: int) -> np.ndarray:
    """With the safeguards that act. What is leaving, damaged, absent or unsure protects nothing by being there."""
    facts = pile.facts
    sound = (facts & (Fact.DAMAGED | Fact.ABSENT)) == 0
    sure = ((facts & (_UNSURE | Fact.GIVEN_UP)) == 0) & (pile.at <= now)
    by_age = np.lexsort((pile.backup, pile.at, pile.device))
    numbers, where = np.unique(pile.backup, return_inverse=True)
    for bit, of in (
        (Why.LAST_RESTORABLE, sure), (Why.LAST_COMPLETE, sure & ((facts & Fact.PARTIAL) == 0)),
        (Why.LAST_ENCRYPTED, sure & ((facts & Fact.ENCRYPTED) != 0)), (Why.LAST_CHECKED, sure & ((facts & Fact.CHECKED) != 0)),
    ):  # fmt: skip
        safe = np.zeros(len(numbers), dtype=bool)
        safe[where[(why != 0) & sound & of]] = True
        why |= np.where(_newest(pile, by_age, of, sound) & ~safe[where], np.int32(bit), np.int32(0))
    why |= np.where(_before_anomalies(pile, by_age, sure & sound), np.int32(Why.BEFORE_ANOMALY), np.int32(0))
    wanted, safe = np.zeros(len(numbers), dtype=bool), np.zeros(len(numbers), dtype=bool)
    wanted[where[why != 0]] = True
    safe[where[(why != 0) & sound]] = True
    return why | np.where(sound & (wanted & ~safe)[where], np.int32(Why.ONLY_INTACT), np.int32(0))


def _newest(pile: Pile, by_age: np.ndarray, of: np.ndarray, sound: np.ndarray) -> np.ndarray:
    """All copies of the newest backup of each device among these; a sound one goes before one that cannot be read now."""
    newest = np.full(int(pile.device.max(initial=-1)) + 1, -1, dtype=np.int64)
    for among in (of & ~sound, of & sound):
        mine = by_age[among[by_age]]
        last = np.append(pile.device[mine][1:] != pile.device[mine][:-1], True)[: len(mine)]
        newest[pile.device[mine[last]]] = pile.backup[mine[last]]
    chosen: np.ndarray = of & (pile.backup == newest[pile.device])
    return chosen


def _before_anomalies(pile: Pile, by_age: np.ndarray, sure: np.ndarray) -> np.ndarray:
    """All sound copies of the newest sure backup from before each backup that somebody has to look at."""
    strange = (pile.facts[by_age] & (Fact.ANOMALY | Fact.GIVEN_UP)) == Fact.ANOMALY
    chosen = np.zeros(len(pile.at), dtype=bool)
    if not strange.any():
        return chosen
    places = np.arange(len(by_age))
    before = np.maximum.accumulate(np.where(sure[by_age], places, -1))
    earlier = before[strange]
    valid = earlier >= 0
    valid[valid] = pile.device[by_age[earlier[valid]]] == pile.device[by_age[places[strange][valid]]]
    wanted = np.unique(pile.backup[by_age[earlier[valid]]])
    return sure & np.isin(pile.backup, wanted)
