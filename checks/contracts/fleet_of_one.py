"""One simulated device in this process, over real sockets, with its knobs at hand."""

import os
import shutil
import tempfile
from dataclasses import replace
from datetime import date
from pathlib import Path
from typing import Any
from unittest import TestCase

from adapters.links.agent import AgentLink
from adapters.links.agent_pairing import pair
from standins.device import SimulatedDevice
from standins.fleet import Habits, Persona
from standins.life import Life

PERSONA = Persona(
    slug="test-phone", family="orlo", model="P1", os_version="9", holder="nobody", team="none", serial="OR-1",
    storage_total_bytes=1 << 36,
    habits=Habits(contacts=12, photos=6, photos_a_day=2, events=5, conversations=3, apps=2),
)  # fmt: skip


class FleetOfOne(TestCase):
    """A device that listens; `paired()` gives a link to it."""

    def setUp(self) -> None:
        folder = Path(tempfile.mkdtemp(prefix="attic-device-"))
        self.addCleanup(shutil.rmtree, folder)
        self.life = Life(folder, PERSONA)
        self.life.live_until(date(2026, 3, 2))
        self.simulated = SimulatedDevice(PERSONA, self.life)
        self.simulated.listen()
        self.addCleanup(self.simulated.leave)
        self.address = f"http://127.0.0.1:{self.simulated.port}"

    def another(self, **changes: Any) -> tuple[SimulatedDevice, AgentLink]:
        """Another device, of another life, paired too."""
        persona = replace(PERSONA, slug="other-phone", serial="OR-2", **changes)
        folder = Path(tempfile.mkdtemp(prefix="attic-device-"))
        self.addCleanup(shutil.rmtree, folder)
        life = Life(folder, persona)
        life.live_until(date(2026, 3, 2))
        device = SimulatedDevice(persona, life)
        device.listen()
        self.addCleanup(device.leave)
        address = f"http://127.0.0.1:{device.port}"
        link = AgentLink(address, pair(address, device.code, server_name="test").key, random=os.urandom, timeout_seconds=5)
        self.addCleanup(link.close)
        return device, link

    def paired(self) -> AgentLink:
        self.key = pair(self.address, self.simulated.code, server_name="test").key
        return self.linked(self.key)

    def linked(self, key: bytes, *, patience_seconds: float = 60) -> AgentLink:
        """Another connection."""
        link = AgentLink(self.address, key, random=os.urandom, timeout_seconds=5, patience_seconds=patience_seconds)
        self.addCleanup(link.close)
        return link
