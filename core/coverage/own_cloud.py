"""Whether a device's own cloud backup is as its plan wants it, by what the device says. Proves nothing, and counts for nothing else.

A time that lies ahead is not believed. From which share on an account counts as nearly full is ours; that everything that synchronises
through a full account stops is common practice, no published source.
"""

from datetime import datetime, timedelta
from enum import StrEnum

from core.content.own_cloud import OwnCloud, OwnCloudState

NEARLY_FULL_PERCENT = 90
AHEAD = timedelta(hours=26)
"""A device whose clock runs a day ahead is no liar."""


class OwnStanding(StrEnum):
    """The worst first."""

    OFF_BY_POLICY = "off_by_policy"
    OFF = "off"
    UNTOLD = "untold"
    """It does not say, or has none."""
    FULL = "full"
    LATE = "late"
    FILLING = "filling"
    """It will be full within its runway."""
    NEARLY_FULL = "nearly_full"
    ON_TIME = "on_time"


def percent_used(told: OwnCloud) -> int | None:
    """Rounded down; None where the account has no limit that is told."""
    return None if told.used_bytes is None or not told.allowed_bytes else 100 * told.used_bytes // told.allowed_bytes


def believed(told: OwnCloud, *, now: datetime) -> datetime | None:
    """When it last succeeded, unless that lies ahead."""
    return told.last_success if told.last_success is not None and told.last_success <= now + AHEAD else None


def standing_of(told: OwnCloud | None, *, within: timedelta | None, now: datetime, fills_soon: bool = False) -> OwnStanding:
    """`within`: how old the last success may be; None where no plan wants one, and only an account that fills is an incident.
    `fills_soon`: by what it told before."""
    if within is None and (told is None or told.state is not OwnCloudState.ON):
        return OwnStanding.ON_TIME
    if told is None:
        return OwnStanding.UNTOLD
    if told.state is not OwnCloudState.ON:
        return OwnStanding(told.state.value)
    percent, last = percent_used(told), believed(told, now=now)
    if percent is not None and percent >= 100:
        return OwnStanding.FULL
    if within is not None and (last is None or now - last > within):
        return OwnStanding.LATE
    if fills_soon:
        return OwnStanding.FILLING
    if within is None:
        return OwnStanding.ON_TIME
    return OwnStanding.NEARLY_FULL if percent is not None and percent >= NEARLY_FULL_PERCENT else OwnStanding.ON_TIME
