"""Is everything on this device safe elsewhere, so that it may be wiped? One answer, with every reason against it.

Weighs evidence that others gathered: the newest backup against what is on the device now, its check, where
its copies lie, whether anybody could still open them, and what a reset does not touch or cannot bring back.
That a reset leaves a removable card alone, and that a card encrypted by the device cannot be read afterwards,
is common practice, no published source.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from core.content.kinds import KINDS, counted
from core.content.link import DeviceReport
from core.units import spoken

PROVEN_FOR = timedelta(days=90)
"""A passphrase or recovery code that nobody has typed for longer counts as unproven."""
CHECKED_FOR = timedelta(days=30)
FRESH_FOR = timedelta(hours=24)
"""How old the look at the device may be; and its newest backup, when the device cannot be looked at."""


class Remedy(StrEnum):
    """What the page can start, or whom it sends where."""

    RUN = "run"
    LOOK = "look"
    CHECK = "check"
    PROVE = "prove"
    COPY = "copy"
    PLAN = "plan"
    ON_THE_DEVICE = "on_the_device"
    NONE = "none"


@dataclass(frozen=True, slots=True, kw_only=True)
class CopyFacts:
    """Where a copy of the newest backup lies."""

    store: str
    intact: bool
    checked_at: datetime | None
    passphrase_proven_at: datetime | None
    """When somebody last typed its passphrase or recovery code and it opened the store."""
    off_site: bool
    medium: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Missing:
    """Items of a kind that are on the device and in no backup."""

    kind: str
    items: int
    examples: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Evidence:
    """What is known about one device. `None` means that nobody could tell."""

    backup_at: datetime | None
    """Its newest backup; one with an intact copy, where there is one."""
    backup_partial: bool
    """That run left items out because the device sent something else than it announced."""
    copies: Sequence[CopyFacts]
    damaged: Sequence[tuple[str, int]]
    """(kind, items) of its newest backup that no copy can give back; ("", 0) where nobody could tell."""
    scanned_at: datetime | None
    """When the device itself was last looked into."""
    missing: Sequence[Missing]
    state: DeviceReport | None
    uncovered: Sequence[str]
    """Kinds that no backup holds although the device holds something of them."""
    in_step_only: Sequence[str]
    link_cannot_tell: bool
    """The link sees files only, so that other kinds may be on the device unseen."""


@dataclass(frozen=True, slots=True, kw_only=True)
class WipeReason:
    code: str
    blocks: bool
    says: str
    step: str
    remedy: Remedy


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    safe: bool
    says: str
    reasons: tuple[WipeReason, ...]
    """Blocking ones first, in the order of doing."""


def may_be_wiped(evidence: Evidence, *, now: datetime) -> Answer:
    """Safe only when nothing blocks. What cannot be told never counts as safe."""
    reasons = [*_backup(evidence, now), *_contents(evidence), *_copies(evidence, now), *_device(evidence)]
    reasons.sort(key=lambda reason: not reason.blocks)
    against = sum(reason.blocks for reason in reasons)
    if against:
        says = f"No, because of {against} {'thing' if against == 1 else 'things'}."
    else:
        says = "Yes: everything that was found on this device is safe elsewhere."
    return Answer(safe=not against, says=says, reasons=tuple(reasons))


def _reason(code: str, says: str, step: str, remedy: Remedy, *, blocks: bool = True) -> WipeReason:
    return WipeReason(code=code, blocks=blocks, says=says, step=step, remedy=remedy)


def _backup(evidence: Evidence, now: datetime) -> list[WipeReason]:
    findings = []
    if evidence.backup_at is None:
        return [_reason("no_backup", "There is no restorable backup of it.", "Run one now.", Remedy.RUN)]
    age = now - evidence.backup_at
    if evidence.scanned_at is None:
        if age > FRESH_FOR:
            says = f"Its newest backup is {spoken(age)} old, and nobody has looked at the device since."
            findings.append(_reason("not_looked", says, "Bring the device here and look at it, or run a backup.", Remedy.LOOK))
        else:
            says = "Nobody has compared the device with its backup."
            findings.append(_reason("not_looked", says, "Look at the device now.", Remedy.LOOK))
    elif now - evidence.scanned_at > FRESH_FOR:
        says = f"The device was last looked at {spoken(now - evidence.scanned_at)} ago."
        findings.append(_reason("look_old", says, "Look at it again.", Remedy.LOOK))
    if evidence.damaged:
        parts = [f"{count} {KINDS[kind].one if count == 1 else KINDS[kind].many}" for kind, count in evidence.damaged if kind]
        says = f"Every copy of its newest backup is damaged{': ' + ', '.join(parts) + ' cannot be had back' if parts else ''}."
        findings.append(_reason("damaged", says, "Run one now: what is damaged is read again from the device.", Remedy.RUN))
    if evidence.backup_partial:
        says = "Its newest backup left items out."
        findings.append(_reason("partial", says, "Open the run and see which; run again.", Remedy.RUN))
    return findings


def _contents(evidence: Evidence) -> list[WipeReason]:
    findings = []
    if evidence.backup_at is not None:
        for one in evidence.missing:
            if one.kind in evidence.uncovered:
                continue
            verb = "is" if one.items == 1 else "are"
            says = f"{counted(one.kind, one.items)} {verb} on the device and in no backup: {', '.join(one.examples)}."
            findings.append(_reason("missing", says, "Run a backup now.", Remedy.RUN))
    for code in evidence.uncovered:
        says = f"{KINDS[code].label} on this device are in no backup."
        if code in evidence.in_step_only:
            says += " An outside account synchronises them, which a deletion would follow."
        findings.append(_reason("uncovered", says, "Take them into its plan and run it, or export them.", Remedy.PLAN))
    if evidence.link_cannot_tell:
        says = "Its link sees files only: contacts, messages or settings may be on the device and nobody would know."
        findings.append(_reason("files_only", says, "Look on the device itself, or pair its agent.", Remedy.ON_THE_DEVICE))
    return findings


def _copies(evidence: Evidence, now: datetime) -> list[WipeReason]:
    if evidence.backup_at is None:
        return []
    findings = []
    intact = [copy for copy in evidence.copies if copy.intact]
    if evidence.damaged:
        return []
    if not any(copy.checked_at and now - copy.checked_at <= CHECKED_FOR for copy in intact):
        says = "No copy of the newest backup has been read back and checked in the last 30 days."
        findings.append(_reason("unchecked", says, "Check its store.", Remedy.CHECK))
    if len({copy.store for copy in intact}) < 2:
        says = "There is only one copy: when its store is lost, everything is."
        findings.append(_reason("one_copy", says, "Make a copy in a second store.", Remedy.COPY))
    elif len({copy.medium for copy in intact}) < 2 or not any(copy.off_site for copy in intact):
        says = "All copies lie on the same kind of medium, or in this building."
        findings.append(_reason("one_place", says, "Better keep one elsewhere.", Remedy.COPY, blocks=False))
    if not any(copy.passphrase_proven_at and now - copy.passphrase_proven_at <= PROVEN_FOR for copy in intact):
        says = "Nobody has proven lately that the passphrase or the recovery code is still known."
        findings.append(_reason("unproven", says, "Type it once on the page of the store.", Remedy.PROVE))
    return findings


def _device(evidence: Evidence) -> list[WipeReason]:
    state = evidence.state
    if state is None or state.finder_lock is None or (state.card is None and not evidence.link_cannot_tell):
        unknown = "whether its finder lock is on" if state is not None and state.card is not None else "about its finder lock and card"
        says = f"It has not told {unknown}."
        reasons = [_reason("unknown", says, "Look on the device itself, or look at it again when it can tell.", Remedy.LOOK)]
    else:
        reasons = []
    if state is None:
        return reasons
    if state.finder_lock:
        step = "Its holder switches it off, on the device, with their own account password."
        reasons.append(
            _reason("finder_lock", "The finder lock is on: after a reset nobody could set the device up.", step, Remedy.ON_THE_DEVICE)
        )
    if state.card is not None and state.card.present:
        if state.card.encrypted:
            says = "Its removable card is encrypted by the device: after the reset nobody can read it."
            step = "Switch the card's encryption off, or copy the card, before the reset."
            reasons.append(_reason("card_encrypted", says, step, Remedy.ON_THE_DEVICE))
        else:
            says = "A reset does not touch its removable card: what is on it stays readable for whoever gets it."
            reasons.append(_reason("card_stays", says, "Take the card out.", Remedy.ON_THE_DEVICE, blocks=False))
    return reasons
