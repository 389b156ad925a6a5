"""Whether this computer's clock may be believed: judged by witnesses from outside, and by how it moved since it was.

The last instant that was sure is an anchor. While the machine goes on, a steady counter says how much time has passed
since, so a jump shows at once. After a restart there is no counter; then time may not lie before the anchor, nor
longer after it than a machine is usually off. Instants in the future are never asked.

A witness says how far its own clock is ahead of ours. Two that agree with each other settle it, whatever the jump.
One alone settles nothing: a device may be wrong, or lie. Decides only; whoever is in doubt removes, sweeps, lets
expire and plans nothing (`server.people.actions.clock`).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum
from itertools import pairwise
from statistics import median

from core.units import aware

LARGEST_JUMP = timedelta(minutes=15)
"""A clock that is set right by the network moves by less; one whose battery is empty by far more."""
LONGEST_OFF = timedelta(days=21)
"""A machine that was off for longer needs a witness, or a person who looks at a watch."""
AGREEMENT = timedelta(minutes=5)
"""Two clocks that differ by less say the same."""
FEWEST_DEVICES = 2
"""So many devices make one witness: their median."""


class ClockVerdict(StrEnum):
    SURE = "sure"
    DOUBT = "doubt"
    """Nobody can tell."""
    WRONG = "wrong"
    """Two witnesses agree that it is wrong."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Ticks:
    """A counter that no clock setting moves."""

    boot: str
    """Which start of the machine it counts from."""
    seconds: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Anchor:
    """An instant that was sure."""

    at: datetime
    ticks: Ticks

    def __post_init__(self) -> None:
        aware(self.at)


@dataclass(frozen=True, slots=True, kw_only=True)
class Witness:
    """What somebody outside says. Several of one kind `device` count as one."""

    name: str
    kind: str
    """device, kernel, mail or bucket."""
    off_seconds: float
    """Its clock minus ours."""


@dataclass(frozen=True, slots=True, kw_only=True)
class JudgedClock:
    verdict: ClockVerdict
    jump: timedelta
    """How far the clock is ahead of what the anchor lets expect; zero when nothing is known."""
    estimate: datetime | None
    """What time it is by anchor and counter; None after a restart."""
    agreeing: tuple[str, ...]
    """Names of the witnesses that settled it."""
    off: timedelta | None = None
    """How far ahead of ours the clocks of agreeing witnesses are, where they say that it is wrong."""


def judge(now: datetime, ticks: Ticks, anchor: Anchor | None, witnesses: Sequence[Witness], *, in_doubt: bool = False) -> JudgedClock:
    """`in_doubt`: what was in doubt stays so until it is settled. `witnesses`: those that spoke since the doubt began.

    At the moment at which a jump is seen nobody is asked: whoever has spoken was measured against the clock before it.
    """
    jump, estimate, moved_well = _movement(aware(now), ticks, anchor)
    voices = _voices(witnesses) if moved_well or in_doubt else []
    pair = _agreeing(voices)
    if pair is not None:
        off = timedelta(seconds=(pair[0].off_seconds + pair[1].off_seconds) / 2)
        names = tuple(sorted(one.name for one in pair))
        if abs(off) <= AGREEMENT:
            return JudgedClock(verdict=ClockVerdict.SURE, jump=jump, estimate=estimate, agreeing=names)
        return JudgedClock(verdict=ClockVerdict.WRONG, jump=jump, estimate=estimate, agreeing=names, off=off)
    verdict = ClockVerdict.SURE if moved_well and (not in_doubt or estimate is not None) else ClockVerdict.DOUBT
    return JudgedClock(verdict=verdict, jump=jump, estimate=estimate, agreeing=())


def _movement(now: datetime, ticks: Ticks, anchor: Anchor | None) -> tuple[timedelta, datetime | None, bool]:
    """(jump, estimate, whether it moved as it should)."""
    if anchor is None:
        return timedelta(), None, True
    if ticks.boot == anchor.ticks.boot and ticks.seconds >= anchor.ticks.seconds:
        estimate = anchor.at + timedelta(seconds=ticks.seconds - anchor.ticks.seconds)
        return now - estimate, estimate, abs(now - estimate) <= LARGEST_JUMP
    since = now - anchor.at
    if since < timedelta():
        return since, None, since >= -LARGEST_JUMP
    return max(timedelta(), since - LONGEST_OFF), None, since <= LONGEST_OFF


def _voices(witnesses: Sequence[Witness]) -> list[Witness]:
    """One voice a source; devices together are one, from so many on."""
    devices = [one.off_seconds for one in witnesses if one.kind == "device"]
    voices = {one.name: one for one in witnesses if one.kind != "device"}
    heard = list(voices.values())
    if len(devices) >= FEWEST_DEVICES:
        heard.append(Witness(name=f"{len(devices)} devices", kind="device", off_seconds=median(devices)))
    return heard


def _agreeing(voices: Sequence[Witness]) -> tuple[Witness, Witness] | None:
    """The two that are closest to each other, if that is close enough."""
    ordered = sorted(voices, key=lambda one: one.off_seconds)
    pairs = [(later.off_seconds - earlier.off_seconds, earlier, later) for earlier, later in pairwise(ordered)]
    if not pairs:
        return None
    apart, one, other = min(pairs, key=lambda pair: (pair[0], abs(pair[1].off_seconds)))
    return (one, other) if apart <= AGREEMENT.total_seconds() else None
