"""Outside accounts that keep a kind of content in step, as the device reports them.

Kept in step is not backed up: a deletion or a corruption travels too. An account therefore never makes a
kind count as covered; it is named beside what does.
"""

from dataclasses import dataclass
from datetime import datetime

from core.content.errors import DeviceLied
from core.content.items import clean_name
from core.content.kinds import KIND_CODES
from core.units import aware

MAX_ACCOUNTS = 200


@dataclass(frozen=True, slots=True, kw_only=True)
class Account:
    """One service that keeps one kind in step."""

    kind: str
    service: str
    """What the device calls it."""
    is_default: bool
    """New items of this kind go there."""
    last_sync: datetime | None
    """Aware, UTC; None when it never has."""
    off_by_policy: bool = False
    """Switched off for this device by whoever manages the account."""

    @property
    def keeps(self) -> bool:
        """Whether it has kept its kind in step, and may."""
        return self.last_sync is not None and not self.off_by_policy


def announced_accounts(announced: object) -> list[Account]:
    """Accounts from a device's announcement. Raises DeviceLied when it is not the list that the protocol says."""
    if not isinstance(announced, list) or len(announced) > MAX_ACCOUNTS or not all(isinstance(entry, dict) for entry in announced):
        raise DeviceLied("The device's list of accounts cannot be read.")
    return [_account(entry) for entry in announced if entry.get("kind") in KIND_CODES]


def _account(entry: dict[str, object]) -> Account:
    synced = entry.get("last_sync")
    try:
        last_sync = aware(datetime.fromisoformat(synced)) if isinstance(synced, str) and synced else None
    except (ValueError, OverflowError):
        raise DeviceLied("The device announced an account with an unreadable time.") from None
    return Account(
        kind=str(entry["kind"]),
        service=clean_name(str(entry.get("service") or ""))[:100],
        is_default=entry.get("default") is True,
        last_sync=last_sync,
        off_by_policy=entry.get("off_by_policy") is True,
    )
