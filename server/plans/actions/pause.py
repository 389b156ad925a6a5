"""Pause a device, a plan or everything, until a day or until somebody ends it."""

from datetime import date, datetime
from typing import Any
from zoneinfo import ZoneInfo

from django.core.exceptions import PermissionDenied
from django.db import transaction

from core.errors import BadInput
from server import ports
from server.api.permissions import May, may
from server.fleet.models import Device
from server.jobs import defer_line_up
from server.people.actions.journal import write_journal
from server.people.models import User
from server.people.queries import office_zone
from server.plans.models import Pause, Plan
from server.plans.queries import begins_again


class NotYours(PermissionDenied):
    """The whole office is an administrator's to pause."""


def _may(by: User, plan: Plan | None, device: Device | None) -> None:
    if plan is None and device is None and May.PAUSE_EVERYTHING not in may(by):
        raise NotYours


@transaction.atomic
def pause(*, plan: Plan | None, device: Device | None, until: date | None, reason: str, by: User) -> Pause:
    """Of a plan, of a device, or of everything. A pause that lasts already is replaced. Raises BadInput, NotYours."""
    now = ports.clock().now()
    _may(by, plan, device)
    if not reason.strip():
        raise BadInput("A pause needs a reason.", field="reason", remedy="Say what it waits for: somebody else will wonder in a week.")
    if plan is not None and device is not None:
        raise BadInput("One thing is paused at a time.", field="device", remedy="Name a plan or a device, or neither for everything.")
    if until is not None and until <= now.astimezone(office_zone()).date():
        raise BadInput("The pause would be over already.", field="until", remedy="Give a day that lies ahead; runs go on from that day on.")
    Pause.objects.select_for_update().filter(plan=plan, device=device, ended_at__isnull=True).update(ended_at=now)
    made = Pause.objects.create(plan=plan, device=device, until=until, reason=reason.strip()[:200], by=by, at=now)
    facts = {**_of(made), "until": until, "reason": made.reason}
    write_journal(who=by, what="pause.begun", facts=facts, at=now, device=device.id if device else None)
    defer_line_up()
    return made


@transaction.atomic
def resume(pause: Pause, *, by: User) -> None:
    """From now on; nights of the pause are not owed. A pause that is over is left as it is."""
    _may(by, pause.plan, pause.device)
    now = ports.clock().now()
    alike = Pause.objects.filter(plan=pause.plan, device=pause.device, ended_at__isnull=True)  # two clicks may have made two
    if pause.ended_at is None and alike.update(ended_at=now):
        write_journal(who=by, what="pause.ended", facts=_of(pause), at=now, device=pause.device_id)
        defer_line_up()


@transaction.atomic
def end_pauses(*, zone: ZoneInfo, now: datetime) -> int:
    """Those whose day has come, as of the midnight before it; how many."""
    over = list(Pause.objects.select_for_update().filter(ended_at__isnull=True, until__lte=now.astimezone(zone).date()))
    for pause in over:
        pause.ended_at = begins_again(pause, zone)
        write_journal(who=None, what="pause.ended", way="its_day", facts=_of(pause), at=now, device=pause.device_id)
    if over:
        Pause.objects.bulk_update(over, ["ended_at"])
    return len(over)


def _of(pause: Pause) -> dict[str, Any]:
    """What is paused: a plan, a device, or everything."""
    plan, device = pause.plan, pause.device
    return {
        "plan": plan.name if plan is not None else "",
        "device": f"{device.name} of {device.holder.name}" if device is not None else "",
        "everything": plan is None and device is None,
    }
