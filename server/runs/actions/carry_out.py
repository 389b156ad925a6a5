"""Carry out a run: open store and device, capture, record the backup; end in one of the states, with a cause.

Idempotent: a run whose worker died is carried out again and uses what was stored. A scheduled run that
failed for a reason that may pass is tried again while its window is open.
"""

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta
from uuid import UUID

from django.db import transaction

from core.content.link import DeviceLink
from core.quota.admission import DoesNotFit, admit
from core.vault.capture import Capture, Captured, Request
from core.vault.errors import Damaged, NoSuchBackup, Stopped, StoreFull
from core.vault.manifests import Manifest
from core.vault.vault import Vault
from core.vault.writer import Writer
from server import ports
from server.fleet.convert import link_to, put_away
from server.live import publish
from server.people.queries import office_zone
from server.plans.choices import choices, kinds_taken
from server.plans.convert import leave_out_of
from server.runs.actions.end_run import ended_badly, ended_well, give_up
from server.runs.actions.fall_over import fallen_over, opened_for
from server.runs.actions.mend_store import mended_by_run
from server.runs.actions.take_place import WAIT_SECONDS, took_place
from server.runs.actions.watch_run import RunWatch
from server.runs.models import ACTIVE, Run, RunState
from server.runs.pace import speed_limit
from server.runs.queries import previous_backup, read_and_stored, row_of_run
from server.runs.queries import run as run_by_id
from server.runs.rooms import rooms_of
from server.runs.sentences import log_line
from server.transition import held

Clock = Callable[[], datetime]
WAITS = "Waits until another run has ended."
EARLY = timedelta(seconds=2)
"""A queue may wake a run so much before its time."""


def carry_out(run_id: UUID, *, clock: Clock | None = None) -> Run:
    """The run as it ended. A run that has ended before is left as it is."""
    clock = clock or ports.clock().now
    run, now = row_of_run(run_id), clock()
    if run.state not in ACTIVE or (run.next_try_at is not None and now < run.next_try_at - EARLY):
        return run
    if run.gives_up_at is not None and now >= run.gives_up_at:
        return give_up(run_id, now)
    if not took_place(run_id, now=now):
        return _waits_for_others(run_id, now)
    run = run_by_id(run_id)
    watch = RunWatch(run, clock)
    link: DeviceLink | None = None
    try:
        vault = opened_for(run)
        link = ports.devices().paced(link_to(run.device), speed_limit(run.device, run))
        try:
            captured = _capture(run, vault, link, clock, watch)
        except (DoesNotFit, StoreFull) as error:
            captured = _capture(run, fallen_over(run, error), link, clock, watch)
    except Exception as error:  # whatever it is, the run ends with it: `ended_badly` names it, or logs it in full
        watch.flush()
        return ended_badly(run_id, error, began_reading=watch.began_reading, now=clock())
    finally:
        if link is not None:
            put_away(link)
    ended = ended_well(run_id, captured, worked_seconds=max(0.0, (clock() - now).total_seconds()), cost=watch.cost)
    mended_by_run(ended, vault)
    return ended


def _capture(run: Run, vault: Vault, link: DeviceLink, clock: Clock, watch: "RunWatch") -> Captured:
    plan, device = run.plan, run.device
    if plan is None:
        raise Stopped("The plan of this run is gone.", remedy="Give the device another plan.")
    rooms, history = rooms_of(run, vault), read_and_stored(device)
    progress = {
        "name": device.name, "holder": device.holder.name, "team": device.team.name if device.team else "",
        "serial": device.serial, "family": device.family,
    }  # fmt: skip
    request = Request(
        device=str(device.id),
        device_told=progress,
        kinds=kinds_taken(plan, device, choices()),
        note=run.note,
        zone=office_zone().key,
        leave_out=replace(leave_out_of(plan), erased=frozenset(device.erased), device=str(device.id)),
    )
    capture = Capture(
        link,
        Writer(vault),
        request,
        clock=clock,
        admit=lambda changed: watch.admitted(changed, admit(changed, rooms, history=history)),
        is_over=watch.is_over,
        on_state=lambda state: watch.met(state, link),
        on_progress=watch.tell,
        should_stop=watch.should_stop,
    )
    previous = _previous(run, vault)
    watch.before = {summary.kind: summary.items for summary in previous.kinds} if previous is not None else {}
    try:
        return capture.run(previous)
    except Stopped:
        if watch.overrun is not None:
            raise watch.overrun from None
        raise


def _previous(run: Run, vault: Vault) -> Manifest | None:
    """The manifest that this run builds on; a missing or damaged one only means that more is read."""
    before = previous_backup(run.device, run.store)
    if before is None:
        return None
    try:
        return vault.manifest(before.id.bytes)
    except (NoSuchBackup, Damaged):
        return None


@transaction.atomic
def _waits_for_others(run_id: UUID, now: datetime) -> Run:
    """As many runs as the office allows are reading already; said once, looked at again soon by the clock."""
    run = held(Run, run_id, "device__holder", "store", "plan")
    if run.state == RunState.WAITING:
        run.next_try_at = now + timedelta(seconds=WAIT_SECONDS)
        if not run.log or run.log[-1]["says"] != WAITS:
            run.log.append(log_line(now, WAITS))
            publish("run", str(run.id))
        run.save(update_fields=["next_try_at", "log"])
    return run
