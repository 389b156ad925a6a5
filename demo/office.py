"""Saltmarsh & Pike, a made-up firm of land and coastal surveyors: people, stores, plans, devices, and what befell them."""

from datetime import time
from typing import Any

from core.units import DAYS, KIB, MIB

NAME, ZONE = "Saltmarsh & Pike", "Europe/Berlin"
PASSWORD = "saltmarsh attic"  # noqa: S105 - a made-up office
PASSPHRASE = "low tide at the old sluice"  # noqa: S105
PEOPLE = (("ines", "Ines Varga", "administrator"), ("piet", "Piet Quist", "operator"), ("ulla", "Ulla Holm", "auditor"))
NIGHTS = 15

STORES = {"Server room": ("server-room", 128 * MIB), "Safe drive": ("safe-drive", None)}
DRIVES = ("Safe drive",)
CLOUD, CLOUD_ALLOWANCE, CLOUD_LIMIT = "North cloud", 22 * MIB, 192 * KIB
"""A bucket that the field plan copies to, slowly: some copies are owed when the demo begins, and are carried while one looks."""
CLOUD_PLANS = ("Field nightly",)
BOATHOUSE, BOATHOUSE_PLANS = "Boathouse", ("Tables twice a week",)
"""A computer on the same pier, reached over SFTP."""
CARRIED_BEFOREHAND = {CLOUD: 22, BOATHOUSE: 5}
"""Copies that lie there when the demo begins."""

ROTATION = ("Weekly", (("Blue drive", "blue", "Piet Quist", ""), ("Red drive", "red", "", "the safe")))
"""Drives that take turns: name, folder, who takes it home, where it rests. It is the first one's turn, and nobody has plugged it in."""
ROTATION_PLANS = ("Tables twice a week",)
ROTATION_BEGAN, ROTATION_SEEN = 4, 9
"""Days ago: the turn that goes on began, and both were plugged in last."""
ROTATION_HOLDS = 9
"""Copies on each."""
DRILLED = ("p5-dufour", "field10-farrow", "tab11-ito")

_ALL = [
    "contacts",
    "calendar",
    "messages",
    "attachments",
    "calls",
    "photos",
    "recordings",
    "documents",
    "notes",
    "alarms",
    "apps",
    "app_data",
    "settings",
    "wireless",
    "logins",
]
PLANS = (
    {
        "name": "Field nightly", "catch_up": True, "leaves_out_away_days": True,
        "reach": "all_but", "kinds": ["apps"], "rule": "FREQ=DAILY",
        "starts_at": time(22), "window_closes": time(6),
        "store": "Server room",
        "promise_seconds": 3 * DAYS, "keep_last": 3, "keep_daily": 4, "keep_weekly": 6, "keep_monthly": 12,
        "devices": ("field*", "tab11-okafor"),
    },
    {
        "name": "Phones", "catch_up": True, "needs_battery_percent": 20, "leaves_out_away_days": True,
        "kinds": _ALL, "rule": "FREQ=DAILY", "starts_at": time(21, 30), "window_closes": time(6), "store": "Server room",
        "promise_seconds": 2 * DAYS, "own_cloud_seconds": 7 * DAYS, "keep_last": 3, "keep_daily": 3, "keep_weekly": 4, "keep_monthly": 6,
        "keep_minimum_age_seconds": 3 * DAYS,
        "devices": ("p4-*", "p5-*", "ridge2-*"), "larger_than_bytes": 256 * MIB, "exclusions": ({"kind": "apps", "under": "Sketchbook"},),
    },
    {
        "name": "Tables twice a week", "skips_closed_days": True, "leaves_out_closed_days": True,
        "reach": "everything", "kinds": [], "rule": "FREQ=WEEKLY;BYDAY=WE,SU", "starts_at": time(20),
        "window_closes": time(23, 30),
        "store": "Safe drive", "promise_seconds": 8 * DAYS, "keep_last": 2, "keep_daily": 0, "keep_weekly": 8, "keep_monthly": 12,
        "devices": ("tab9-*", "tab11-moreau", "tab11-ito", "tab11-sandvik", "folder"),
    },
)  # fmt: skip

SFTP = "ridge2-logger"
UNPAIRED = ("p5-nygaard",)
"""On the network, waiting to be added by whoever tries the demo."""

TROUBLES: dict[int, tuple[tuple[str, dict[str, object]], ...]] = {
    # nights before the last one → knobs that are turned in the afternoon before
    15: (
        ("p4-castellan", {"data_access": False}),
        ("p4-moreau", {"account_off": True}),
        ("p5-jansen", {"own_cloud_policy": True}),
        ("p4-pellow", {"own_cloud_percent": 94}),
    ),
    8: (("p5-ito", {"locked": True}), ("field8-spare", {"away": True}), ("field8-holm", {"away": True}), ("p5-sandvik", {"away": True})),
    7: (("p5-ito", {"locked": False}),),
    6: (("tab11-okafor", {"away": True}), ("p5-jansen", {"locked": True})),
    5: (("p5-jansen", {"locked": False}), ("field8-holm", {"away": False})),
    4: (("p4-brandt", {"away": True}), ("field6-varga", {"drop_at_byte": 20_000}), ("field10-abadi", {"unplug_at_byte": 60_000})),
    3: (
        ("p4-brandt", {"away": False}),
        ("field10-abadi", {"away": False, "unplug_at_byte": 0}),
        ("field8-lindqvist", {"away": True}),
        ("tab9-reception", {"data_access": False}),
    ),
    2: (("p4-ypma", {"on_power": False, "battery_percent": 22}), ("field10-jansen", {"card_encrypted": True})),
    1: (("p4-moreau", {"locked": True}), ("p5-abadi", {"finder_lock": True})),
}
FILLS = ("p4-wick", 91)
"""Device whose own cloud account fills: how full it would be on the last night in per cent, and one less on each night before."""
FILLED_DAYS = 40
"""For how long its account has done so; days on which nothing asked it are drawn, and said to be."""
LOST = ("field8-spare", 8)
"""Device and how many nights before the last one it was lost at sea."""
ON_LEAVE = ("p5-sandvik", 8, 6)
"""Device, since how many nights before the last one it is away, and for how many days from today on."""
NOT_LINKED = {
    "name": "Brenta Field 8", "holder": "spare 3", "team": "Shore Crew", "family": "brenta", "make": "Brenta", "model": "Field 8",
    "serial": "BX-770031", "asset_tag": "SP-038", "note": "In the drawer of the equipment room.",
}  # fmt: skip
"""Bought, in the register, and linked to nothing yet."""
BEFORE_REPAIR = ("p4-pellow", "screen is cracked")
REMOVED = ("p4-moreau", "Taken while its mail was being moved, and half of it twice")
"""A backup that somebody let go by hand, and why; it can be kept after all for a week."""
RETIRED_KEEP = {"last": 1, "minimum_age_seconds": 7 * DAYS, "ask_after": [2, "years"]}
"""What is kept of devices that are retired or lost."""
RETIRED_TABLET = "tab9-plotter"
"""Retired, with all its moments in the cloud."""
DRAWN = {"North cloud": (18, 0.04), "Server room": (60, 0.45), "": (60, 0.6)}
"""Store → so many days before today are drawn, and what part of today's bytes the first of them held; under nothing all others."""
MEASURED_STORE, OVER_TEAM, OVER_DAYS = "Server room", "Inland Crew", 9
SHORT_DEVICE, SHORT_BYTES = "field6-varga", 2 * KIB
"""A device in whose allowance there is no room for another night."""
LOST_PHOTOS = ("field6-thorne", 1, "photos")
"""Device, how many nights before the last one, and of which kind most items were deleted by mistake."""
CLOSED_AHEAD = ((12, 24, "Christmas Eve"), (12, 25, "Christmas Day"), (12, 26, "Second day of Christmas"), (1, 1, "New Year"))
CLOSED_BACK = (19, "Stock-taking")
"""How many days before today the office was closed."""
WISHES: dict[str, dict[str, Any]] = {
    "ines": {"email": "ines@saltmarsh.example", "wants_digest": True, "wants_alerts": True},
    "piet": {"email": "piet@saltmarsh.example"},
}
HOLDER_MAIL = "{name}@saltmarsh.example"
TO_BE_WIPED, SECOND_STORE = "p4-wick", "Safe drive"
LOOKED_AT = ("p5-dufour", "p4-wick", "field10-farrow", "tab11-ito", "ridge2-logger", "folder")
