"""Have copies carried now that would wait, and withdraw what somebody asked for."""

from django.db import transaction

from server import ports
from server.api.problems import Conflict
from server.jobs import defer_copies
from server.live import publish
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.models import Copy, CopyState
from server.storage.models import Mode, Store
from server.storage.queries import must_be_here
from server.transition import held, move


@transaction.atomic
def hurry_copies(store: Store, *, by: User) -> int:
    """How many will be tried at once: all that the store is owed, whatever their delay or the store's trouble. Raises Conflict."""
    store = Store.objects.select_for_update().get(id=store.id)
    if store.mode != Mode.IN_USE:
        raise Conflict(f"{store.name} is {store.get_mode_display().lower()}.", remedy="Take it into use first.")
    must_be_here(store)
    count = Copy.objects.filter(store=store, state=CopyState.OWED).update(due_at=ports.clock().now())
    if count:
        defer_copies(store.id)
        write_journal(who=by, what="copies.hurried", facts={"count": count, "store": store.name}, at=ports.clock().now(), store=store.id)
        publish("changed", "copies")
    return count


@transaction.atomic
def withdraw_copy(copy: Copy, *, by: User) -> None:
    """One that somebody asked for is not wanted any more. Raises Conflict for what a plan wants: it would be owed again at once."""
    row = held(Copy, copy.id, "store", "backup__device")
    if row.state == CopyState.COPYING or row.by_id is None:
        reason = "is under way" if row.state == CopyState.COPYING else "is owed by its plan"
        raise Conflict(f"This copy {reason}.", remedy="Pause the store, or take it out of the plan.")
    if row.state not in (CopyState.OWED, CopyState.FAILED):
        raise Conflict("This copy is not on its way.", remedy="Load the page again.")
    write_journal(
        who=by,
        what="copy.withdrawn",
        facts={"device": row.backup.device.name, "store": row.store.name},
        at=ports.clock().now(),
        device=row.backup.device_id,
        store=row.store_id,
    )
    move(row, CopyState.REMOVED, removed_why="It was withdrawn before it was there.", removed_at=ports.clock().now(), due_at=None, by=None)
    publish("changed", "copies")
