"""Carry out a run: open store and device, capture, record the backup; end in one of the states, with a cause.

Idempotent: a run whose worker died is carried out again and uses what was stored. A scheduled run that
failed for a reason that may pass is tried again while its window is open.
"""

import time
from collections.abc import Callable
from dataclasses import asdict
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from django.db import transaction

from core.content.errors import LinkError
from core.content.link import DeviceLink, DeviceState
from core.content.readiness import Level, readiness
from core.errors import AtticError
from core.quota.admission import DoesNotFit, admit
from core.schedule.conditions import unmet
from core.schedule.retry import next_try
from core.units import iec, spoken
from core.vault.capture import Capture, Captured, Progress, Request
from core.vault.errors import Damaged, NoSuchBackup, Stopped
from core.vault.manifests import Manifest
from core.vault.vault import Vault
from core.vault.writer import Writer
from server.fleet.actions.change_device import note_told
from server.fleet.convert import link_to
from server.outside import outside
from server.people.queries import office_zone
from server.plans.convert import conditions_of, leave_out_of, taken_kinds
from server.runs.actions.ask_run import defer_run
from server.runs.actions.end_run import give_up, run_ended
from server.runs.convert import told_kinds
from server.runs.expectation import rest_of
from server.runs.live import tell
from server.runs.models import ACTIVE, OCCASION_WORDS, Backup, Copy, Occasion, Run, RunState
from server.runs.pace import WAIT_SECONDS, speed_limit, took_place
from server.runs.queries import previous_backup, read_and_stored
from server.runs.queries import run as run_by_id
from server.runs.sentences import closing_sentence, log_line, stage_words
from server.storage.queries import opened, room_in

Clock = Callable[[], datetime]
TELL_EVERY_SECONDS = 0.4
WAITS = "Waits until another run has ended."
EARLY = timedelta(seconds=2)
"""A queue may wake a run so much before its time."""


def carry_out(run_id: UUID, *, clock: Clock | None = None) -> Run:
    """The run as it ended. A run that has ended before is left as it is."""
    clock = clock or outside().now
    run = run_by_id(run_id)
    now = clock()
    if run.state not in ACTIVE or (run.next_try_at is not None and now < run.next_try_at - EARLY):
        return run
    if run.gives_up_at is not None and now >= run.gives_up_at:
        return give_up(run, now)
    if not took_place(run):
        found = run_by_id(run_id)
        return _waits_for_others(found, clock) if found.state in ACTIVE else found
    run.started_at, run.attempts, run.stages = run.started_at or now, run.attempts + 1, []
    run.log.append(log_line(now, "Started." if run.attempts == 1 else f"Attempt {run.attempts}: what is stored already is used again."))
    run.save(update_fields=["started_at", "attempts", "log", "stages"])
    watch = Watch(run, clock)
    link: DeviceLink | None = None
    try:
        vault = opened(run.store)
        link = outside().paced(link_to(run.device), speed_limit(run.device))
        captured = _capture(run, vault, link, clock, watch)
    except AtticError as error:
        return _ended_badly(run, error, clock, began_reading=watch.began_reading)
    finally:
        if link is not None:
            link.close()
    run.worked_seconds, run.cost = max(0.0, (clock() - now).total_seconds()), watch.cost
    return _ended_well(run, captured)


def _capture(run: Run, vault: Vault, link: DeviceLink, clock: Clock, watch: "Watch") -> Captured:
    plan, device = run.plan, run.device
    if plan is None:
        raise Stopped("The plan of this run is gone.", remedy="Give the device another plan.")
    room, history = room_in(run.store, vault), read_and_stored(device)
    told = {"name": device.name, "holder": device.holder.name, "team": device.team.name if device.team else ""}
    request = Request(
        device=str(device.id),
        device_told=told,
        kinds=taken_kinds(plan),
        note=run.note,
        zone=office_zone().key,
        leave_out=leave_out_of(plan),
    )
    capture = Capture(
        link,
        Writer(vault),
        request,
        clock=clock,
        admit=lambda changed: watch.admitted(changed, admit(changed, room, history=history, store=run.store.name)),
        on_state=watch.met,
        on_progress=watch.tell,
        should_stop=watch.should_stop,
    )
    previous = _previous(run, vault)
    watch.before = {summary.kind: summary.items for summary in previous.kinds} if previous is not None else {}
    return capture.run(previous)


def _previous(run: Run, vault: Vault) -> Manifest | None:
    """The manifest that this run builds on; a missing or damaged one only means that more is read."""
    before = previous_backup(run.device, run.store)
    if before is None:
        return None
    try:
        return vault.manifest(before.id.bytes)
    except (NoSuchBackup, Damaged):
        return None


def _ended_well(run: Run, captured: Captured) -> Run:
    manifest = captured.manifest
    with transaction.atomic():
        run.backup = Backup.objects.create(
            id=UUID(bytes=manifest.id), device=run.device, run=run, finished_at=manifest.finished_at, items=manifest.items,
            size_bytes=manifest.size_bytes, kinds=told_kinds(manifest), family=run.device.family, os_version=captured.state.os_version,
            occasion=run.occasion, note=run.note, **_hold_of(run),
        )  # fmt: skip
        Copy.objects.create(backup=run.backup, store=run.store)
        run.state = RunState.PARTIAL if captured.skipped else RunState.COMPLETE
        run.finished_at, run.read_bytes, run.stored_bytes = manifest.finished_at, captured.read_bytes, captured.stored_bytes
        run.skipped = [{"kind": entry.kind, "name": entry.name, "reason": entry.reason} for entry in captured.skipped[:1000]]
        run.left_out = [asdict(entry) for entry in captured.left_out[:500]]
        run.cause_code = run.cause = run.remedy = ""
        run.log.append(log_line(manifest.finished_at, closing_sentence(run)))
        run.save()
        run_ended(run)
    return run


def _hold_of(run: Run) -> dict[str, Any]:
    """A backup taken for an occasion stays until somebody releases it, or its day is over."""
    if not run.occasion:
        return {}
    words = OCCASION_WORDS[Occasion(run.occasion)]
    return {"hold_reason": f"{words}: {run.note}"[:200] if run.note else words, "hold_by": run.by, "hold_until": run.hold_until}


def _waits_for_others(run: Run, clock: Clock) -> Run:
    """As many runs as the office allows are reading already; said once, looked at again soon."""
    if not run.log or run.log[-1]["says"] != WAITS:
        run.log.append(log_line(clock(), WAITS))
        run.save(update_fields=["log"])
        tell("run", str(run.id))
    defer_run(run, in_seconds=WAIT_SECONDS)
    return run


def _ended_badly(run: Run, error: AtticError, clock: Clock, *, began_reading: bool) -> Run:
    now = clock()
    run.cause_code, run.cause, run.remedy = error.code, error.message[:600], error.remedy[:600]
    run.log.append(log_line(now, error.message))
    again = None if run.stop_asked or run.gives_up_at is None else next_try(error, attempts=run.attempts, now=now, gives_up=run.gives_up_at)
    with transaction.atomic():
        if again is not None:
            run.state, run.next_try_at = RunState.WAITING, again
            run.log.append(log_line(now, f"Tried again in {spoken(again - now)}."))
            run.save()
            defer_run(run, in_seconds=max(1, round((again - now).total_seconds())))
            return run
        run.state = _state_after(error, began_reading)
        run.finished_at = now
        run.save()
        run_ended(run)
    return run


def _state_after(error: AtticError, began_reading: bool) -> RunState:
    if isinstance(error, DoesNotFit):
        return RunState.REFUSED
    if isinstance(error, Stopped):
        return RunState.STOPPED
    return RunState.INTERRUPTED if began_reading and isinstance(error, LinkError) else RunState.FAILED


class Watch:
    """Passes progress on to the row and to the viewers, not more often than anybody can read."""

    def __init__(self, run: Run, clock: Clock) -> None:
        self._run, self._clock = run, clock
        self._rest = rest_of(run.device)
        self._began = time.monotonic()
        self._told = self._asked = 0.0
        self._stage = ""
        self._stop = False
        self.began_reading = False
        self.before: dict[str, int] = {}
        """Kind → items in the backup that this one builds on."""

    @property
    def cost(self) -> dict[str, float]:
        """What reading cost, for the estimate of the next run."""
        found = self._rest.cost
        return {} if found is None else {"item": found.seconds_an_item, "byte": found.seconds_a_byte}

    def met(self, state: DeviceState) -> None:
        """The device has answered: keep what it says of itself, and write down what is not as it should be."""
        device, now = self._run.device, self._clock()
        present = outside().now()  # a clock that plays the past says nothing of the device's
        note_told(device, state, now=now)
        found = readiness(state, link=device.link, family=device.family, now=present)
        card = state.card if state.card is not None and state.card.present else None
        off = 0.0 if state.clock is None else (state.clock - present).total_seconds()
        self._run.told = {"clock_off_seconds": round(off, 1), "encrypted": card.encrypted if card else None}
        plan = self._run.plan
        if self._run.planned_for is not None and plan is not None and (held_back := unmet(conditions_of(plan), state, now=present)):
            raise held_back
        for finding in found:
            if finding.level == Level.WARNS and finding.code not in ("finder_lock", "card"):
                self._log(f"{finding.says} {finding.step}")

    def admitted(self, changed_bytes: int, expected_bytes: int) -> None:
        self._log(f"{iec(changed_bytes)} have changed; about {iec(expected_bytes)} will be stored.")

    def tell(self, progress: Progress) -> None:
        now = time.monotonic()
        entered = progress.stage != self._stage
        if progress.stage == "reading" and not self.began_reading:
            self.began_reading, self._began = True, now
        if not entered and now - self._told < TELL_EVERY_SECONDS:
            return
        if entered:
            self._stage = progress.stage
            self._run.stages.append({"stage": str(progress.stage), "at": self._clock().isoformat()})
            self._log(stage_words(progress.stage, "") + ".")
        self._told = now
        kinds = progress.kinds.values()
        read_items, to_read_items = sum(entry.read_items for entry in kinds), sum(entry.items - entry.unchanged for entry in kinds)
        if self.began_reading:
            self._rest.tell(
                now - self._began, done_items=read_items, done_bytes=progress.read_bytes, all_items=to_read_items,
                all_bytes=progress.to_read_bytes,
            )  # fmt: skip
        rest = self._rest.rest(now - self._began) if self._stage == "reading" else None
        self._run.progress = {
            "stage": progress.stage,
            "kind": progress.kind,
            "says": stage_words(progress.stage, progress.kind),
            "read_bytes": progress.read_bytes,
            "to_read_bytes": progress.to_read_bytes,
            "stored_bytes": progress.stored_bytes,
            "bytes_per_second": round(self._rest.bytes_per_second),
            "read_items": read_items,
            "to_read_items": to_read_items,
            "remaining_seconds": None if rest is None else round(rest.seconds),
            "remaining_least": None if rest is None else round(rest.least),
            "remaining_most": None if rest is None else round(rest.most),
            "kinds": [
                {
                    "kind": kind,
                    "items": entry.items,
                    "unchanged": entry.unchanged,
                    "before": self.before.get(kind, 0),
                    "read_items": entry.read_items,
                    "size_bytes": entry.size_bytes,
                    "to_read_bytes": entry.to_read_bytes,
                    "read_bytes": entry.read_bytes,
                }
                for kind, entry in progress.kinds.items()
            ],
        }
        Run.objects.filter(id=self._run.id).update(progress=self._run.progress, log=self._run.log, stages=self._run.stages)
        tell("run", str(self._run.id), self._run.progress)

    def should_stop(self) -> bool:
        """Whether somebody asked the run to stop; asked at most every second."""
        now = time.monotonic()
        if now - self._asked >= 1:
            self._asked = now
            self._stop = Run.objects.filter(id=self._run.id, stop_asked=True).exists()
        return self._stop

    def _log(self, says: str) -> None:
        self._run.log.append(log_line(self._clock(), says))
