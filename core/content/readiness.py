"""Is a device ready? Findings in plain words, each with the step that resolves it, in the order of doing.

The only place that asks a device's state such questions: a run and a scan are refused by `let_in`, the page of a device shows
`readiness`, and a restore begins with `hindrances`. A finding that a link cannot make is `untold`, never fine. Decides nothing about
when: whether a run waits for power or the office wireless is the plan's business.
"""

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from core.content.errors import DataAccessOff, DeviceLocked, LinkError, NotAccepted, NotPaired, OtherHost
from core.content.families import FAMILIES, Family
from core.content.link import DeviceReport
from core.content.links import LINKS, LinkFacts
from core.units import MIB, iec, spoken

LOW_BATTERY_PERCENT = 30
LITTLE_ROOM_BYTES = 200 * MIB
"""A device needs some room of its own to put an answer together (common practice, no published source)."""
CLOCK_SECONDS = 120
"""Proofs are refused at 300 seconds; from here on somebody should look."""

FREE = "Free room on it, or take less."
FREE_SOME = "Free some room on it: it needs a little to put its answers together."
SET_CLOCK = "Let it take the time from the network, in its settings."
NOT_ACCEPTED = "Its holder has not said yes to this server."
LOCKED = "The device is locked."
ACCESS_OFF = "Data access is switched off on the device."
UNLOCK = "Ask its holder to unlock it with the passcode, on the device."


class Level(StrEnum):
    BLOCKS = "blocks"
    WARNS = "warns"
    FINE = "fine"
    UNTOLD = "untold"


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One thing that was found about a device, or about what is to go there."""

    code: str
    level: Level
    says: str
    step: str = ""
    """What resolves it; empty when there is nothing to do."""


def readiness(
    state: DeviceReport | None, *, link: str, family: str, now: datetime, trouble: LinkError | None = None, needs_bytes: int = 0
) -> list[Finding]:
    """Findings about a device: `state` when it answered, `trouble` when it did not. One of them is given."""
    facts = LINKS[link]
    known = FAMILIES[family]
    if state is None:
        return _unreached(trouble, facts, known)
    findings = [Finding(code="reachable", level=Level.FINE, says="It answers.")]
    if link != "folder":
        findings.append(_paired(link))
    findings += _told(state, known, now, needs_bytes)
    return [_untold(finding) if finding.code in facts.cannot else finding for finding in findings]


def blockers(findings: list[Finding]) -> list[Finding]:
    """Those that nothing goes on with."""
    return [finding for finding in findings if finding.level == Level.BLOCKS]


def let_in(state: DeviceReport) -> None:
    """Raises NotAccepted, DeviceLocked or DataAccessOff for a device that tells that its content cannot be read now."""
    if state.accepted is False:
        raise NotAccepted(NOT_ACCEPTED)
    if state.locked:
        raise DeviceLocked(LOCKED)
    if state.data_access is False:
        raise DataAccessOff(ACCESS_OFF)


def hindrances(state: DeviceReport, *, needs_bytes: int) -> list[Finding]:
    """Of what it says of itself: what blocks writing to it, and what to know before. Its finder lock blocks, as it does a reset."""
    family = FAMILIES[state.family]
    findings = [
        _locked(state),
        _finder(state, family, bad=Level.BLOCKS),
        _access(state, family),
        _space(state, needs_bytes),
        _battery(state),
    ]
    return [one for one in findings if one.level == Level.BLOCKS or (one.level == Level.WARNS and one.code != "space")]


def _paired(link: str) -> Finding:
    if link == "sftp":
        return Finding(code="paired", level=Level.FINE, says="It shows the key that was accepted when it was met first.")
    return Finding(code="paired", level=Level.FINE, says="It knows this server.")


def _unreached(trouble: LinkError | None, facts: LinkFacts, family: Family) -> list[Finding]:
    says, step = (trouble.message, trouble.remedy) if trouble else (facts.limits[0], "")
    answers = Finding(code="reachable", level=Level.FINE, says="It answers.")
    if isinstance(trouble, NotPaired | OtherHost):
        return [answers, Finding(code="paired", level=Level.BLOCKS, says=says, step=step)]
    if isinstance(trouble, NotAccepted):
        known = Finding(code="paired", level=Level.FINE, says="It knows this server.")
        return [answers, known, Finding(code="accepted", level=Level.BLOCKS, says=says, step=family.accept or step)]
    return [Finding(code="reachable", level=Level.BLOCKS, says=says, step=step)]


def _told(state: DeviceReport, family: Family, now: datetime, needs_bytes: int) -> list[Finding]:
    return [
        _flag("accepted", state.accepted, "Its holder has said yes.", NOT_ACCEPTED, family.accept),
        _access(state, family),
        _locked(state),
        _flag("power", state.on_power, "It is on power.", "It runs on its battery.", "Put it on power.", bad=Level.WARNS),
        _battery(state),
        _network(state),
        _space(state, needs_bytes),
        _clock(state, now),
        _finder(state, family),
        _card(state),
    ]


def _access(state: DeviceReport, family: Family) -> Finding:
    return _flag("data_access", state.data_access, "Data access is on.", ACCESS_OFF, family.data_access)


def _locked(state: DeviceReport) -> Finding:
    unlocked = None if state.locked is None else not state.locked
    return _flag("locked", unlocked, "It is unlocked.", LOCKED, UNLOCK)


def _flag(code: str, good: bool | None, fine: str, wrong: str, step: str, *, bad: Level = Level.BLOCKS) -> Finding:
    if good is None:
        return Finding(code=code, level=Level.UNTOLD, says="")
    return Finding(code=code, level=Level.FINE, says=fine) if good else Finding(code=code, level=bad, says=wrong, step=step)


def _battery(state: DeviceReport) -> Finding:
    if state.battery_percent is None:
        return Finding(code="battery", level=Level.UNTOLD, says="")
    says = f"Its battery is at {state.battery_percent} %."
    if state.battery_percent < LOW_BATTERY_PERCENT and not state.on_power:
        return Finding(code="battery", level=Level.WARNS, says=says, step="Put it on power, or it may stop in the middle.")
    return Finding(code="battery", level=Level.FINE, says=says)


def _network(state: DeviceReport) -> Finding:
    if state.network is None:
        return Finding(code="network", level=Level.UNTOLD, says="")
    if state.network == "office":
        return Finding(code="network", level=Level.FINE, says="It is on the office wireless.")
    step = "Bring it into the office wireless; a run over another network is slow and may cost its holder."
    return Finding(code="network", level=Level.WARNS, says="It is not on the office wireless.", step=step)


def _space(state: DeviceReport, needs_bytes: int) -> Finding:
    total, used, free = state.storage_total_bytes, state.storage_used_bytes, state.free_bytes
    if free is None and total is not None and used is not None:
        free = total - used
    if free is None:
        return Finding(code="space", level=Level.UNTOLD, says="")
    free = max(0, free)
    says = f"It has {iec(free)} free" + (f" of {iec(total)}." if total is not None else ".")
    if needs_bytes > free:
        return Finding(code="space", level=Level.BLOCKS, says=f"{says} This needs {iec(needs_bytes)}.", step=FREE)
    if free < LITTLE_ROOM_BYTES and state.family != "folder":
        return Finding(code="space", level=Level.WARNS, says=says, step=FREE_SOME)
    return Finding(code="space", level=Level.FINE, says=says)


def _clock(state: DeviceReport, now: datetime) -> Finding:
    if state.clock is None:
        return Finding(code="clock", level=Level.UNTOLD, says="")
    off = abs(state.clock - now)
    if off.total_seconds() <= CLOCK_SECONDS:
        return Finding(code="clock", level=Level.FINE, says="Its clock is right.")
    return Finding(
        code="clock",
        level=Level.WARNS,
        says=f"Its clock is {spoken(off)} off.",
        step=SET_CLOCK,
    )


def _finder(state: DeviceReport, family: Family, *, bad: Level = Level.WARNS) -> Finding:
    if state.finder_lock is None:
        return Finding(code="finder_lock", level=Level.UNTOLD, says="")
    if not state.finder_lock:
        return Finding(code="finder_lock", level=Level.FINE, says="Its finder lock is off.")
    needed = " A backup needs nothing of that; a restore and a reset do." if bad is not Level.BLOCKS else ""
    says = f"Its finder lock is on.{needed}"
    return Finding(code="finder_lock", level=bad, says=says, step=family.finder)


def _card(state: DeviceReport) -> Finding:
    if state.card is None:
        return Finding(code="card", level=Level.UNTOLD, says="")
    if not state.card.present:
        return Finding(code="card", level=Level.FINE, says="There is no removable card in it.")
    size = f" of {iec(state.card.size_bytes)}" if state.card.size_bytes else ""
    if state.card.encrypted:
        says = f"Its removable card{size} is encrypted by the device: nothing else can read it."
        return Finding(code="card", level=Level.WARNS, says=says, step="Switch the card's encryption off before the device is wiped.")
    return Finding(code="card", level=Level.FINE, says=f"It holds a removable card{size}, not encrypted.")


def _untold(finding: Finding) -> Finding:
    return Finding(code=finding.code, level=Level.UNTOLD, says="")
