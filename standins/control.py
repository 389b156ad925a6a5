"""The stand-ins' own page: what each device shows on its screen, and the knobs that make trouble.

`GET /announcements` is the office network: it lists the devices that can be seen on it. `POST
/control/DEVICE` turns knobs, `POST /control/DEVICE/delete` removes an item, `POST /day` lets the whole
fleet live until a date. All of it only on loopback.
"""

import html
import json
from datetime import date
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlsplit

from standins.agent import SimulatedDevice

_STYLE = """
body { font: 15px/1.5 system-ui, sans-serif; margin: 24px auto; max-width: 1100px; color: #1d2a27; background: #f4f5f1 }
section { display: grid; grid-template-columns: 220px 190px 1fr; gap: 16px; padding: 10px 0; border-top: 1px solid #cfd6d1 }
code { font-size: 19px; letter-spacing: .12em } form { display: inline } button { margin: 2px 4px 2px 0 } .on { background: #f3dca9 }
"""
_SWITCHES = (
    ("away", "away or unplugged"), ("locked", "locked"), ("data_access", "data access"), ("finder_lock", "finder lock"),
    ("on_power", "on power"), ("full", "storage full"), ("lie_about_sizes", "lies about sizes"), ("strange_names", "strange names"),
)  # fmt: skip
_NUMBERS = (("battery_percent", "battery %"), ("slow_bytes_per_second", "bytes a second"), ("drop_at_byte", "drop at byte"))


class ControlServer(ThreadingHTTPServer):
    """The page and the announcements of a fleet."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, port: int, devices: list[SimulatedDevice]) -> None:
        self.devices = {device.id: device for device in devices}
        super().__init__(("127.0.0.1", port), _Page)


class _Page(BaseHTTPRequestHandler):
    server: ControlServer

    def do_GET(self) -> None:
        match urlsplit(self.path).path:
            case "/":
                self._send(200, "text/html; charset=utf-8", _page(self.server.devices).encode())
            case "/announcements":
                seen = [device.announced() for device in self.server.devices.values() if not device.knobs.away]
                self._json(200, {"devices": seen})
            case "/control":
                self._json(200, {"devices": [device.described() for device in self.server.devices.values()]})
            case _:
                self._json(404, {"error": "unknown"})

    def do_POST(self) -> None:
        body = self.rfile.read(min(int(self.headers.get("Content-Length") or 0), 1 << 20))
        is_form = self.headers.get("Content-Type", "").startswith("application/x-www-form-urlencoded")
        try:
            told = _from_form(body) if is_form else json.loads(body or b"{}")
            self._act(urlsplit(self.path).path.strip("/").split("/"), told)
        except (ValueError, KeyError) as error:
            self._json(400, {"error": str(error)})
            return
        if is_form:
            self.send_response(303)
            self.send_header("Location", "/")
            self.send_header("Content-Length", "0")
            self.end_headers()
        else:
            self._json(200, {})

    def _act(self, parts: list[str], told: dict[str, Any]) -> None:
        match parts:
            case ["day"]:
                for device in self.server.devices.values():
                    device.life.live_until(date.fromisoformat(told["day"]))
            case ["control", id]:
                self.server.devices[id].turn(told)
            case ["control", id, "delete"]:
                self.server.devices[id].life.forget(told["kind"], told["id"])
            case ["control", id, "unpair"]:
                self.server.devices[id].life.set_fact("device_key", None)
                self.server.devices[id].new_code()
            case _:
                raise ValueError("unknown")

    def log_message(self, format: str, *args: Any) -> None:
        """Quiet."""

    def _json(self, status: int, told: dict[str, Any]) -> None:
        self._send(status, "application/json", json.dumps(told).encode())

    def _send(self, status: int, kind: str, content: bytes) -> None:
        self.send_response(status)
        self.send_header("Content-Type", kind)
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        self.wfile.write(content)


def _from_form(body: bytes) -> dict[str, Any]:
    """One knob from a button of the page: `name=value`, read as JSON."""
    return {name: json.loads(values[0]) for name, values in parse_qs(body.decode()).items()}


def _page(devices: dict[str, SimulatedDevice]) -> str:
    rows = []
    for device in devices.values():
        told, knobs = device.described(), device.knobs
        screen = "paired" if told["paired"] else f"pairing code<br><code>{told['code']}</code>"
        buttons = "".join(_switch(device.id, name, label, getattr(knobs, name)) for name, label in _SWITCHES)
        numbers = "".join(_number(device.id, name, label, getattr(knobs, name)) for name, label in _NUMBERS)
        name = f"<b>{html.escape(told['model'])}</b><br>{html.escape(told['holder'])}"
        rows.append(f"<section id={device.id}><div>{name}</div><div>{screen}</div><div>{buttons}{numbers}</div></section>")
    intro = "<h1>Simulated devices</h1><p>What their screens show, and the trouble they can be in. Yellow is switched on.</p>"
    return f"<!doctype html><html lang=en><meta charset=utf-8><title>Simulated devices</title><style>{_STYLE}</style>{intro}{''.join(rows)}"


def _switch(device: str, name: str, label: str, value: bool) -> str:
    field = f"<input type=hidden name={name} value={json.dumps(not value)}>"
    return f"<form method=post action=/control/{device}>{field}<button class={'on' if value else 'off'}>{label}</button></form>"


def _number(device: str, name: str, label: str, value: int) -> str:
    field = f"<input name={name} value={value} size=7 aria-label='{label}'>"
    return f"<form method=post action=/control/{device}> {label} {field}<button>set</button></form>"
