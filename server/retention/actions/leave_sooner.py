"""End the undo period of what leaves a store: it cannot be taken back any more. Grace periods and safeguards stay as they are."""

from django.db import transaction

from core.errors import BadInput
from server import ports
from server.jobs import defer_rules
from server.live import publish
from server.locks import lock_devices
from server.people.actions.journal import write_journal
from server.people.clock import believe_clock
from server.people.models import User
from server.people.queries import office_zone
from server.retention.room.tonight import undoing
from server.runs.models import Copy
from server.storage.models import Store

WORD = "sooner"


@transaction.atomic
def leave_sooner(store: Store, *, why: str, word: str, by: User) -> int:
    """How many copies. What is on hold by then, or kept by a safeguard, stays all the same. Raises BadInput, ClockInDoubt."""
    believe_clock()
    if not why.strip():
        raise BadInput("Ending an undo period needs a reason.", field="why", remedy="Say why, for whoever reads the journal.")
    if word.strip().lower() != WORD:
        raise BadInput("It could not be taken back.", field="word", remedy=f"Type “{WORD}”, if that is what you want.")
    now = ports.clock().now()
    today = now.astimezone(office_zone()).date()
    locked = set(undoing(store, today).values_list("backup__device_id", flat=True))
    lock_devices(locked)
    going = list(undoing(store, today).filter(backup__device__in=locked).values_list("id", "backup__device_id"))
    if not going:
        raise BadInput("Nothing waits out its undo period here.", field="store", remedy="Load the page again.")
    Copy.objects.filter(id__in=[id for id, _ in going]).update(leaves_on=today)
    devices = len({device for _, device in going})
    facts = {"count": len(going), "devices": devices, "store": store.name, "why": why.strip()[:200]}
    write_journal(who=by, what="store.left_sooner", facts=facts, at=now, store=store.id)
    defer_rules(store.id)
    publish("changed", "stores")
    return len(going)
