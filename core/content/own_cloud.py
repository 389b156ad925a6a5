"""The device's own cloud backup, as the device tells of it: into its maker's or another service's cloud, into somebody's account.

Somebody else's copy, as the device says: nobody here can prove it. It never counts as a copy, as off site, or as safe. Everything in the
announcement is hostile until it is checked here.
"""

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from core.content.errors import DeviceLied
from core.content.items import MAX_ITEM_BYTES, clean_name
from core.content.kinds import KINDS
from core.units import aware

MOST_PARTS = 100
MOST_CHARACTERS = 120
MOST_BYTES = MAX_ITEM_BYTES


class OwnCloudState(StrEnum):
    ON = "on"
    OFF = "off"
    OFF_BY_POLICY = "off_by_policy"
    """Switched off by whoever manages the device or its account; only they can change it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnCloudPart:
    """Bytes of one kind, or of one of the devices that share the account."""

    name: str
    size_bytes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnCloud:
    state: OwnCloudState
    service: str
    account: str
    """Whose; empty when it does not tell."""
    last_success: datetime | None
    """Aware, UTC; None when it never has, or does not tell."""
    used_bytes: int | None
    """Of the whole account, whatever fills it."""
    allowed_bytes: int | None
    kinds: tuple[OwnCloudPart, ...] = ()
    """By code of kind; `other` for what is none of ours."""
    devices: tuple[OwnCloudPart, ...] = ()


def announced_own_cloud(announced: object) -> OwnCloud | None:
    """None: the device has no such backup. Raises DeviceLied when it is not what the protocol says (`docs/agent-protocol.md` §3)."""
    if announced is None:
        return None
    if not isinstance(announced, dict) or announced.get("state") not in list(OwnCloudState):
        raise DeviceLied("What the device tells of its own cloud backup cannot be read.")
    return OwnCloud(
        state=OwnCloudState(announced["state"]),
        service=_text(announced.get("service")),
        account=_text(announced.get("account")),
        last_success=_instant(announced.get("last_success")),
        used_bytes=_bytes(announced.get("used_bytes")),
        allowed_bytes=_bytes(announced.get("allowed_bytes")),
        kinds=_parts(announced.get("kinds"), "kind"),
        devices=_parts(announced.get("devices"), "name"),
    )


def _text(value: object) -> str:
    return clean_name(value)[:MOST_CHARACTERS] if isinstance(value, str) and value.strip() else ""


def _bytes(value: object) -> int | None:
    if value is None:
        return None
    if not isinstance(value, int) or isinstance(value, bool) or not 0 <= value <= MOST_BYTES:
        raise DeviceLied("The device announced an impossible size of its own cloud backup.")
    return value


def _instant(value: object) -> datetime | None:
    if value is None or value == "":
        return None
    try:
        if not isinstance(value, str):
            raise ValueError
        return aware(datetime.fromisoformat(value))
    except (ValueError, OverflowError):
        raise DeviceLied("The device announced an unreadable time of its own cloud backup.") from None


def _parts(value: object, named_by: str) -> tuple[OwnCloudPart, ...]:
    if value is None:
        return ()
    if not isinstance(value, list) or len(value) > MOST_PARTS or not all(isinstance(entry, dict) for entry in value):
        raise DeviceLied("What fills the device's own cloud account cannot be read.")
    faults = []
    for entry in value:
        name, size = _text(entry.get(named_by)), _bytes(entry.get("bytes"))
        if named_by == "kind" and name not in KINDS:
            name = "other"
        faults.append(OwnCloudPart(name=name or "(no name)", size_bytes=size or 0))
    return tuple(faults)
