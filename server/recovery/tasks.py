"""Jobs of the queue that belong to recovery."""

from uuid import UUID

from procrastinate.contrib.django import app


@app.task(name="carry_out_restore", queue="runs")
def carry_out_restore(restore_id: str) -> None:
    from server.recovery.actions.carry_out import carry_out

    carry_out(UUID(restore_id))
