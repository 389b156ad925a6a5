"""Jobs that belong to retention. Thin: each calls one action."""

from uuid import UUID

from server import ports
from server.jobs import APPLY_RULES, ERASE, FINISH_REMOVALS, MEASURE_STORE, OWE_COPIES, OWE_MAINTENANCE, SWEEP_STORE, fulfils
from server.people.clock import in_doubt
from server.retention.actions.end_settling import end_settling
from server.retention.actions.erase_in import erase_in
from server.retention.actions.finish_removals import finish_removals
from server.retention.actions.look_after import look_after, sweep_store
from server.retention.actions.measure import measure
from server.retention.actions.owe_copies import owe_copies
from server.retention.actions.owe_maintenance import owe_maintenance
from server.storage.queries import store


@fulfils(OWE_MAINTENANCE)
def owe_maintenance_job(timestamp: int) -> None:
    """What the clock finds to be due in the stores is put into the queue."""
    owe_maintenance(now=ports.clock().now())


@fulfils(OWE_COPIES)
def owe_copies_job() -> None:
    """The job of this name; its action says what it does."""
    owe_copies(now=ports.clock().now())


@fulfils(APPLY_RULES)
def apply_rules_job(store_id: str) -> None:
    """The job of this name; its action says what it does."""
    look_after(UUID(store_id))


@fulfils(FINISH_REMOVALS)
def finish_removals_job(store_id: str) -> None:
    """The job of this name; its action says what it does."""
    if not in_doubt():
        finish_removals(store(UUID(store_id)), now=ports.clock().now())
        end_settling(UUID(store_id))


@fulfils(ERASE)
def erase_job(store_id: str) -> None:
    """The job of this name; its action says what it does."""
    if not in_doubt():
        erase_in(UUID(store_id), now=ports.clock().now())


@fulfils(SWEEP_STORE)
def sweep_store_job(store_id: str) -> None:
    """Free what has waited out its grace period."""
    sweep_store(store(UUID(store_id)), now=ports.clock().now())


@fulfils(MEASURE_STORE)
def measure_store_job(store_id: str) -> None:
    """The job of this name; its action says what it does."""
    measure(store(UUID(store_id)), now=ports.clock().now())
