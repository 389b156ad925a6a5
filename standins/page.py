"""The control page: what each device shows on its screen, with its code to scan, and the trouble it can be in."""

import html
import json
from collections.abc import Iterable

import segno

from standins.boathouse import Boathouse
from standins.cloud.office import OfficeCloud
from standins.device import SimulatedDevice
from standins.drives import Drives
from standins.knobs import SCENARIOS
from standins.sftp import SftpDevice

_STYLE = """
body { font: 15px/1.5 system-ui, sans-serif; margin: 24px auto; max-width: 1180px; padding: 0 16px; color: #1d2a27; background: #f4f5f1 }
section { display: grid; grid-template-columns: 200px 230px 1fr; gap: 16px; padding: 10px 0; border-top: 1px solid #cfd6d1 }
code { font-size: 19px; letter-spacing: .12em } form { display: inline } button { margin: 2px 4px 2px 0 } .on { background: #f3dca9 }
svg { display: block; margin-top: 4px } small { color: #4e5a56 } summary { cursor: pointer }
"""
_SWITCHES = (
    ("away", "away or unplugged"), ("elsewhere", "another network"), ("locked", "locked"), ("data_access", "data access"),
    ("asks_holder", "asks its holder"), ("finder_lock", "finder lock"), ("on_power", "on power"),
    ("in_use", "in use"), ("full", "storage full"),
    ("card_encrypted", "card encrypted"), ("account_off", "work account off"), ("own_cloud_policy", "own cloud off by policy"),
    ("lie_about_sizes", "lies about sizes"),
    ("strange_names", "strange names"), ("announce_twice", "one photo twice"),
)  # fmt: skip
_NUMBERS = (
    ("battery_percent", "battery %"), ("slow_bytes_per_second", "bytes a second"), ("drop_at_byte", "drop at byte"),
    ("unplug_at_byte", "unplug at byte"), ("clock_off_seconds", "clock off by s"),
    ("own_cloud_percent", "own cloud full %"), ("own_cloud_stopped_days", "own cloud stopped for days"),
)  # fmt: skip


_CLOUD_SWITCHES = (("away", "away"),)
_CLOUD_NUMBERS = (
    ("slow_down_every", "slow down every"), ("fail_every", "fail every"), ("cut_every", "cut every"), ("lie_every", "lie every"),
    ("latency_ms", "latency ms"), ("bytes_per_second", "bytes a second"), ("allowance_bytes", "allowance bytes"),
    ("away_every_hours", "away one hour of"), ("clock_off_seconds", "clock off by s"),
)  # fmt: skip


def page(
    devices: Iterable[SimulatedDevice],
    sftp: Iterable[SftpDevice],
    cloud: OfficeCloud | None = None,
    boathouse: Boathouse | None = None,
    drives: Drives | None = None,
) -> str:
    rows = [_row(device) for device in devices] + [_sftp_row(device) for device in sftp]
    rows += [] if cloud is None else [_cloud_row(cloud)]
    rows += [] if boathouse is None else [_boathouse_row(boathouse)]
    rows += [] if drives is None else [_drives_row(drives)]
    played = "".join(
        f"<form method=post action=/scenario><input type=hidden name=name value='{json.dumps(name)}'>"
        f"<button title='{html.escape(words)}'>{name}</button></form>"
        for name, (words, _) in SCENARIOS.items()
    )
    intro = "<h1>Simulated devices</h1><p>What their screens show, and the trouble they can be in. Yellow is switched on.</p>"
    intro += "<p><a href=/mailbox>The office's mailbox</a></p>"
    head = f"<meta charset=utf-8><title>Simulated devices</title><style>{_STYLE}</style>"
    return f"<!doctype html><html lang=en>{head}{intro}<p>Scenarios: {played}</p>{''.join(rows)}"


def _row(device: SimulatedDevice) -> str:
    fields, knobs = device.described(), device.knobs
    buttons = "".join(_switch(device.id, name, label, getattr(knobs, name)) for name, label in _SWITCHES)
    numbers = "".join(_number(device.id, name, label, getattr(knobs, name)) for name, label in _NUMBERS)
    name = f"<b>{html.escape(fields['model'])}</b><br>{html.escape(fields['holder'])}<br><small>{html.escape(fields['serial'])}</small>"
    return f"<section id={device.id}><div>{name}</div><div>{_screen(device)}</div><div>{buttons}{numbers}</div></section>"


def _screen(device: SimulatedDevice) -> str:
    if not device.paired:
        code = device.shown_code()
        picture = segno.make(f"attic-pair:{device.id}:{code}", error="m").svg_inline(scale=3)
        return f"pairing code<br><code>{code}</code><details><summary>show it to be scanned</summary>{picture}</details>"
    if not device.accepted:
        question = "May Old Attic read this device?"
        return f"<b>{question}</b><br><form method=post action=/control/{device.id}/accept><button class=on>yes</button></form>"
    return f"paired<br><form method=post action=/control/{device.id}/ask-again><button>ask its holder again</button></form>"


def _sftp_row(device: SftpDevice) -> str:
    fields = device.described()
    name = f"<b>{html.escape(fields['model'])}</b><br>{html.escape(fields['holder'])}<br><small>{html.escape(fields['serial'])}</small>"
    door = fields["sftp"]
    screen = f"SFTP at 127.0.0.1:{fields['port']}<br>{door['username']} / {door['password']}<br><small>{door['fingerprint']}</small>"
    buttons = "".join(_switch(device.id, knob, label, getattr(device.knobs, knob)) for knob, label in _SWITCHES[:3:2])
    renew = f"<form method=post action=/control/{device.id}/new-host-key><button>new host key, as after a reset</button></form>"
    return f"<section id={device.id}><div>{name}</div><div>{screen}</div><div>{buttons}{renew}</div></section>"


def _cloud_row(cloud: OfficeCloud) -> str:
    fields = cloud.described()
    name = f"<b>The office's cloud</b><br>bucket {fields['bucket']}<br><small>{fields['stored_bytes']} bytes</small>"
    keys = f"{fields['endpoint']}<br>{fields['access_key']} / {fields['secret_key']}"
    counts = ", ".join(f"{count} {html.escape(name)}" for name, count in sorted(fields["requests"].items()))
    buttons = "".join(_switch("cloud", knob, label, fields["knobs"][knob]) for knob, label in _CLOUD_SWITCHES)
    numbers = "".join(_number("cloud", knob, label, fields["knobs"][knob]) for knob, label in _CLOUD_NUMBERS)
    return f"<section id=cloud><div>{name}</div><div>{keys}<br><small>{counts}</small></div><div>{buttons}{numbers}</div></section>"


def _boathouse_row(boathouse: Boathouse) -> str:
    fields = boathouse.described()
    name = f"<b>The computer in the boathouse</b><br>folder {fields['folder']}"
    door = f"SFTP at {fields['host']}:{fields['port']}<br>{fields['username']} / {fields['password']}"
    door += f"<br><small>{fields['fingerprint']}</small>"
    button = _switch("boathouse", "away", "away", fields["away"])
    return f"<section id=boathouse><div>{name}</div><div>{door}</div><div>{button}</div></section>"


def _drives_row(drives: Drives) -> str:
    there = {html.escape(name): plugged for name, plugged in drives.described().items()}
    buttons = "".join(_switch("drives", name, f"{name} plugged in", plugged) for name, plugged in there.items())
    return f"<section id=drives><div><b>Removable drives</b></div><div>yellow is plugged in</div><div>{buttons}</div></section>"


def _switch(device: str, name: str, label: str, value: bool) -> str:
    field = f"<input type=hidden name={name} value={json.dumps(not value)}>"
    return f"<form method=post action=/control/{device}>{field}<button class={'on' if value else 'off'}>{label}</button></form>"


def _number(device: str, name: str, label: str, value: int) -> str:
    field = f"<input name={name} value={value} size=7 aria-label='{label}'>"
    return f"<form method=post action=/control/{device}> {label} {field}<button>set</button></form>"
