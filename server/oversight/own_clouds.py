"""Devices whose own cloud backup is not as their plan wants it, by what they say. Asks the database nothing."""

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from core.coverage.own_cloud import OwnStanding, standing_of
from core.schedule.promise import Standing
from core.units import spoken
from server.fleet.convert import own_cloud_of
from server.fleet.own_accounts import fills_soon
from server.oversight.cause import Cause
from server.oversight.standing import Standings

_ASIDE = (Standing.LOST, Standing.RETIRED, Standing.AWAY, Standing.PAUSED)


def causes_of_own_clouds(rows: list[Standings], now: datetime, zone: ZoneInfo) -> list[Cause]:
    """The worst first."""
    causes: dict[str, Cause] = {}
    for row in rows:
        wanted = row.plan.own_cloud_seconds if row.plan is not None else None
        if row.state.standing in _ASIDE or not row.device.own_cloud:
            continue
        within = None if wanted is None else timedelta(seconds=wanted)
        soon = fills_soon(row.device, today=now.astimezone(zone).date())
        standing = standing_of(own_cloud_of(row.device.own_cloud["told"]), within=within, now=now, fills_soon=soon)
        if standing is OwnStanding.ON_TIME:
            continue
        code = f"own_cloud {standing.value}" + (f" {wanted}" if standing is OwnStanding.LATE else "")
        facts = {"way": standing.value, "span": spoken(within or timedelta())}
        causes.setdefault(
            code, Cause(code=code, mark="odd", kind="own_cloud", facts=facts, step="coverage", step_label="Look at its own cloud")
        ).devices.append(row)
    order = list(OwnStanding)
    return sorted(causes.values(), key=lambda cause: order.index(OwnStanding(cause.code.split()[1])))
