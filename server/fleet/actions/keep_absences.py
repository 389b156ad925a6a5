"""Keep the record of the days on which devices were away in step with what the register says."""

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from django.db import transaction

from server.fleet.models import Absence, Device, DeviceState

AWAY = (DeviceState.AWAY, DeviceState.IN_REPAIR, DeviceState.LEFT)


@transaction.atomic
def keep_absences(*, zone: ZoneInfo, now: datetime) -> None:
    """Opens an absence for each device that is away without one, closes those of devices that are back. Safe to run at any time."""
    today = now.astimezone(zone).date()
    away = Device.objects.filter(state__in=AWAY)
    opened = list(away.exclude(absences__is_open=True).values_list("id", "away_until"))
    if opened:
        rows = [Absence(device_id=id, first_day=today, last_day=until) for id, until in opened]
        Absence.objects.bulk_create(rows, ignore_conflicts=True)
    changed = []
    for absence in Absence.objects.filter(is_open=True).select_related("device"):
        device = absence.device
        if device.state not in AWAY:
            returned = device.in_use_since.astimezone(zone).date() if device.in_use_since else today
            absence.is_open, absence.last_day = False, max(absence.first_day, min(returned, today) - timedelta(days=1))
            changed.append(absence)
        elif absence.last_day != device.away_until:
            absence.last_day = device.away_until
            changed.append(absence)
    if changed:
        Absence.objects.bulk_update(changed, ["is_open", "last_day"])
