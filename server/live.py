"""Live events: told by any process, heard by every browser, over PostgreSQL's NOTIFY.

One listening connection a process serves all of its viewers. An event carries what it is about and the
whole new state of it, so that no viewer costs a query; what does not fit into a notification is sent
as a mere hint to load again.
"""

import asyncio
import json
from collections.abc import AsyncIterator
from typing import Any

import psycopg
from django.conf import settings
from django.db import connection

CHANNEL = "attic_live"
MAX_NOTIFICATION_BYTES = 7_900
QUEUE_EVENTS = 200
HEARTBEAT_SECONDS = 15


def publish(topic: str, id: str, state: dict[str, Any] | None = None) -> None:
    """Announce that something changed; takes effect with the surrounding transaction."""
    payload = json.dumps({"topic": topic, "id": id, "state": state}, separators=(",", ":"), default=str)
    if len(payload.encode()) > MAX_NOTIFICATION_BYTES:
        payload = json.dumps({"topic": topic, "id": id, "state": None})
    with connection.cursor() as cursor:
        cursor.execute("select pg_notify(%s, %s)", [CHANNEL, payload])


class Hub:
    """The viewers of this process."""

    def __init__(self) -> None:
        self._queues: set[asyncio.Queue[str]] = set()
        self._task: asyncio.Task[None] | None = None

    async def events(self) -> AsyncIterator[str]:
        """Events from now on, as JSON; an empty one now and then shows that the line is open."""
        queue: asyncio.Queue[str] = asyncio.Queue(QUEUE_EVENTS)
        self._queues.add(queue)
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._listen())
        try:
            while True:
                try:
                    yield await asyncio.wait_for(queue.get(), HEARTBEAT_SECONDS)
                except TimeoutError:
                    yield ""
        finally:
            self._queues.discard(queue)
            if not self._queues and self._task is not None:
                self._task.cancel()
                self._task = None

    async def _listen(self) -> None:
        database: dict[str, Any] = settings.DATABASES["default"]
        while True:
            try:
                async with await psycopg.AsyncConnection.connect(
                    host=database["HOST"], port=database["PORT"], dbname=connection.settings_dict["NAME"], user=database["USER"],
                    password=database["PASSWORD"], autocommit=True,
                ) as line:  # fmt: skip
                    await line.execute(f"LISTEN {CHANNEL}")
                    self._spread(json.dumps({"topic": "again", "id": "", "state": None}))
                    async for notification in line.notifies():
                        self._spread(notification.payload)
            except psycopg.OperationalError:
                await asyncio.sleep(1)  # the database restarts; viewers are told to load again once it is back

    def _spread(self, payload: str) -> None:
        for queue in self._queues:
            if queue.full():
                queue.get_nowait()
            queue.put_nowait(payload)


hub = Hub()
