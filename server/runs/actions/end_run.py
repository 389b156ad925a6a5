"""How a run ends: with a backup, with a cause, or because its time is over; and what follows.

Every ending reads the row again under its lock. A wish to stop that came meanwhile holds: nothing is tried again then.
"""

from dataclasses import asdict
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from django.db import transaction

from core.content.errors import LinkError
from core.coverage.anomalies import far_fewer
from core.errors import AtticError
from core.quota.admission import DoesNotFit
from core.schedule.retry import Class, class_of, next_try
from core.units import spoken
from core.vault.capture import Captured
from core.vault.errors import Stopped
from server import ports
from server.jobs import defer_after_run, defer_copies, defer_tick
from server.live import publish
from server.people.clock import in_doubt
from server.plans.choices import choices, kinds_taken
from server.runs.convert import told_kinds
from server.runs.left_out import MOST_NAMED, accepted_of, told_skipped
from server.runs.models import OCCASION_WORDS, Backup, Copy, CopyState, Occasion, Run, RunState
from server.runs.queries import trusted_before
from server.runs.sentences import closing_sentence, log_line
from server.storage.actions.note_newest import note_newest
from server.storage.models import Mode
from server.transition import held, move
from server.unforeseen import ending_of

ROW = ("device__holder", "device__team", "store", "plan", "by")
"""What the words about a run need besides itself."""
BY_HAND_FOR = timedelta(minutes=30)
"""How long a run by hand is tried again after its first cut."""
STOPPED_WORDS = {"cause_code": "run.stopped", "cause": "Somebody stopped it.", "remedy": "Run again when it suits."}


@transaction.atomic
def ended_well(run_id: UUID, captured: Captured, *, worked_seconds: float, cost: dict[str, float]) -> Run:
    """Record the backup that lies in the store now. It is recorded even where the run was ended by somebody else meanwhile."""
    run, manifest = held(Run, run_id, *ROW), captured.manifest
    going, skipped = run.state == RunState.RUNNING, told_skipped(captured.skipped, accepted_of(run.device))
    lacking = _lacking(run, captured)
    backup = Backup.objects.create(
        id=UUID(bytes=manifest.id), device=run.device, run=run if going else None, finished_at=manifest.finished_at, items=manifest.items,
        size_bytes=manifest.size_bytes, kinds=told_kinds(manifest), family=run.device.family, os_version=captured.state.os_version,
        update_pending=captured.state.update_pending,
        occasion=run.occasion, note=run.note, in_doubt=in_doubt(), lacking=lacking, suspect=bool(lacking), **_hold_of(run),
    )  # fmt: skip
    Copy.objects.create(backup=backup, store=run.store)
    note_newest(run.store_id, backup.id)
    _owe_copies(run, backup)
    if not going:
        return run
    run.backup = backup
    move(
        run,
        RunState.PARTIAL if any(entry["counts"] for entry in skipped) else RunState.COMPLETE,
        finished_at=manifest.finished_at,
        read_bytes=captured.read_bytes,
        stored_bytes=captured.stored_bytes,
        worked_seconds=worked_seconds,
        cost=cost,
        skipped=skipped[:MOST_NAMED],
        skipped_count=len(skipped),
        left_out=[asdict(entry) for entry in captured.left_out[:500]],
        cause_code="",
        cause="",
        remedy="",
        reference="",
    )
    _log(run, manifest.finished_at, closing_sentence(run))
    if lacking:
        _log(run, manifest.finished_at, "It has far fewer items than the backup before: somebody has to look whether that is right.")
    run_ended(run)
    return run


def _owe_copies(run: Run, backup: Backup) -> None:
    """To the other stores of its plan, from the moment in which it exists: nobody is told meanwhile that it lies everywhere.

    The newest backup is one that every rule keeps. What older ones are owed is found out by the clock.
    """
    if run.plan is None or backup.in_doubt or backup.suspect:
        return
    now = ports.clock().now()
    for target in run.plan.targets.exclude(store=run.store).filter(store__mode=Mode.IN_USE):
        due = now + timedelta(minutes=target.delay_minutes)
        Copy.objects.create(backup=backup, store_id=target.store_id, state=CopyState.OWED, asked_at=now, due_at=due)
        defer_copies(target.store_id)
        publish("changed", "copies")


def _lacking(run: Run, captured: Captured) -> list[dict[str, Any]]:
    """Of what the device gave far fewer items than it had, among the kinds that were wanted; what was left out counts as there."""
    before = trusted_before(run.device)
    if before is None or run.plan is None:
        return []
    no_room = {one.kind for one in captured.skipped if one.code == "no_room"}
    wanted = set(kinds_taken(run.plan, run.device, choices())) - no_room
    counts = {summary.kind: summary.items for summary in captured.manifest.kinds}
    for one in captured.left_out:
        counts[one.kind] = counts.get(one.kind, 0) + one.items
    return [asdict(one) for one in far_fewer({entry["kind"]: entry["items"] for entry in before.kinds if entry["kind"] in wanted}, counts)]


def _hold_of(run: Run) -> dict[str, Any]:
    """A backup taken for an occasion stays until somebody releases it, or its day is over."""
    if not run.occasion:
        return {}
    words = OCCASION_WORDS[Occasion(run.occasion)]
    return {"hold_reason": f"{words}: {run.note}"[:200] if run.note else words, "hold_by": run.by, "hold_until": run.hold_until}


@transaction.atomic
def ended_badly(run_id: UUID, error: Exception, *, began_reading: bool, now: datetime) -> Run:
    """Ended with a cause, or waiting for the next attempt. What nobody foresaw is in the log, under a reference."""
    run, ending = held(Run, run_id, *ROW), ending_of(error, f"run {run_id}")
    if run.state != RunState.RUNNING:
        return run
    cause = {"cause_code": ending.code, "cause": ending.cause, "remedy": ending.remedy, "reference": ending.reference}
    _log(run, now, ending.cause)
    if run.stop_asked:
        move(run, RunState.STOPPED, finished_at=now, **(cause if isinstance(error, Stopped) else STOPPED_WORDS))
        run_ended(run)
        return run
    again, gives_up = None, run.gives_up_at
    if gives_up is None and isinstance(error, AtticError) and class_of(error) is Class.RESUME:
        gives_up = now + BY_HAND_FOR  # somebody waits for it: tried again like any other, and not for ever
    if isinstance(error, AtticError) and gives_up is not None:
        again = next_try(error, attempts=run.attempts, now=now, gives_up=gives_up)
    if again is not None:
        move(run, RunState.WAITING, next_try_at=again, gives_up_at=gives_up, **cause)
        _log(run, now, f"Tried again in {spoken(again - now)}.")
        publish("run", str(run.id))  # whoever watches it would see it read on
        return run
    move(run, _state_after(error, began_reading), finished_at=now, **cause)
    run_ended(run)
    return run


def _state_after(error: Exception, began_reading: bool) -> RunState:
    if isinstance(error, DoesNotFit):
        return RunState.REFUSED
    if isinstance(error, Stopped):
        return RunState.STOPPED
    return RunState.INTERRUPTED if began_reading and isinstance(error, LinkError) else RunState.FAILED


@transaction.atomic
def give_up(run_id: UUID, now: datetime) -> Run:
    """Its time is over: it ends with the cause of its last attempt, or as missed when there was none. One that has ended stays."""
    run = held(Run, run_id, *ROW)
    if run.state not in (RunState.WAITING, RunState.RUNNING):
        return run
    _log(run, now, "Its time was over.")
    if run.cause_code or run.state == RunState.RUNNING:
        lost = {
            "cause_code": "run.lost",
            "cause": "Its worker ended in the middle.",
            "remedy": "Nothing to do: the next run goes on.",
        }
        move(run, RunState.FAILED, finished_at=now, next_try_at=None, **({} if run.cause_code else lost))
    else:
        move(
            run, RunState.MISSED, finished_at=now, next_try_at=None, cause_code="schedule.missed",
            cause="Other runs took up its time until the window closed.",
            remedy="Let the plan's window close later, allow more runs at a time under Office, or spread the devices over more plans.",
        )  # fmt: skip
    run_ended(run)
    return run


def run_ended(run: Run) -> None:
    """What follows the end of a run: viewers learn of it, and its place is free for the next one."""
    publish("run", str(run.id))
    publish("changed", "devices")
    defer_after_run(run.id)
    defer_tick()


def _log(run: Run, at: datetime, says: str) -> None:
    run.log.append(log_line(at, says))
    run.save(update_fields=["log"])
