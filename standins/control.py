"""The stand-ins' control server: the office network's announcements, the screens of the devices, and the knobs.

`GET /announcements` is the office network: it lists the devices that can be seen on it. `POST
/control/DEVICE` turns knobs, `…/accept` and `…/ask-again` are its holder's fingers, `…/delete` removes an item, `…/lose` most of a kind,
`POST /scenario` turns the knobs of many, `POST /day` lets the fleet, or one device, live until a date. `/mailbox` shows the
office's mail, `POST /hooked` takes webhooks. Only on loopback.
"""

import json
from datetime import date
from fnmatch import fnmatch
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlsplit

from standins.boathouse import Boathouse
from standins.cloud.office import OfficeCloud
from standins.device import SimulatedDevice
from standins.drives import Drives
from standins.knobs import SCENARIOS
from standins.mailbox import Mailbox
from standins.page import page
from standins.sftp import SftpDevice


class ControlServer(ThreadingHTTPServer):
    """The page and the announcements of a fleet."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(
        self,
        port: int,
        devices: list[SimulatedDevice],
        sftp: list[SftpDevice] | None = None,
        mailbox: Mailbox | None = None,
        cloud: OfficeCloud | None = None,
        boathouse: Boathouse | None = None,
    ) -> None:
        self.devices = {device.id: device for device in devices}
        self.sftp = {device.id: device for device in sftp or []}
        self.mailbox, self.cloud, self.boathouse = mailbox, cloud, boathouse
        self.drives: Drives | None = None
        super().__init__(("127.0.0.1", port), _Page)

    def any_device(self, id: str) -> SimulatedDevice | SftpDevice:
        return self.devices[id] if id in self.devices else self.sftp[id]

    def all_devices(self) -> list[SimulatedDevice | SftpDevice]:
        return [*self.devices.values(), *self.sftp.values()]

    def play(self, name: str) -> None:
        """Raises ValueError for a scenario that does not exist."""
        if name not in SCENARIOS:
            raise ValueError(f"no such scenario: {name}")
        for pattern, knobs in SCENARIOS[name][1].items():
            for device in self.all_devices():
                if fnmatch(device.id, pattern):
                    device.turn(knobs)
                    if knobs.get("asks_holder") and isinstance(device, SimulatedDevice):
                        device.accept(False)


class _Page(BaseHTTPRequestHandler):
    server: ControlServer

    def do_GET(self) -> None:
        match urlsplit(self.path).path:
            case "/":
                server = self.server
                shown = page(server.devices.values(), server.sftp.values(), server.cloud, server.boathouse, server.drives)
                self._send(200, "text/html; charset=utf-8", shown.encode())
            case "/announcements":
                seen = [device.announced() for device in self.server.devices.values() if not device.knobs.away]
                self._json(200, {"devices": seen})
            case "/mailbox" if self.server.mailbox is not None:
                self._send(200, "text/html; charset=utf-8", self.server.mailbox.page().encode())
            case "/mailbox.json" if self.server.mailbox is not None:
                self._json(200, {"letters": self.server.mailbox.letters(), "hooked": self.server.mailbox.hooked})
            case "/control/cloud" if self.server.cloud is not None:
                self._json(200, self.server.cloud.described())
            case "/control/boathouse" if self.server.boathouse is not None:
                self._json(200, self.server.boathouse.described())
            case "/control/drives" if self.server.drives is not None:
                self._json(200, self.server.drives.described())
            case "/control":
                self._json(200, {"devices": [device.described() for device in self.server.all_devices()]})
            case _:
                self._json(404, {"error": "unknown"})

    def do_POST(self) -> None:
        body = self.rfile.read(min(int(self.headers.get("Content-Length") or 0), 1 << 20))
        if urlsplit(self.path).path == "/hooked" and self.server.mailbox is not None:
            self.server.mailbox.take_hook({name.lower(): value for name, value in self.headers.items()}, body)
            self._json(200, {})
            return
        is_form = self.headers.get("Content-Type", "").startswith("application/x-www-form-urlencoded")
        try:
            fields = _from_form(body) if is_form else json.loads(body or b"{}")
            self._act(urlsplit(self.path).path.strip("/").split("/"), fields)
        except (ValueError, KeyError) as error:
            self._json(400, {"error": str(error)})
            return
        if is_form:
            self.send_response(303)
            self.send_header("Location", "/mailbox" if self.path == "/mailbox" else "/")
            self.send_header("Content-Length", "0")
            self.end_headers()
        else:
            self._json(200, {})

    def _act(self, parts: list[str], fields: dict[str, Any]) -> None:
        match parts:
            case ["day"]:
                day = date.fromisoformat(fields["day"])
                for device in [self.server.devices[fields["device"]]] if "device" in fields else self.server.devices.values():
                    device.life.live_until(day)
                for quiet in self.server.sftp.values():
                    quiet.live_until(day)
            case ["mailbox"] if self.server.mailbox is not None:
                for name, value in fields.items():
                    if name not in ("hangs", "refuses") or not isinstance(value, bool):
                        raise ValueError(f"no such switch: {name}")
                    setattr(self.server.mailbox, name, value)
            case ["scenario"]:
                self.server.play(fields["name"])
            case ["control", "cloud"] if self.server.cloud is not None:
                self.server.cloud.troubles.turn(fields)
            case ["control", "boathouse"] if self.server.boathouse is not None:
                self.server.boathouse.turn(fields)
            case ["control", "drives"] if self.server.drives is not None:
                for name, plugged in fields.items():
                    self.server.drives.plug(name, in_=plugged is True)
            case ["control", id]:
                self.server.any_device(id).turn(fields)
            case ["control", id, "accept"]:
                self.server.devices[id].accept(True)
            case ["control", id, "ask-again"]:
                self.server.devices[id].accept(False)
            case ["control", id, "new-host-key"]:
                other = self.server.sftp[id]
                other.hang_up()
                other.renew_host_key()
                other.listen()
            case ["control", id, "delete"]:
                self.server.devices[id].life.forget(fields["kind"], fields["id"])
            case ["control", id, "lose"]:
                self.server.devices[id].life.lose(fields["kind"])
            case ["control", id, "unpair"]:
                self.server.devices[id].life.set_fact("device_key", None)
                self.server.devices[id].new_code()
            case _:
                raise ValueError("unknown")

    def log_message(self, format: str, *args: Any) -> None:
        """Quiet."""

    def _json(self, status: int, answer: dict[str, Any]) -> None:
        self._send(status, "application/json", json.dumps(answer).encode())

    def _send(self, status: int, kind: str, content: bytes) -> None:
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)


def _from_form(body: bytes) -> dict[str, Any]:
    """One knob from a button of the page: `name=value`, read as JSON."""
    return {name: json.loads(values[0]) for name, values in parse_qs(body.decode()).items()}
