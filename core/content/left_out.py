"""Why a link does not give something that is there: a table of reasons, each with what follows from it.

What is left out is always named. It makes a backup a partial one until somebody has accepted it, save what no link
could carry at all. Reasons are stored by their code; sentences are made where they are read.
"""

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class LeftOutReason:
    """One way in which something is left out."""

    code: str
    says: str
    """Behind the name of the thing: `it may not be read`."""
    remedy: str
    detailed: bool = False
    """Whether what the system or the device said adds anything."""
    matters: bool = True
    """Whether a backup without it is a partial one until somebody has accepted it."""


_TABLE = (
    LeftOutReason(
        code="denied", says="it may not be read", remedy="Let the account that reads it do so, or accept that it is left out."
    ),
    LeftOutReason(
        code="fault", says="reading it ends in an error of its drive or device", remedy="Look after the drive; run again.", detailed=True
    ),
    LeftOutReason(code="changed", says="it changed while it was read", remedy="Nothing: the next run takes it when it is at rest."),
    LeftOutReason(code="gone", says="it vanished before it could be read", remedy="Nothing, if it was meant to go."),
    LeftOutReason(code="date", says="its date lies outside of every calendar", remedy="Set its date on the device."),
    LeftOutReason(code="too_deep", says="its path is longer than the link can ask for", remedy="Move it further up on the device."),
    LeftOutReason(code="too_large", says="it is larger than the link can take", remedy="Copy it by hand, or accept that it is left out."),
    LeftOutReason(
        code="lied", says="what came is not what the device had announced", detailed=True,
        remedy="Run again; if it stays, look at the app that it comes from.",
    ),
    LeftOutReason(
        code="damaged", says="it is damaged where it lies", detailed=True,
        remedy="Open it on the device and have it repaired by the app that it comes from.",
    ),
    LeftOutReason(code="special", says="it is a pipe, a socket or a device, which no link can carry", remedy="Nothing.", matters=False),
    LeftOutReason(
        code="no_room", says="there was no room for it: more important kinds were stored first",
        remedy="Make room in the store, or leave something out."
    ),
    LeftOutReason(code="own", says="it belongs to Old Attic", remedy="Nothing.", detailed=True, matters=False),
)  # fmt: skip

REASONS: dict[str, LeftOutReason] = {reason.code: reason for reason in _TABLE}


def matters(code: str) -> bool:
    """Whether this makes a backup a partial one until it is accepted; what is not known does."""
    return code not in REASONS or REASONS[code].matters


def reason_of(code: str, detail: str = "") -> str:
    """The reason in words, with what the system said."""
    reason = REASONS.get(code)
    if reason is None:
        return detail or "it was left out"
    return f"{reason.says}: {detail.rstrip('.')}" if detail and reason.detailed else reason.says


@dataclass(frozen=True, slots=True, kw_only=True)
class Accepted:
    """What somebody has looked at and accepted as left out."""

    path: str = ""
    """This thing, or everything below it; empty for everything of the reason."""
    code: str = ""
    """A reason; empty for any."""

    def covers(self, code: str, name: str) -> bool:
        if self.code and self.code != code:
            return False
        return bool(self.code) if not self.path else name == self.path or name.startswith(self.path.rstrip("/") + "/")


def counts(code: str, name: str, accepted: Iterable[Accepted]) -> bool:
    """Whether a backup without this is a partial one."""
    return matters(code) and not any(one.covers(code, name) for one in accepted)
