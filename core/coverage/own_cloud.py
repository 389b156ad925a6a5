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


def percent_used(cloud: OwnCloud) -> int | None:
    """Rounded down; None where the account has no limit that is told."""
    return None if cloud.used_bytes is None or not cloud.allowed_bytes else 100 * cloud.used_bytes // cloud.allowed_bytes


def believed(cloud: OwnCloud, *, now: datetime) -> datetime | None:
    """When it last succeeded, unless that lies ahead."""
    return cloud.last_success if cloud.last_success is not None and cloud.last_success <= now + AHEAD else None


def standing_of(cloud: OwnCloud | None, *, within: timedelta | None, now: datetime, fills_soon: bool = False) -> OwnStanding:
    """`within`: how old the last success may be; None where no plan wants one, and only an account that fills is an incident.
    `fills_soon`: by what it told before."""
    if within is None and (cloud is None or cloud.state is not OwnCloudState.ON):
        return OwnStanding.ON_TIME
    if cloud is None:
        return OwnStanding.UNTOLD
    if cloud.state is not OwnCloudState.ON:
        return OwnStanding(cloud.state.value)
    percent, last = percent_used(cloud), believed(cloud, now=now)
    if percent is not None and percent >= 100:
        return OwnStanding.FULL
    if within is not None and (last is None or now - last > within):
        return OwnStanding.LATE
    if fills_soon:
        return OwnStanding.FILLING
    if within is None:
        return OwnStanding.ON_TIME
    return OwnStanding.NEARLY_FULL if percent is not None and percent >= NEARLY_FULL_PERCENT else OwnStanding.ON_TIME
