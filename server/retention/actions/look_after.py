"""Look after a store: apply every device's rule, let the store forget what leaves, sweep, measure. Once a night.

One device whose rule cannot be computed is named in the log and leaves the others alone: nothing of it is removed.
"""

import logging
from datetime import datetime
from uuid import UUID

from core.vault.errors import SweptByAnother
from core.vault.giving_back import thorough
from core.vault.sweep import sweep
from server import ports
from server.fleet.models import Device
from server.live import publish
from server.people.clock import in_doubt
from server.people.queries import office_zone
from server.retention.actions.apply_rule import apply_rule
from server.retention.actions.finish_removals import finish_removals
from server.retention.actions.measure import measure
from server.retention.freezing import Frozen
from server.retention.judging import Context
from server.runs.models import THERE
from server.storage.actions.note_held import note_held
from server.storage.actions.note_trouble import note_trouble, note_well
from server.storage.models import Store
from server.storage.queries import is_here, opened, this_server

log = logging.getLogger("attic.retention")


def look_after(store_id: UUID, *, now: datetime | None = None) -> int:
    """How many copies left the store. Nothing does while the clock is in doubt."""
    if in_doubt():
        return 0
    now = now or ports.clock().now()
    store = Store.objects.get(id=store_id)
    if not is_here(store_id):
        return _decide_alone(store, now)
    try:
        vault = opened(store)  # before anything is decided: another drive may lie there, and then nothing is marked
    except Exception as error:  # whatever it is, the store's page says it
        note_trouble(store.id, error)
        return 0
    _apply_rules(store, now)
    try:
        removed = finish_removals(store, now=now, vault=vault)
    except Exception as error:  # whatever it is, the store's page says it
        note_trouble(store.id, error)
        return 0
    Store.objects.filter(id=store.id).update(ruled_on=now.astimezone(office_zone()).date())
    sweep_store(store, now=now)
    measure(store, now=now, anew=True)
    publish("changed", "stores")
    return removed


def _decide_alone(store: Store, now: datetime) -> int:
    """Of a drive that is known to be elsewhere the rules are applied all the same, so that what is to leave is known, and goes first,
    when it is back. It is the drive that it is, whatever lies at its last path now."""
    _apply_rules(store, now)
    Store.objects.filter(id=store.id).update(ruled_on=now.astimezone(office_zone()).date())
    publish("changed", "stores")
    return 0


def _apply_rules(store: Store, now: datetime) -> None:
    devices = Device.objects.filter(backups__copies__store=store, backups__copies__state__in=THERE).distinct()
    context = Context.read(now, deciding_for=store.id)
    for device in devices:
        try:
            apply_rule(device, store, now=now, context=context)
        except Exception:  # one device that cannot be computed takes no other with it
            log.exception("the rule of device %s could not be applied in store %s; nothing of it was removed", device.id, store.id)


def sweep_store(store: Store, *, now: datetime) -> None:
    """Free what no backup needs, but not while the clock is in doubt or somebody said that nothing leaves.

    A store in trouble is noted as such.
    """
    if in_doubt() or not Frozen.read().sweeps(store.id):
        return
    try:
        vault = opened(store)
        if Store.objects.filter(id=store.id, thorough_until__gte=now.astimezone(office_zone()).date()).exists():
            vault.limits = thorough(vault.limits)
        report = sweep(vault, now=now, by=this_server())
    except SweptByAnother as error:  # by agreement: its space comes back by that server's hand
        Store.objects.filter(id=store.id).update(swept_by=error.name[:200], swept_at=now)
        note_well(store.id)
        return
    except Exception as error:  # whatever it is, the store's page says it
        note_trouble(store.id, error)
        return
    note_held(store.id, report.held, now=now)
    Store.objects.filter(id=store.id).update(waiting_bytes=report.marked_bytes, swept_at=now, swept_by="")
    note_well(store.id)
