"""Apply a device's rules to its copies in one store: decide, and mark what leaves. The store is not touched here.

Everything is read under the lock of the device and decided there, so that a hold, a restore or a copy that was
answered before counts, and one that comes later is refused. Two stores judged at once follow each other.

Three things may happen to a copy, each a transition: it begins to leave, and waits out its undo period; it is wanted again, and
comes back; it has waited long enough, the verdict is the same once more, and its store may forget it.
"""

from dataclasses import dataclass, field
from datetime import date, datetime

from django.db import transaction

from core.retention.rule import Why
from core.retention.verdicts import Verdict
from server.fleet.models import Device
from server.locks import lock_device
from server.people.actions.journal import write_journal
from server.people.clock import believe_clock
from server.people.moments import written
from server.people.queries import office_zone
from server.retention.judging import Context, Judged, judged
from server.runs.actions.come_back import NOT_LEAVING
from server.runs.models import Copy, CopyState
from server.storage.models import Store
from server.transition import held, move

POSTPONES = Why.IN_USE | Why.OWED | Why.FROZEN
"""Reasons for which a copy that leaves waits longer, and leaves all the same once they are over."""


@dataclass(slots=True)
class RuleOutcome:
    """Copies by what happened to them."""

    began: list[Copy] = field(default_factory=list)
    back: list[Copy] = field(default_factory=list)
    going: list[Copy] = field(default_factory=list)


@transaction.atomic
def apply_rule(device: Device, store: Store, *, now: datetime, context: Context | None = None) -> int:
    """How many of the device's copies in this store began to leave. Raises ClockInDoubt."""
    believe_clock()
    lock_device(device.id)
    context = context or Context.read(now)
    device_judged, done = judged(device, context), RuleOutcome()
    today = now.astimezone(office_zone()).date()
    for verdict in device_judged.verdicts:
        if verdict.moment.store == str(store.id):
            _carry_out(device_judged, verdict, context, today, done)
    _told(device_judged, store, done, today, now)
    return len(done.began)


def _carry_out(device_judged: Judged, verdict: Verdict, context: Context, today: date, done: RuleOutcome) -> None:
    read = device_judged.copy_of(verdict)  # under the lock of the device: nobody else decides about it now
    due = read.leaves_on is not None and today >= read.leaves_on
    if verdict.kept == (read.state == CopyState.PRESENT) and not (read.state == CopyState.LEAVING and due):
        return
    copy = held(Copy, read.id, "backup", "store")
    if verdict.kept and copy.state == CopyState.LEAVING and verdict.why & ~POSTPONES:
        done.back.append(move(copy, CopyState.PRESENT, **NOT_LEAVING))
    elif not verdict.kept and copy.state == CopyState.PRESENT:
        applied = device_judged.rules[verdict.moment.store]
        named = applied.named if applied is not None else ""
        why = f"{named[:1].upper()}{named[1:]}, no longer keeps it." if named else "Nothing keeps it."
        begin_to_leave(copy, why=why, by_rule=named, on=today + context.undo, now=context.now)
        done.began.append(copy)
    if not verdict.kept and copy.state == CopyState.LEAVING and copy.leaves_on is not None and today >= copy.leaves_on:
        done.going.append(move(copy, CopyState.REMOVING))


def begin_to_leave(copy: Copy, *, why: str, on: date, now: datetime, by_rule: str = "", **more: object) -> None:
    """Of a row that is held: it goes on that day, unless something wants it until then."""
    move(copy, CopyState.LEAVING, removed_why=why[:200], removed_by_rule=by_rule[:120], leaving_since=now, leaves_on=on, **more)


def _told(device_judged: Judged, store: Store, done: RuleOutcome, today: date, now: datetime) -> None:
    """One line of the journal for each thing that happened, with what, why and by which rule."""
    applied = device_judged.rules.get(str(store.id))
    first = min((copy.leaves_on for copy in done.began if copy.leaves_on is not None), default=today)
    for what, copies in (("backup.fell_out", done.began), ("backup.back", done.back), ("backup.goes", done.going)):
        if copies:
            facts = {
                "count": len(copies), "device": device_judged.device.name, "store": store.name, "rule": applied.named if applied else "",
                "moments": [written(copy.backup.finished_at) for copy in copies], "lapsed": device_judged.lapsed, "first": first,
            }  # fmt: skip
            write_journal(who=None, what=what, facts=facts, at=now, device=device_judged.device.id, store=store.id)
