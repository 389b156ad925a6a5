"""A worker died with jobs in its hands: each goes on, whatever becomes of the others. On the queue itself, outside of a transaction."""

import asyncio
from types import SimpleNamespace
from uuid import uuid4

from django.db import connection
from django.test import TransactionTestCase
from procrastinate import App
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from server.jobs import defer_copies, defer_run
from server.runs.tasks import revive


class AWorkerThatDied(TransactionTestCase):
    def setUp(self):
        with connection.cursor() as cursor:
            cursor.execute("delete from procrastinate_jobs")

    def test_a_job_of_which_another_one_waits_already_takes_no_other_with_it(self):
        store = uuid4()
        defer_copies(store)
        defer_run(uuid4(), uuid4())
        with connection.cursor() as cursor:
            cursor.execute("insert into procrastinate_workers (last_heartbeat) values (now() - interval '1 hour') returning id")
            (dead,) = cursor.fetchone()
            cursor.execute("update procrastinate_jobs set status = 'doing', worker_id = %s, attempts = 1", [dead])
        defer_copies(store)  # the clock has asked again meanwhile
        self.assertEqual(self.states(), [("carry_copies", "doing"), ("carry_copies", "todo"), ("carry_out_run", "doing")])
        with app.replace_connector(app.connector.get_worker_connector()) as worker, self.assertLogs("attic.runs", "WARNING"):
            asyncio.run(self.revived(worker))
        self.assertEqual(self.states(), [("carry_copies", "todo"), ("carry_out_run", "todo")])

    @staticmethod
    async def revived(worker: App) -> None:
        async with worker.open_async():
            await revive.func(SimpleNamespace(app=worker), 0)

    def states(self) -> list[tuple[str, str]]:
        return sorted(ProcrastinateJob.objects.values_list("task_name", "status"))
