"""Jobs that keep an eye on the office. Thin: each calls one action."""

from uuid import UUID

from server import ports
from server.jobs import AFTER_RUN, AGE_OUT, defer_watch, fulfils
from server.oversight.actions.age_out import age_out
from server.oversight.actions.anomalies import look_for_anomalies
from server.retention.actions.owe_copies import owe_copies_of
from server.runs.queries import backup_of_run


@fulfils(AFTER_RUN)
def after_run(run_id: str) -> None:
    """Look whether what came is as usual; then look at the office again."""
    backup = backup_of_run(UUID(run_id))
    if backup is not None:
        look_for_anomalies(backup, now=ports.clock().now())
        owe_copies_of(backup.device_id, now=ports.clock().now())
    defer_watch()


@fulfils(AGE_OUT)
def age_out_job(timestamp: int) -> None:
    """The job of this name; its action says what it does."""
    age_out(now=ports.clock().now())
