"""Families of operating system, as a table of data: what each can give, and what must be switched on first.

Both families are made up for the simulated devices; a folder has no family of its own.
"""

from dataclasses import dataclass

from core.content.digests import is_record
from core.content.kinds import KINDS


@dataclass(frozen=True, slots=True, kw_only=True)
class Family:
    code: str
    label: str
    kinds: frozenset[str]
    """Codes of the kinds that its agent can read."""
    first_time: tuple[str, ...]
    """What the holder does before the first backup, in order."""
    data_access: str
    """Where its data access is switched on, as an instruction."""
    accept: str
    """Where its holder says yes to this server."""
    finder: str
    """Where its finder lock is switched off."""
    not_seen: tuple[str, ...]
    """What to look at when it is not seen at all, likeliest first."""


_COMMON = {
    "contacts", "calendar", "messages", "attachments", "calls", "photos", "recordings", "documents",
    "alarms", "apps", "app_data", "settings", "wireless",
}  # fmt: skip

FAMILIES = {
    "orlo": Family(
        code="orlo",
        label="Orlo",
        kinds=frozenset(_COMMON | {"notes", "logins", "health", "home_screen", "music", "videos"}),
        first_time=(
            "Unlock the device.",
            "Open Settings, Data access, and allow Old Attic.",
            "Type the code that is shown there, or scan it.",
            "Say yes to the question that the device then asks.",
        ),
        data_access="On the device: Settings, Data access, allow Old Attic.",
        accept="On the device: unlock it and say yes to the question whether Old Attic may read it.",
        finder="On the device: Settings, Account, Find this device, off; it asks for the password of its holder's account.",
        not_seen=(
            "Is it awake and on the office wireless? Its status line shows the name of the network.",
            "Settings, Data access: is it on, and is Old Attic allowed? Some updates switch it off.",
            "With a cable: use one that carries data, straight into the server, and look whether the device says that it is connected.",
            "The first time on a cable the server needs the driver for its family; unplug, wait ten seconds, plug in again.",
            "Restart the device; then look again here.",
        ),
    ),
    "brenta": Family(
        code="brenta",
        label="Brenta",
        kinds=frozenset(_COMMON | {"videos", "card"}),
        first_time=(
            "Unlock the device.",
            "Switch on Field sharing in System.",
            "Type the code that is shown there, or scan it.",
            "Press both side keys when the device asks, to say yes.",
        ),
        data_access="On the device: System, Field sharing, on.",
        accept="On the device: unlock it and press both side keys when it asks.",
        finder="On the device: System, Recovery beacon, off; it asks for the password of its holder's account.",
        not_seen=(
            "Is it awake and on the office wireless? Out of the field it may still be on a field network.",
            "System, Field sharing: is it on? It goes off by itself after a week without use.",
            "With a cable: open the cover, use a cable that carries data, and choose Files, not Charge only.",
            "Its card is only seen when Expose card as drive is on.",
            "Restart the device; then look again here.",
        ),
    ),
    "other": Family(
        code="other",
        label="Another make",
        kinds=frozenset(KINDS),
        first_time=("Start the file server on the device and note the name and password that it shows.",),
        data_access="On the device: start the file server again and let it reach the files.",
        accept="",
        finder="On the device: where it is found and locked from afar; its holder switches it off with their own password.",
        not_seen=(
            "Is the file server on the device running? Many stop with the screen.",
            "Is it on the office network, and has it the address that is known here?",
            "Restart the device; then look again here.",
        ),
    ),
    "folder": Family(
        code="folder",
        label="Folder",
        kinds=frozenset(KINDS),
        first_time=("Make sure that the folder is mounted on the server.",),
        data_access="On the server: let the account that runs Old Attic read the folder.",
        accept="",
        finder="",
        not_seen=(
            "Is the drive mounted at the same path as before?",
            "Is the synchronisation that fills the folder still signed in?",
            "May the account that runs Old Attic read the folder?",
        ),
    ),
}


def travels(kind: str, *, source: str, target: str) -> bool:
    """Whether items of this kind can be written to a device of family `target`.

    Between families, another make among them, only contacts and calendar travel (common practice, no published source).
    A place that keeps files takes everything, as files; files go from it to any device.
    """
    if target == "folder" or (source == target and source != "other"):
        return True
    return KINDS[kind].crosses or (source in ("folder", "other") and not is_record(kind))
