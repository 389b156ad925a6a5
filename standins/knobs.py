"""The troubles that a simulated device can be in, one by one, and scenarios that put many devices into them at once."""

from dataclasses import dataclass, fields
from typing import Any


@dataclass(slots=True)
class Knobs:
    """Troubles that somebody can switch on."""

    away: bool = False
    locked: bool = False
    data_access: bool = True
    asks_holder: bool = False
    """Pairing waits until its holder has said yes."""
    finder_lock: bool = False
    on_power: bool = True
    battery_percent: int = 86
    elsewhere: bool = False
    """Reached over another network than the office wireless."""
    full: bool = False
    card_encrypted: bool = False
    in_use: bool = False
    """Somebody has it in hand now; otherwise nobody has touched it for an hour and a half."""
    clock_off_seconds: int = 0
    slow_bytes_per_second: int = 0
    """0 is as fast as it goes."""
    drop_at_byte: int = 0
    """Cuts the connection once, after so many bytes of content; it answers again at once. 0 never."""
    unplug_at_byte: int = 0
    """Cuts the connection after so many bytes and stays away. 0 never."""
    lie_about_sizes: bool = False
    strange_names: bool = False
    """Announces a photo under a name that tries to leave its folder, and one with markup."""
    announce_twice: bool = False
    """An inventory of photos in which one stands twice."""
    other_serial: str = ""
    """Says that it is another device."""
    protocol: int = 3
    """The newest version of the protocol that it speaks; 1 tells no digests and takes one item a request, 2 tells of no own cloud."""
    reorders: bool = False
    """Keeps the members and lists of a record in another order than they were written in, as many devices do."""
    account_off: bool = False
    """Its work account is switched off by policy."""
    own_cloud_policy: bool = False
    """Its own cloud backup is switched off by whoever manages its account."""
    own_cloud_stopped_days: int = 0
    """For how many days its own cloud backup has not succeeded."""
    own_cloud_percent: int = 0
    """How full its own cloud account is; 0 as it comes."""
    update_pending: str = ""
    """The version of its software that waits to be installed."""


def checked(changes: dict[str, Any]) -> dict[str, Any]:
    """Raises ValueError for a knob that does not exist or a value of another type."""
    known = {field.name: type(field.default) for field in fields(Knobs)}
    for name, value in changes.items():
        if name not in known or type(value) is not known[name]:
            raise ValueError(f"no such knob or value: {name}={value!r}")
    return changes


CALM: dict[str, Any] = {
    "away": False, "locked": False, "data_access": True, "finder_lock": False, "on_power": True, "battery_percent": 86, "elsewhere": False,
    "full": False,
    "in_use": False, "card_encrypted": False, "clock_off_seconds": 0, "slow_bytes_per_second": 0, "drop_at_byte": 0, "unplug_at_byte": 0,
    "lie_about_sizes": False, "strange_names": False, "announce_twice": False, "other_serial": "", "account_off": False,
    "own_cloud_policy": False, "own_cloud_stopped_days": 0, "own_cloud_percent": 0,
    "update_pending": "", "reorders": False, "protocol": 3,
}  # fmt: skip

SCENARIOS: dict[str, tuple[str, dict[str, dict[str, Any]]]] = {
    "calm": ("everything works", {"*": CALM}),
    "field week": ("field tablets are away, phones are out on another network", {
        "field10-*": {"away": True}, "field8-*": {"away": True}, "field6-*": {"elsewhere": True, "on_power": False, "battery_percent": 41},
    }),
    "after an update": ("half of the Orlos ask their holders again and have data access off", {
        "p5-*": {"data_access": False}, "tab11-*": {"data_access": False}, "p4-*": {"asks_holder": True},
    }),
    "bad cables": ("connections break, some for good", {
        "p4-*": {"drop_at_byte": 200_000}, "field6-*": {"unplug_at_byte": 60_000}, "tab9-*": {"slow_bytes_per_second": 40_000},
    }),
    "liars": ("devices that contradict themselves", {
        "p5-*": {"lie_about_sizes": True}, "p4-*": {"strange_names": True}, "tab9-*": {"announce_twice": True},
        "field6-*": {"other_serial": "BX-000000"},
    }),
    "flat and full": ("low batteries, full storage, wrong clocks", {
        "p4-*": {"on_power": False, "battery_percent": 9}, "field8-*": {"full": True}, "tab*": {"clock_off_seconds": 900},
    }),
}  # fmt: skip
"""Name → (what it is like, pattern of device ids → knobs)."""
