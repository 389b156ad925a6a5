"""The live line: one listener a process, whole states, no query a viewer."""

import asyncio
import json
from typing import Any

from asgiref.sync import sync_to_async
from django.db import connections
from django.test import TransactionTestCase

from server.live import MAX_NOTIFICATION_BYTES, Hub, publish


class TheLiveLine(TransactionTestCase):
    def heard(self, viewers: int, *arguments: tuple[str, str, dict[str, Any] | None]) -> list[list[dict[str, Any]]]:
        """What each viewer hears after the line is open."""

        async def watch(hub: Hub, ready: asyncio.Event) -> list[dict[str, Any]]:
            seen: list[dict[str, Any]] = []
            async for event in hub.events():
                if not event:
                    continue
                known = json.loads(event)
                if known["topic"] == "again":
                    ready.set()
                    continue
                seen.append(known)
                if len(seen) == len(arguments):
                    break
            return seen

        async def play() -> list[list[dict[str, Any]]]:
            hub, events = Hub(), [asyncio.Event() for _ in range(viewers)]
            tasks = [asyncio.create_task(watch(hub, event)) for event in events]
            await asyncio.wait_for(asyncio.gather(*(event.wait() for event in events)), 10)
            for topic, id, state in arguments:
                await sync_to_async(publish)(topic, id, state)
            heard_by = await asyncio.wait_for(asyncio.gather(*tasks), 10)
            await sync_to_async(connections.close_all)()
            return heard_by

        return asyncio.run(play())

    def test_every_viewer_hears_the_whole_state_in_order(self):
        entries = [("run", "r1", {"read_bytes": n}) for n in range(3)]
        for heard in self.heard(3, *entries):
            self.assertEqual(heard, [{"topic": "run", "id": "r1", "state": {"read_bytes": n}} for n in range(3)])

    def test_what_is_too_long_for_a_notification_becomes_a_hint(self):
        heard = self.heard(1, ("run", "r1", {"says": "ü" * MAX_NOTIFICATION_BYTES}))
        self.assertEqual(heard, [[{"topic": "run", "id": "r1", "state": None}]])
