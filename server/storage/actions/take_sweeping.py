"""Let this server sweep a store that another one swept so far: by a person's word, since both would move the same bytes."""

from django.db import transaction

from core.vault.sweeper import hand_over
from server import ports
from server.api.problems import Conflict
from server.jobs import defer_sweep
from server.people.actions.journal import write_journal
from server.people.models import User
from server.storage.models import Store
from server.storage.queries import opened_to_write, this_server


def take_sweeping(store: Store, *, by: User) -> Store:
    """Raises Conflict, StoreError, VaultError."""
    if not store.swept_by:
        raise Conflict(f"This server sweeps {store.name} already.", remedy="Nothing to do.")
    me = this_server()
    counts = hand_over(opened_to_write(store), me, now=ports.clock().now())
    if counts.sweeper.who != me.who:
        raise Conflict(f"{counts.sweeper.name} has just taken it.", remedy="Agree on who sweeps, then try again.")
    with transaction.atomic():
        row = Store.objects.select_for_update().get(id=store.id)
        before, row.swept_by = row.swept_by, ""
        row.save(update_fields=["swept_by"])
        write_journal(who=by, what="store.sweeping_taken", facts={"name": row.name, "before": before}, at=ports.clock().now(), store=row.id)
        defer_sweep(row.id)
    return row
