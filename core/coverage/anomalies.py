"""Runs that succeeded and look wrong, measured against the device's own history.

Every finding tells the numbers it rests on and the two moments to compare. Thresholds are stated here and
are meant to be quiet: each asks for a change that is far off this device's own habits *and* large by itself.
They are common practice, no published source; how often they are wrong is measured on a simulated year.
"""

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum
from statistics import median

from core.content.kinds import KINDS
from core.coverage.robust import score
from core.units import iec, spoken

LEAST_HISTORY = 7
"""Backups before the looked-at one; with fewer, habits are not known."""
MOST_HISTORY = 30
FAR = 8.0
"""Robust standard deviations."""
SHRUNK, GROWN = 0.30, 2.0
"""A kind lost more than 30 % of its items or bytes; has more than twice as many."""
LEAST_ITEMS, LEAST_BYTES = 10, 256 * 1024
"""Changes smaller than that are nobody's concern."""
LEAST_SCALE = 0.02
"""Of the logarithm of the ratio between two backups: 2 % is never odd."""
QUIET_DAYS, QUIET_FACTOR, QUIET_HISTORY = 6, 4, 20
"""Nothing new for 6 days and 4 times the longest quiet spell of its own, of which at least 20 backups must tell."""
CHANGED_SHARE, CHANGED_ITEMS = 0.5, 30
"""More than half of what was there before, and more than 30 items, were rewritten at once."""
CLOCK_SECONDS = 120
VANISHED_ITEMS, VANISHED_BACKUPS = 3, 3


class Odd(StrEnum):
    SHRUNK = "shrunk"
    GROWN = "grown"
    VANISHED = "vanished"
    NOTHING_NEW = "nothing_new"
    CLOCK_OFF = "clock_off"
    MANY_CHANGED = "many_changed"
    NOT_ENCRYPTED = "not_encrypted"


@dataclass(frozen=True, slots=True, kw_only=True)
class TakenKind:
    """One kind in one backup."""

    items: int
    size_bytes: int
    changed: int = 0
    """Items that were there in the backup before, under the same id, and came with other content."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Taken:
    """One good backup of a device."""

    id: str
    at: datetime
    kinds: dict[str, TakenKind]
    new_items: int
    """Items that were read because they were new or changed."""
    encrypted: bool | None = None
    """Whether the device kept its content, or its card, encrypted; None where it does not tell."""
    clock_off_seconds: float = 0.0
    lacking: tuple["Lacking", ...] = ()
    """What it has far fewer of than the backup before."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Lacking:
    """A kind of which a device gave far fewer items than it had a backup ago."""

    kind: str
    before: int
    after: int


def far_fewer(before: Mapping[str, int], after: Mapping[str, int]) -> list[Lacking]:
    """Whether one backup by itself says so, without any history: the same share as `SHRUNK` and an absolute floor, so that a
    handful of items is nobody's concern; and a device that gives nothing at all, where it gave anything."""
    nothing = any(before.values()) and not any(after.values())
    lacking = (Lacking(kind=kind, before=count, after=after.get(kind, 0)) for kind, count in sorted(before.items()))
    return [one for one in lacking if _far(one) or (nothing and one.before)]


def _far(one: Lacking) -> bool:
    return one.before - one.after >= LEAST_ITEMS and one.after < one.before * (1 - SHRUNK)


@dataclass(frozen=True, slots=True, kw_only=True)
class DetectedAnomaly:
    code: Odd
    kind: str
    """Empty where it is about the whole device."""
    says: str
    before: str
    """Id of the backup to compare with; empty where there is none."""
    numbers: dict[str, float]


def anomalies(now_taken: Taken, history: Sequence[Taken], *, in_use: bool = True) -> list[DetectedAnomaly]:
    """What is odd about a backup. `history` holds the earlier good ones, newest first."""
    history = history[:MOST_HISTORY]
    detected: list[DetectedAnomaly] = []
    if abs(now_taken.clock_off_seconds) > CLOCK_SECONDS:
        detected.append(_clock(now_taken, history))
    if not history:
        return detected
    before = history[0]
    if before.encrypted is True and now_taken.encrypted is False:
        detected.append(_told(Odd.NOT_ENCRYPTED, "", "The device kept its content encrypted before, and does not any more.", before, {}))
    lacking = {one.kind: one for one in now_taken.lacking}
    for kind in sorted(set(before.kinds) | set(now_taken.kinds) | set(lacking)):
        one = _lacks(lacking[kind], before) if kind in lacking else _of_kind(kind, now_taken, history)
        if one is not None:
            detected.append(one)
    if in_use and len(history) >= QUIET_HISTORY:
        quiet = _nothing_new(now_taken, history)
        if quiet is not None:
            detected.append(quiet)
    return detected


def _lacks(one: Lacking, before: Taken) -> DetectedAnomaly:
    label = KINDS[one.kind].label if one.kind in KINDS else one.kind
    code = Odd.SHRUNK if one.after else Odd.VANISHED
    rest = "none is left" if not one.after else f"{one.after} are left"
    says = f"{label}: {rest} of {one.before}. Until somebody has looked, this backup counts for no promise and makes none leave."
    return _told(code, one.kind, says, before, {"before": one.before, "after": one.after})


def _of_kind(kind: str, now_taken: Taken, history: Sequence[Taken]) -> DetectedAnomaly | None:
    label = KINDS[kind].label if kind in KINDS else kind
    before, after = history[0].kinds.get(kind), now_taken.kinds.get(kind)
    if before is None or before.items == 0:
        return None
    if after is None or after.items == 0:
        steady = [taken.kinds[kind].items for taken in history[:VANISHED_BACKUPS] if kind in taken.kinds]
        if before.items >= VANISHED_ITEMS and len(steady) == min(VANISHED_BACKUPS, len(history)) and min(steady) > 0:
            says = f"{label}: none is left on the device; the backup before had {before.items}."
            return _told(Odd.VANISHED, kind, says, history[0], {"before": before.items, "after": 0})
        return None
    if len(history) < LEAST_HISTORY:
        return None
    return _changed(kind, label, after, history) or _size(kind, label, after, history)


def _changed(kind: str, label: str, after: TakenKind, history: Sequence[Taken]) -> DetectedAnomaly | None:
    before = history[0].kinds[kind]
    share = after.changed / before.items
    usual = [taken.kinds[kind].changed / max(1, taken.kinds[kind].items) for taken in history if kind in taken.kinds]
    far = score(share, usual, least_scale=LEAST_SCALE)
    if after.changed < CHANGED_ITEMS or share < CHANGED_SHARE or far < FAR:
        return None
    says = (
        f"{label}: {after.changed} of {before.items} items were rewritten at once; {median(usual) * before.items:.0f} is usual. "
        "Malware that encrypts does this; so does an app that converts its files."
    )
    return _told(Odd.MANY_CHANGED, kind, says, history[0], {"changed": after.changed, "before": before.items, "score": round(far, 1)})


def _size(kind: str, label: str, after: TakenKind, history: Sequence[Taken]) -> DetectedAnomaly | None:
    rows = [taken.kinds[kind] for taken in history if kind in taken.kinds]
    for what, now_value, values, least in (
        ("items", after.items, [row.items for row in rows], LEAST_ITEMS),
        ("bytes", after.size_bytes, [row.size_bytes for row in rows], LEAST_BYTES),
    ):
        if values[0] <= 0 or abs(now_value - values[0]) < least:
            continue
        ratio = now_value / values[0]
        steps = [math.log((newer + 1) / (older + 1)) for newer, older in itertools.pairwise(values)]
        if len(steps) < LEAST_HISTORY - 1:
            continue
        far = score(math.log((now_value + 1) / (values[0] + 1)), steps, least_scale=LEAST_SCALE)
        code = Odd.SHRUNK if ratio < 1 - SHRUNK and far < -FAR else Odd.GROWN if ratio > GROWN and far > FAR else None
        if code is not None and not (code is Odd.GROWN and ratio < 1.5 * max(values[:LEAST_HISTORY]) / values[0]):
            written = (lambda count: str(count)) if what == "items" else iec
            says = f"{label}: {written(now_value)} {'items ' if what == 'items' else ''}now, {written(values[0])} in the backup before."
            return _told(code, kind, says, history[0], {"before": values[0], "after": now_value, "score": round(far, 1)})
    return None


def _nothing_new(now_taken: Taken, history: Sequence[Taken]) -> DetectedAnomaly | None:
    line = [now_taken, *history]
    last = next((taken for taken in line if taken.new_items > 0), None)
    if last is None or last is now_taken or last.at == history[-1].at:
        return None
    quiet = now_taken.at - last.at
    longest, begins = timedelta(), None
    for taken in reversed(line[line.index(last) :]):  # oldest first, up to the last one that had something new
        if taken.new_items > 0:
            if begins is not None:
                longest = max(longest, taken.at - begins)
            begins = taken.at
    if quiet < timedelta(days=QUIET_DAYS) or quiet < QUIET_FACTOR * longest:
        return None
    says = f"Nothing new or changed on it for {spoken(quiet)}; the longest such time before was {spoken(longest)}. Is it still in use?"
    return _told(
        Odd.NOTHING_NEW,
        "",
        says,
        last,
        {"quiet_days": round(quiet / timedelta(days=1), 1), "longest_days": round(longest / timedelta(days=1), 1)},
    )


def _clock(now_taken: Taken, history: Sequence[Taken]) -> DetectedAnomaly:
    off = timedelta(seconds=abs(now_taken.clock_off_seconds))
    way = "ahead" if now_taken.clock_off_seconds > 0 else "behind"
    says = f"Its clock is {spoken(off)} {way}: dates of its items and backups cannot be trusted."
    numbers = {"seconds": float(round(now_taken.clock_off_seconds))}
    return DetectedAnomaly(code=Odd.CLOCK_OFF, kind="", says=says, before=history[0].id if history else "", numbers=numbers)


def _told(code: Odd, kind: str, says: str, before: Taken, numbers: dict[str, float]) -> DetectedAnomaly:
    return DetectedAnomaly(code=code, kind=kind, says=says, before=before.id, numbers=numbers)
