"""Jobs that keep an eye on the office. Thin: each calls one rule or action."""

from uuid import UUID

from procrastinate.contrib.django import app

from server.outside import outside
from server.queue import defer_once


@app.task(name="after_run", queue="care")
def after_run(run_id: str) -> None:
    """Look whether what came is as usual; then look at the office again."""
    from server.oversight.odd import look_for_oddities
    from server.runs.models import Backup

    backup = Backup.objects.select_related("device", "run").filter(run=UUID(run_id)).first()
    if backup is not None:
        look_for_oddities(backup, now=outside().now())
    defer_once("watch", queue="care", timestamp=0)
