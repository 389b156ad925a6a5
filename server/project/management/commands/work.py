"""`work POOL`: carry out the jobs of one pool, as many side by side as the register says."""

import asyncio
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from procrastinate import App
from procrastinate.contrib.django import app

from server.jobs import AT_ONCE, Pool

POLL_SECONDS = 1.0
GRACE_SECONDS = 8.0
"""How long a worker that is told to stop waits for what it is doing; what is cut off goes on under another one."""


class Command(BaseCommand):
    """Works on the jobs of one pool."""

    help = "Carry out the jobs of a pool until told to stop."

    def add_arguments(self, parser: CommandParser) -> None:
        """As Django asks for it."""
        parser.add_argument("pool", choices=[str(pool) for pool in Pool])

    def handle(self, *args: Any, **options: Any) -> None:
        """As Django asks for it."""
        with app.replace_connector(app.connector.get_worker_connector()) as worker:  # type: ignore[attr-defined]
            asyncio.run(_work(worker, Pool(options["pool"])))


async def _work(worker: App, pool: Pool) -> None:
    # the queue hands jobs to the loop's threads, of which there would be only a few more than cores
    asyncio.get_running_loop().set_default_executor(ThreadPoolExecutor(AT_ONCE[pool] + 2, thread_name_prefix=str(pool)))
    async with worker.open_async():
        await worker.run_worker_async(
            queues=[str(pool)],
            name=str(pool),
            concurrency=AT_ONCE[pool],
            fetch_job_polling_interval=POLL_SECONDS,
            delete_jobs="successful",
            shutdown_graceful_timeout=GRACE_SECONDS,
        )
