"""Jobs that belong to recovery. Thin: each calls one action."""

from uuid import UUID

from server import ports
from server.jobs import CARRY_OUT_DRILL, CARRY_OUT_RESTORE, OWE_DRILLS, REQUEUE, WRITE_OFFICE, fulfils
from server.recovery.actions.carry_out import carry_out
from server.recovery.actions.carry_out_drill import carry_out_drill
from server.recovery.actions.end_exports import end_exports
from server.recovery.actions.owe_drills import owe_drills
from server.recovery.actions.requeue import requeue_lost
from server.recovery.actions.write_office import write_into


@fulfils(CARRY_OUT_RESTORE)
def carry_out_restore(restore_id: str) -> None:
    """The job of this name; its action says what it does."""
    carry_out(UUID(restore_id))


@fulfils(REQUEUE)
def requeue(timestamp: int) -> None:
    """Restores, imports and copies that no job speaks of any more; and the end of exports whose time is over."""
    requeue_lost(now=ports.clock().now())
    end_exports(now=ports.clock().now())


@fulfils(WRITE_OFFICE)
def write_office(store_id: str) -> None:
    """What this server knows besides its backups, for whoever opens the store after it."""
    write_into(UUID(store_id))


@fulfils(OWE_DRILLS)
def owe_drills_job(timestamp: int) -> None:
    """The job of this name; its action says what it does."""
    owe_drills(now=ports.clock().now())


@fulfils(CARRY_OUT_DRILL)
def carry_out_drill_job(drill_id: str) -> None:
    """The job of this name; its action says what it does."""
    carry_out_drill(UUID(drill_id))
