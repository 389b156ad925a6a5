"""Saltmarsh & Pike, a made-up firm of land and coastal surveyors: people, stores, plans, devices, and what befell them."""

from datetime import time

from core.units import DAYS, MIB

NAME, ZONE = "Saltmarsh & Pike", "Europe/Berlin"
PASSWORD = "saltmarsh attic"  # noqa: S105 - a made-up office
PASSPHRASE = "low tide at the old sluice"  # noqa: S105
PEOPLE = (("ines", "Ines Varga", "administrator"), ("piet", "Piet Quist", "operator"), ("ulla", "Ulla Holm", "auditor"))
NIGHTS = 15

STORES = {"Server room": ("server-room", 48 * MIB), "Safe drive": ("safe-drive", None)}

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
_WEEK = list(range(7))
PLANS = (
    {
        "name": "Field nightly", "kinds": _ALL, "days": _WEEK, "starts_at": time(22), "window_closes": time(6), "store": "Server room",
        "promise_seconds": 3 * DAYS, "keep_last": 3, "keep_daily": 7, "keep_weekly": 6, "keep_monthly": 12,
        "devices": ("tab11-okafor", "field8-lindqvist", "field8-spare", "field10-abadi", "field6-thorne"),
    },
    {
        "name": "Phones", "kinds": _ALL, "days": _WEEK, "starts_at": time(21, 30), "window_closes": time(6), "store": "Server room",
        "promise_seconds": 2 * DAYS, "keep_last": 3, "keep_daily": 5, "keep_weekly": 4, "keep_monthly": 6,
        "devices": ("p5-dufour", "p4-moreau", "p5-ito", "p4-castellan", "p4-brandt"),
    },
    {
        "name": "Tables twice a week", "kinds": _ALL, "days": [0, 3], "starts_at": time(20), "window_closes": time(23, 30),
        "store": "Safe drive", "promise_seconds": 8 * DAYS, "keep_last": 2, "keep_daily": 0, "keep_weekly": 8, "keep_monthly": 12,
        "devices": ("tab9-desk", "folder"),
    },
)  # fmt: skip

TEAMS = {
    "tab11-okafor": "Shore Crew", "field8-lindqvist": "Shore Crew", "field8-spare": "Shore Crew", "field10-abadi": "Inland Crew",
    "field6-thorne": "Inland Crew", "p5-dufour": "Inland Crew", "p4-moreau": "Drawing Room", "p5-ito": "Drawing Room",
    "tab9-desk": "Drawing Room", "p4-castellan": "Front Desk", "p4-brandt": "Front Desk",
}  # fmt: skip
UNPAIRED = ("p5-nygaard",)
"""On the network, waiting to be added by whoever tries the demo."""

TROUBLES: dict[int, tuple[tuple[str, dict[str, object]], ...]] = {
    # nights before the last one → knobs that are turned in the afternoon before
    15: (("p4-castellan", {"data_access": False}),),
    11: (("field10-abadi", {"drop_at_byte": 60_000}),),
    9: (("p5-ito", {"locked": True}),),
    8: (("p5-ito", {"locked": False}), ("field8-spare", {"away": True})),
    6: (("tab11-okafor", {"away": True}),),
    4: (("p4-brandt", {"away": True}),),
    3: (("p4-brandt", {"away": False}), ("field8-lindqvist", {"away": True})),
    1: (("p4-moreau", {"locked": True}),),
}
LOST = ("field8-spare", 8)
"""Device and how many nights before the last one it was lost at sea."""
