"""Let runs take again what was erased from a device: it was asked for once, and may be wanted again."""

from django.db import transaction

from core.errors import BadInput
from server import ports
from server.api.problems import Conflict
from server.fleet.models import Device
from server.live import publish
from server.locks import lock_devices
from server.people.actions.journal import write_journal
from server.people.models import User
from server.retention.actions.ask_erasure import words_of
from server.retention.models import Erasure, ErasureState
from server.transition import held


@transaction.atomic
def take_again(row: Erasure, *, why: str, by: User) -> None:
    """Once it is done. What stores held of it stays gone. Raises BadInput, Conflict."""
    if not why.strip():
        raise BadInput("This needs a reason.", field="why", remedy="Say why it may be backed up again: it goes into the file.")
    erasure = held(Erasure, row.id)
    if erasure.whole or erasure.state != ErasureState.DONE or erasure.taken_again_at is not None:
        raise Conflict("There is nothing to take again.", remedy="Load the page again.")
    lock_devices(device.id for device in erasure.devices.all())
    marks = {one["mark"] for one in erasure.items}
    for device in Device.objects.select_for_update().filter(id__in=erasure.devices.all()):
        device.erased = [mark for mark in device.erased if mark not in marks]
        device.save(update_fields=["erased"])
    erasure.taken_again_at = ports.clock().now()
    erasure.save(update_fields=["taken_again_at"])
    write_journal(
        who=by, what="erasure.taken_again", facts={"what": words_of(erasure), "why": why.strip()[:200]}, at=erasure.taken_again_at
    )
    publish("changed", "erasures")
