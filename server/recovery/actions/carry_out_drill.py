"""Carry out a drill: restore into a scratch place, prove, erase; and have the store read where something did not come back."""

import time
from collections.abc import Callable
from datetime import timedelta
from typing import Any
from uuid import UUID

from django.db import transaction

from core.recovery.drill import Bounds, DrillReport, Findings, drill
from core.vault.errors import DeviceSealed, NoSuchBackup, Stopped
from core.vault.reading import slowed
from server import ports
from server.jobs import defer_check
from server.live import publish
from server.people.actions.journal import write_journal
from server.recovery.drills import drill_rules
from server.recovery.models import Drill, DrillRules, DrillState
from server.storage.queries import opened
from server.transition import held, move
from server.unforeseen import ending_of

TELL_EVERY_SECONDS = 1.0
_CHANCE_BYTES = 7
SEALED = (
    "The server has no key to it. Whoever holds its passphrase can restore it on the command line; checks of the store prove its bytes."
)


def carry_out_drill(drill_id: UUID, *, clock: Callable[[], float] = time.monotonic, sleep: Callable[[float], None] = time.sleep) -> Drill:
    """The drill as it ended, whatever happens."""
    row = _begun(drill_id)
    if row.state != DrillState.RUNNING:
        return row
    rules = drill_rules()
    try:
        report = _drilled(row, rules, clock, sleep)
    except Stopped:
        return _ended(
            drill_id, DrillState.STOPPED, cause="It was stopped by hand.", remedy="Nothing stayed behind; drill again when it suits."
        )
    except DeviceSealed as error:
        return _ended(drill_id, DrillState.FAILED, cause=error.message, remedy=SEALED)
    except Exception as error:  # whatever it is, the drill ends with it
        ending = ending_of(error, f"drill {drill_id}")
        return _ended(drill_id, DrillState.FAILED, cause=ending.cause, remedy=ending.remedy, reference=ending.reference)
    fields: dict[str, Any] = {
        "of_items": report.of_items, "of_bytes": report.of_bytes, "items": report.items, "size_bytes": report.size_bytes,
        "report": _as_told(report),
    }  # fmt: skip
    if not report.right:
        return _ended(drill_id, DrillState.WRONG, wrong_count=report.wrong_count, **fields)
    if report.items == 0 and report.of_items:
        cause, remedy = "Its time was over before anything was restored.", "Give drills more time."
        return _ended(drill_id, DrillState.FAILED, cause=cause, remedy=remedy, **fields)
    return _ended(drill_id, DrillState.RIGHT, **fields)


@transaction.atomic
def _begun(drill_id: UUID) -> Drill:
    row = held(Drill, drill_id, "device", "store", "backup", "by")
    if row.state == DrillState.WAITING:
        move(row, DrillState.RUNNING, started_at=ports.clock().now(), attempts=1, progress={})
    elif row.state == DrillState.RUNNING:  # its worker died
        row.attempts += 1
        row.save(update_fields=["attempts"])
    publish("changed", "drills")
    return row


def _drilled(row: Drill, rules: DrillRules, clock: Callable[[], float], sleep: Callable[[float], None]) -> DrillReport:
    """Raises AtticError."""
    if row.backup is None:
        raise NoSuchBackup("The backup left before its drill began.")
    vault = opened(row.store)
    vault.refresh()
    manifest = vault.manifest(row.backup.id.bytes)
    began, last_told = clock(), 0.0
    until = began + timedelta(minutes=rules.most_minutes).total_seconds()

    hold_back = slowed(rules.limit_bytes_per_second, began, clock, sleep)

    def on_progress(done_bytes: int, total_bytes: int) -> None:
        nonlocal last_told
        hold_back(done_bytes, total_bytes)
        if clock() - last_told < TELL_EVERY_SECONDS:
            return
        last_told = clock()
        going = Drill.objects.filter(id=row.id, state=DrillState.RUNNING, stop_asked=False)
        if not going.update(progress={"done_bytes": done_bytes, "total_bytes": total_bytes}):
            raise Stopped("The drill was stopped.")
        publish("changed", "drills")

    def draw() -> float:
        return int.from_bytes(ports.keys().random(_CHANCE_BYTES), "big") / float(1 << 8 * _CHANCE_BYTES)

    bounds = Bounds(most_bytes=rules.most_bytes, is_over=lambda: clock() >= until)
    return drill(vault, manifest, ports.results().scratch(str(row.id)), bounds=bounds, draw=draw, on_progress=on_progress)


def _as_told(report: DrillReport) -> dict[str, Any]:
    return {
        "lost": _findings(report.lost),
        "differing": _findings(report.differing),
        "unopened": _findings(report.unopened),
        "opened": {form.value: count for form, count in sorted(report.opened.items())},
        "out_of_time": report.out_of_time,
    }


def _findings(findings: Findings) -> dict[str, Any]:
    return {"count": findings.count, "named": [{"kind": one.kind, "name": one.name, "says": one.says} for one in findings.named]}


@transaction.atomic
def _ended(drill_id: UUID, to: DrillState, *, wrong_count: int = 0, **fields: Any) -> Drill:
    row, now = held(Drill, drill_id, "device", "store", "backup", "by"), ports.clock().now()
    if row.state != DrillState.RUNNING:
        return row
    move(row, to, finished_at=now, progress={}, **fields)
    if to == DrillState.WRONG:
        defer_check(row.store_id, percent=100, by=None)
        write_journal(
            who=None,
            what="drill.wrong",
            facts={"device": row.device.name, "store": row.store.name, "count": wrong_count},
            at=now,
            device=row.device_id,
            store=row.store_id,
        )
    publish("changed", "drills")
    return row
