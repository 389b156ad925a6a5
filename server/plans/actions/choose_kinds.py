"""Leave kinds out of a device's backups on purpose, or take them in, whatever its plan says; or leave that to the plan again."""

from collections.abc import Iterable

from django.db import transaction

from core.content.kinds import KINDS
from core.errors import BadInput
from server import ports
from server.fleet.models import Device
from server.jobs import defer_line_up
from server.live import publish
from server.locks import lock_alone
from server.people.actions.journal import write_journal
from server.people.models import User
from server.plans.choices import choices, kinds_taken
from server.plans.models import Assignment, KindChoice


@transaction.atomic
def choose_kinds(device: Device, *, kinds: Iterable[str], taken: bool, service: str, alike: bool, why: str, by: User) -> list[KindChoice]:
    """`service`: the account on whose account it is chosen; `alike`: for every device of which it synchronises these kinds.
    What was chosen for the same before ends. Raises BadInput."""
    wanted = [code for code in KINDS if code in set(kinds)]
    if not wanted:
        raise BadInput("No kind is chosen.", field="kinds", remedy="Choose at least one that this program knows.")
    if alike and not service:
        raise BadInput("Nobody can tell which devices are alike.", field="service", remedy="Name the account that synchronises them.")
    announced = {(entry["service"], entry["kind"]) for entry in device.accounts}
    if service and not all((service, code) in announced for code in wanted):
        says = f"The device does not say that {service[:100]} synchronises that."
        raise BadInput(says, field="service", remedy="Look at the device again, and choose one of its accounts.")
    if not taken and not why.strip():
        raise BadInput("Leaving it out needs a reason.", field="why", remedy="Say why, for example “its administrator backs it up”.")
    lock_alone("kind choices")
    now = ports.clock().now()
    before = KindChoice.objects.filter(kind__in=wanted, ended_at__isnull=True)
    before = before.filter(alike=True, service=service) if alike else before.filter(alike=False, device=device)
    before.update(ended_at=now)
    made = KindChoice.objects.bulk_create(
        KindChoice(device=device, kind=code, taken=taken, service=service, alike=alike, why=why.strip()[:200], by=by, at=now)
        for code in wanted
    )
    assignment = Assignment.objects.select_related("plan").filter(device=device).first()
    if assignment is not None and not taken:
        kinds_taken(assignment.plan, device, choices())
    facts = {
        "device": device.name, "holder": device.holder.name, "alike": service if alike else "",
        "kinds": [KINDS[code].label.lower() for code in wanted], "taken": taken, "why": why.strip()[:200],
    }  # fmt: skip
    write_journal(who=by, what="kinds.chosen", facts=facts, at=now, device=device.id)
    defer_line_up()
    publish("changed", "devices")
    return made


@transaction.atomic
def leave_to_plan(choice: KindChoice, *, by: User) -> None:
    """From its next run on the plan decides again. Nothing happens when it does already."""
    row, now = KindChoice.objects.select_for_update().get(id=choice.id), ports.clock().now()
    if row.ended_at is not None:
        return
    row.ended_at = now
    row.save(update_fields=["ended_at"])
    facts = {"device": choice.device.name, "holder": choice.device.holder.name, "kind": KINDS[row.kind].label.lower()}
    write_journal(who=by, what="kinds.left_to_plan", facts=facts, at=now, device=choice.device_id)
    defer_line_up()
    publish("changed", "devices")
