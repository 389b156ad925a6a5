"""Ask for a drill, and stop one."""

from django.db import IntegrityError, transaction

from server import ports
from server.api.problems import Conflict
from server.fleet.models import Device
from server.jobs import defer_drill
from server.live import publish
from server.people.actions.journal import write_journal
from server.people.models import User
from server.recovery.drills import newest_copies
from server.recovery.models import Drill, DrillState
from server.runs.models import Copy
from server.storage.models import Store
from server.transition import held, move


def ask_drill(device: Device, *, store: Store | None, by: User) -> Drill:
    """Of its newest backup, there or at the nearest place. Raises Conflict."""
    copies = newest_copies(device.id, store=store.id if store else None)
    if not copies:
        where = f" in {store.name}" if store else ""
        raise Conflict(f"{device.name} has no whole backup{where} that can be read now.", remedy="Take a backup, or bring the store back.")
    drill = begin_drill(min(copies, key=lambda copy: (copy.store.off_site, copy.store.name)), by=by)
    if drill is None:
        raise Conflict(f"A drill of {device.name} is under way already.", remedy="Wait for its end; its result stands on this page.")
    return drill


def begin_drill(copy: Copy, *, by: User | None) -> Drill | None:
    """Into the queue; None while one of this device is under way."""
    try:
        with transaction.atomic():
            drill = Drill.objects.create(
                device=copy.backup.device, backup=copy.backup, store=copy.store, by=by, asked_at=ports.clock().now(),
                of_items=copy.backup.items, of_bytes=copy.backup.size_bytes,
            )  # fmt: skip
            if by is not None:
                write_journal(
                    who=by,
                    what="drill.asked",
                    facts={"device": copy.backup.device.name, "store": copy.store.name},
                    at=drill.asked_at,
                    device=copy.backup.device_id,
                    store=copy.store_id,
                )
            defer_drill(drill.id)
    except IntegrityError:
        return None
    publish("changed", "drills")
    return drill


@transaction.atomic
def stop_drill(drill: Drill, *, by: User) -> None:
    """A waiting one ends at once, a running one with its next piece. Raises Conflict when it has ended."""
    row, now = held(Drill, drill.id, "device"), ports.clock().now()
    if row.state == DrillState.WAITING:
        move(row, DrillState.STOPPED, finished_at=now, stop_asked=True, cause="It was stopped before it began.")
    elif row.state == DrillState.RUNNING:
        row.stop_asked = True
        row.save(update_fields=["stop_asked"])
    else:
        raise Conflict("This drill has ended already.", remedy="Nothing to do.")
    write_journal(who=by, what="drill.stopped", facts={"device": row.device.name}, at=now, device=row.device_id)
    publish("changed", "drills")
