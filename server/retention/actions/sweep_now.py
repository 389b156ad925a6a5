"""Sweep a store now, by hand: what was marked and waited long enough goes at once."""

from django.db import transaction

from server import ports
from server.jobs import defer_sweep
from server.people.actions.journal import write_journal
from server.people.clock import believe_clock
from server.people.models import User
from server.storage.models import Store
from server.storage.queries import must_be_here


@transaction.atomic
def sweep_now(store: Store, *, by: User) -> None:
    """Raises ClockInDoubt, StoreAway."""
    believe_clock()
    must_be_here(store)
    write_journal(who=by, what="store.sweep_asked", facts={"store": store.name}, at=ports.clock().now(), store=store.id)
    defer_sweep(store.id)
