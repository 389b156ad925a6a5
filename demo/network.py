"""The demo's hand on the simulated devices: their control page, over HTTP."""

from datetime import date
from typing import Any

import httpx
from django.conf import settings


class Network:
    """Turns knobs and reads screens."""

    def __init__(self) -> None:
        base = settings.ATTIC_ENV.announcements_url.removesuffix("/announcements")
        self._client = httpx.Client(base_url=base, timeout=60)

    def screens(self) -> dict[str, dict[str, Any]]:
        """What each device shows: its pairing code, and for SFTP how to sign in."""
        shown: list[dict[str, Any]] = self._client.get("/control").json()["devices"]
        return {str(row["device"]): row for row in shown}

    def cloud(self) -> dict[str, str]:
        """Where the office's cloud answers, and with what key."""
        state: dict[str, str] = self._client.get("/control/cloud").json()
        return state

    def boathouse(self) -> dict[str, Any]:
        """Where the computer in the boathouse answers, and how to sign in."""
        fields: dict[str, Any] = self._client.get("/control/boathouse").json()
        return fields

    def plug(self, drive: str, *, in_: bool) -> None:
        """Plug a removable drive in, or take it out."""
        self._client.post("/control/drives", json={drive: in_}).raise_for_status()

    def turn(self, device: str, **knobs: object) -> None:
        self._client.post(f"/control/{device}", json=knobs).raise_for_status()

    def lose(self, device: str, kind: str) -> None:
        self._client.post(f"/control/{device}/lose", json={"kind": kind}).raise_for_status()

    def live_until(self, day: date) -> None:
        self._client.post("/day", json={"day": day.isoformat()}).raise_for_status()
