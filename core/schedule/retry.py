"""When a scheduled run that failed is tried again, by class of cause.

away, locked and the like: wait, and look again; cut off: resume soon, what was stored is used again;
store unreachable: wait longer; wrong passphrase, another machine, contradictions: stop and tell; store
full: stop and show the way out.
"""

from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from core.content.errors import DataAccessOff, DeviceAway, DeviceLocked, LinkCut, NotAccepted
from core.errors import AtticError
from core.schedule.conditions import ConditionUnmet
from core.vault.errors import RunTooLong, StoreFull, StoreMissing, StoreReadOnly, StoreUnreachable


class Class(StrEnum):
    WAIT = "wait"
    RESUME = "resume"
    STORE = "store"
    FULL = "full"
    STOP = "stop"


@dataclass(frozen=True, slots=True, kw_only=True)
class RetryPolicy:
    pauses_seconds: tuple[int, ...]
    """Before each further attempt; the last one repeats."""
    most_attempts: int


POLICIES = {
    Class.WAIT: RetryPolicy(pauses_seconds=(60, 120, 300, 600, 900), most_attempts=60),
    Class.RESUME: RetryPolicy(pauses_seconds=(10, 30, 60, 300, 600), most_attempts=8),
    Class.STORE: RetryPolicy(pauses_seconds=(120, 300, 900), most_attempts=20),
    Class.FULL: RetryPolicy(pauses_seconds=(), most_attempts=1),
    Class.STOP: RetryPolicy(pauses_seconds=(), most_attempts=1),
}
_CLASSES: tuple[tuple[tuple[type[AtticError], ...], Class], ...] = (
    ((DeviceAway, DeviceLocked, DataAccessOff, NotAccepted, ConditionUnmet), Class.WAIT),
    ((LinkCut, RunTooLong), Class.RESUME),
    ((StoreFull,), Class.FULL),
    ((StoreMissing, StoreReadOnly, StoreUnreachable), Class.STORE),
)


def class_of(error: AtticError) -> Class:
    """What is not listed stops: somebody has to look."""
    if error.code == "quota.does_not_fit":
        return Class.FULL
    return next((class_ for errors, class_ in _CLASSES if isinstance(error, errors)), Class.STOP)


def next_try(error: AtticError, *, attempts: int, now: datetime, gives_up: datetime) -> datetime | None:
    """When the next attempt begins; None when there is none. `attempts` counts those that were made."""
    policy = POLICIES[class_of(error)]
    if not policy.pauses_seconds or attempts >= policy.most_attempts:
        return None
    at = now + timedelta(seconds=policy.pauses_seconds[min(attempts, len(policy.pauses_seconds)) - 1])
    return at if at < gives_up else None
