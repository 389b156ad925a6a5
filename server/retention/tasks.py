"""Jobs of the queue that belong to retention."""

from uuid import UUID

from procrastinate.contrib.django import app

from server.outside import outside


@app.task(name="look_after", queue="care")
def look_after_device(device_id: str, store_id: str) -> None:
    """After a run: apply the rule, free space, measure."""
    from server.retention.actions.look_after import look_after

    look_after(UUID(device_id), UUID(store_id))


@app.periodic(cron="40 * * * *")
@app.task(name="sweep_stores", queue="care", queueing_lock="sweep_stores")
def sweep_stores(timestamp: int) -> None:
    """Every hour: free what has waited out its grace period, and measure."""
    from server.retention.actions.look_after import sweep_store
    from server.storage.actions.measure import measure_store
    from server.storage.queries import stores

    now = outside().now()
    for store in stores():
        sweep_store(store, now=now)
        measure_store(store, now=now)
