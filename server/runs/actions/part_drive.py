"""Take a drive away: nothing new begins there, what is under way ends, everything is flushed, and only then it is said to be safe."""

from django.db import transaction
from procrastinate.contrib.django.models import ProcrastinateJob

from core.errors import AtticError
from server import ports
from server.api.problems import Conflict
from server.jobs import defer_compare, defer_copies, defer_look_for_drives, defer_removals
from server.live import publish
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.models import Backup, Run, RunState
from server.storage.actions.note_trouble import note_trouble
from server.storage.models import Drive, DriveState, Store
from server.transition import held, move

MOST_NAMED = 3


def part_drive(store: Store, *, by: User) -> None:
    """Raises Conflict for one that is not here."""
    with transaction.atomic():
        drive, now = _held(store), ports.clock().now()
        if drive.state == DriveState.OUT:
            raise Conflict(f"{store.name} is not plugged in.", remedy="Nothing to do.")
        if drive.state == DriveState.HERE:
            move(drive, DriveState.PARTING, asked_at=now, asked_by=by, hindered_by="")
            write_journal(who=by, what="drive.parting", facts={"store": store.name}, at=now, store=store.id)
        defer_look_for_drives()
    publish("changed", "stores")
    go_on_parting(store)


def use_drive_again(store: Store, *, by: User) -> None:
    """It stays after all. Raises Conflict for one that is not here."""
    with transaction.atomic():
        drive, now = _held(store), ports.clock().now()
        if drive.state == DriveState.OUT:
            raise Conflict(f"{store.name} is not plugged in.", remedy="Plug it in; it is used again by itself.")
        if drive.state != DriveState.HERE:
            move(drive, DriveState.HERE, asked_at=None, asked_by=None, hindered_by="", seen_at=now)
            write_journal(who=by, what="drive.stays", facts={"store": store.name}, at=now, store=store.id)
            defer_removals(store.id)
            defer_copies(store.id)
            defer_compare(store.id)
    publish("changed", "stores")


def go_on_parting(store: Store) -> Drive:
    """Parted if nothing goes on there any more and everything is flushed; else what it waits for. Called again and again."""
    drive = Drive.objects.get(store=store.id)
    if drive.state != DriveState.PARTING:
        return drive
    try:
        hindered = _goes_on(store)
        if not hindered:
            ports.stores().flush_drive(store.where)
            hindered = [f"the program {name}" for name in ports.stores().drive_held_by(store.where)]
        hindered = hindered or _goes_on(store)
    except AtticError as error:  # it may have been pulled out just now
        note_trouble(store.id, error)
        hindered = [error.message]
    with transaction.atomic():
        drive = _held(store)
        if drive.state != DriveState.PARTING:
            return drive
        if hindered:
            words = "; ".join(hindered[:MOST_NAMED])[:300]
            if words == drive.hindered_by:
                return drive
            drive.hindered_by = words
            drive.save(update_fields=["hindered_by"])
        else:
            move(drive, DriveState.PARTED, hindered_by="", pulled_out=False)
            write_journal(who=drive.asked_by, what="drive.parted", facts={"store": store.name}, at=ports.clock().now(), store=store.id)
    publish("changed", "stores")
    return drive


def _held(store: Store) -> Drive:
    """Raises Conflict."""
    if not Drive.objects.filter(store=store.id).exists():
        raise Conflict(f"{store.name} is no drive.", remedy="Detach it instead, if it is not to be used.")
    return held(Drive, store.id, "store", "asked_by")


_JOB_WORDS = {
    "carry_copies": "copies are being written", "check_store": "a check reads it", "sweep_store": "it is being swept",
    "apply_rules": "rules are applied",
    "finish_removals": "what leaves is being removed", "erase": "something is being erased", "measure_store": "it is being measured",
    "compare_store": "it is being compared", "write_office": "what the office knows is being written",
}  # fmt: skip


def _goes_on(store: Store) -> list[str]:
    """What works there now, in words."""
    id = str(store.id)
    jobs = ProcrastinateJob.objects.filter(status="doing", args__store_id=id).values_list("task_name", flat=True)
    hindrances = [_JOB_WORDS.get(name, name) for name in sorted(set(jobs))]
    runs = Run.objects.filter(state=RunState.RUNNING, store=store).count()
    hindrances += [f"{runs} {'run writes' if runs == 1 else 'runs write'} into it"] if runs else []
    # through the columns' own names: restores and drills belong to an app further right
    restoring = Backup.objects.filter(restores__state="running", copies__store=store, copies__state__in=("present", "leaving")).exists()
    hindrances += ["a restore may read from it"] if restoring else []
    return [*hindrances, *(["a drill reads it"] if store.drills.filter(state="running").exists() else [])]
