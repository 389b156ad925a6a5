"""Ask for a run: by hand, or for an occurrence of a plan. One waiting or running run a device."""

from datetime import date, datetime

from django.db import IntegrityError, transaction

from core.errors import BadInput
from core.schedule.nights import night_of
from server import ports
from server.api.problems import Conflict
from server.fleet.models import Device, DeviceState
from server.jobs import defer_run
from server.live import publish
from server.people.models import User
from server.people.queries import office_zone
from server.plans.queries import assignment_of
from server.runs.models import ACTIVE, Occasion, Run, Trigger


def ask_run_by_hand(
    device: Device, *, note: str, by: User | None, now: datetime | None = None, occasion: str = "", hold_until: date | None = None
) -> Run:
    """A run for an occasion makes a backup on hold, until it is released or until that day is over.

    Raises BadInput; Conflict when the device has no plan, is lost or retired, or has an active run.
    """
    if occasion not in Occasion.values:
        raise BadInput(f"There is no occasion {occasion!r}.", field="occasion", remedy="Choose one of the list, or none.")
    if hold_until is not None and not occasion:
        raise BadInput(
            "Without an occasion nothing is put on hold.", field="hold_until", remedy="Choose an occasion, or leave the date out."
        )
    assignment = assignment_of(device)
    if assignment is None:
        raise Conflict("This device has no plan, so nobody knows what to take and where to.", remedy="Give it one under Plans.")
    if device.state in (DeviceState.LOST, DeviceState.RETIRED):
        raise Conflict(f"This device is {device.get_state_display().lower()}.", remedy="Set it to “in use” first if it is back.")
    now = now or ports.clock().now()
    if hold_until is not None and hold_until < now.astimezone(office_zone()).date():
        raise BadInput("The hold would be over already.", field="hold_until", remedy="Give a day that lies ahead.")
    run = Run(
        device=device, plan=assignment.plan, store=assignment.plan.store, trigger=Trigger.BY_HAND, by=by, note=note.strip()[:200],
        occasion=occasion, hold_until=hold_until,
        night=night_of(now, office_zone()), asked_at=now,
    )  # fmt: skip
    try:
        with transaction.atomic():
            run.save(force_insert=True)
            defer_run(run.id, run.device_id)
            publish("run", str(run.id))
    except IntegrityError:
        active = Run.objects.filter(device=device, state__in=ACTIVE).first()
        raise Conflict(
            "A run of this device is under way already.",
            remedy="Wait for it, or stop it on its own page." if active else "Try again.",
        ) from None
    return run
