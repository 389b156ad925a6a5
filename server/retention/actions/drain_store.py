"""Drain a store into another, and give it up once that is done. Nothing that lies in it is touched, then or later."""

from datetime import datetime
from typing import Any

from django.db import transaction

from core.errors import BadInput
from server import ports
from server.api.problems import ChangedMeanwhile, Conflict
from server.jobs import defer_copies, defer_owed_copies
from server.live import publish
from server.locks import lock_devices
from server.people.actions.journal import write_journal
from server.people.models import User
from server.plans.models import Plan, PlanTarget
from server.retention.draining import Outlook, outlook, targets_after
from server.runs.actions.copy_backup import CLEARED
from server.runs.models import THERE, Copy, CopyState, Run, RunState
from server.storage.models import Drive, Mode, Store
from server.transition import held, move

WORD = "give up"


@transaction.atomic
def drain_store(store: Store, into: Store, *, by: User) -> None:
    """From now on nothing new goes there and nothing leaves it; what the other store lacks is owed to it. Raises Conflict."""
    store, into = (Store.objects.select_for_update().get(id=one.id) for one in (store, into))
    if store.mode not in (Mode.IN_USE, Mode.READ_ONLY):
        raise Conflict(f"{store.name} is {store.get_mode_display().lower()}.", remedy="Take it into use first.")
    if Run.objects.filter(store=store, state=RunState.RUNNING).exists():
        raise Conflict(f"A run writes into {store.name} now.", remedy="Wait for its end, then drain it.")
    now = ports.clock().now()
    there = Copy.objects.filter(store__in=(store, into), state__in=THERE)
    lock_devices(there.values_list("backup__device_id", flat=True).distinct())
    foreseen = outlook(store, into, now=now)
    store.draining_into, store.drain_asked_at, store.mode = into, now, Mode.READ_ONLY
    store.save(update_fields=["draining_into", "drain_asked_at", "mode"])
    for plan in foreseen.plans:
        _go_elsewhere(plan, store, into)
    Run.objects.filter(store=store, state=RunState.WAITING).update(store=into)
    Copy.objects.filter(store=store, state__in=(CopyState.OWED, CopyState.FAILED)).delete()
    _bring_back(store)
    _owe(foreseen, by, now)
    plans = [plan.name for plan in foreseen.plans]
    write_journal(
        who=by,
        what="store.draining",
        facts={"store": store.name, "into": into.name, "count": len(foreseen.moving), "there": foreseen.there, "plans": plans},
        at=now,
        store=store.id,
    )
    defer_copies(into.id)
    defer_owed_copies()
    publish("changed", "stores")


def _go_elsewhere(plan: Plan, store: Store, into: Store) -> None:
    after = targets_after(plan, store, into)
    plan.targets.all().delete()
    for order, target in enumerate(after):
        target.pk, target.order = None, order
        target.store = into if target.store_id == store.id else target.store
    PlanTarget.objects.bulk_create(after)
    Plan.objects.filter(id=plan.id).update(revision=plan.revision + 1)


def _bring_back(store: Store) -> None:
    """What was about to leave stays: nothing leaves a store that is drained, so that it can be told what lies there."""
    leaving = Copy.objects.filter(store=store, state=CopyState.LEAVING)
    for id in list(leaving.values_list("id", flat=True)):
        move(held(Copy, id), CopyState.PRESENT, leaving_since=None, leaves_on=None, leaving_by=None, by_hand=False, removed_why="")


def _owe(foreseen: Outlook, by: User, now: datetime) -> None:
    known = {row.backup_id: row for row in Copy.objects.filter(store=foreseen.into, backup__in=foreseen.moving)}
    asked: dict[str, Any] = {"asked_at": now, "due_at": now, "by": by, "attempts": 0, "by_hand": False, **CLEARED}
    new = [Copy(backup_id=id, store=foreseen.into, state=CopyState.OWED, **asked) for id in foreseen.moving if id not in known]
    Copy.objects.bulk_create(new)
    for row in known.values():
        if row.state in (CopyState.REMOVED, CopyState.FAILED):
            move(held(Copy, row.id), CopyState.OWED, **asked)
        elif row.state == CopyState.OWED:
            Copy.objects.filter(id=row.id).update(by=by, due_at=now)


@transaction.atomic
def stop_draining(store: Store, *, by: User) -> None:
    """It stays a store, only read; what was copied stays copied. Raises Conflict."""
    row = Store.objects.select_for_update().get(id=store.id)
    if row.draining_into_id is None or row.mode == Mode.RETIRED:
        raise Conflict(f"{row.name} is not being drained.", remedy="Nothing to do.")
    row.draining_into, row.drain_asked_at = None, None
    row.save(update_fields=["draining_into", "drain_asked_at"])
    write_journal(who=by, what="store.draining_stopped", facts={"name": row.name}, at=ports.clock().now(), store=row.id)
    publish("changed", "stores")


@transaction.atomic
def retire_store(store: Store, *, seen: str, word: str, by: User) -> None:
    """`seen`: the digest of what was shown to lie nowhere afterwards. Raises Conflict, ChangedMeanwhile, BadInput."""
    row, now = Store.objects.select_for_update(of=("self",)).select_related("draining_into").get(id=store.id), ports.clock().now()
    if row.draining_into is None or row.mode == Mode.RETIRED:
        raise Conflict(f"{row.name} was not drained.", remedy="Drain it into another store first.")
    there = Copy.objects.filter(store=row, state__in=THERE)
    lock_devices(there.values_list("backup__device_id", flat=True).distinct())
    foreseen = outlook(row, row.draining_into, now=now)
    if foreseen.digest != seen:
        raise ChangedMeanwhile("What would be lost is not what was shown.")
    if foreseen.lost_count and word.strip().lower() != WORD:
        remedy = f"Read which backups will lie nowhere, and type “{WORD}”."
        raise BadInput(f"{foreseen.lost_count} backups would lie in no store.", field="word", remedy=remedy)
    why = f"{row.name} was retired; {foreseen.into.name} took over what it held."[:200]
    gone = there.update(state=CopyState.REMOVED, removed_at=now, removed_why=why, leaving_since=None, leaves_on=None)
    Copy.objects.filter(store=row, state=CopyState.MISSING).update(state=CopyState.REMOVED, removed_at=now, removed_why=why)
    Drive.objects.filter(store=row).update(rotation=None, place=0)
    row.mode, row.retired_at = Mode.RETIRED, now
    row.trouble = row.trouble_code = row.trouble_remedy = ""
    row.save(update_fields=["mode", "retired_at", "trouble", "trouble_code", "trouble_remedy"])
    write_journal(
        who=by, what="store.retired", facts={"name": row.name, "gone": gone, "lost_count": foreseen.lost_count}, at=now, store=row.id
    )
    publish("changed", "stores")
