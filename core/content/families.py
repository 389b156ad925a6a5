"""Families of operating system, as a table of data: what each can give, and what must be switched on first.

Both families are made up for the simulated devices; a folder has no family of its own.
"""

from dataclasses import dataclass

from core.content.kinds import KINDS


@dataclass(frozen=True, slots=True, kw_only=True)
class Family:
    code: str
    label: str
    kinds: frozenset[str]
    """Codes of the kinds that its agent can read."""
    first_time: tuple[str, ...]
    """What the holder does before the first backup, in order."""


_COMMON = {
    "contacts", "calendar", "messages", "attachments", "calls", "photos", "recordings", "documents",
    "alarms", "apps", "app_data", "settings", "wireless",
}  # fmt: skip

FAMILIES = {
    "orlo": Family(
        code="orlo",
        label="Orlo",
        kinds=frozenset(_COMMON | {"notes", "logins", "health", "home_screen"}),
        first_time=("Unlock the device.", "Open Settings, Data access, and allow Old Attic.", "Type the code that is shown there."),
    ),
    "brenta": Family(
        code="brenta",
        label="Brenta",
        kinds=frozenset(_COMMON | {"videos", "card"}),
        first_time=("Unlock the device.", "Switch on Field sharing in System.", "Type the code that is shown there."),
    ),
    "folder": Family(
        code="folder",
        label="Folder",
        kinds=frozenset(KINDS),
        first_time=("Make sure that the folder is mounted on the server.",),
    ),
}


def travels(kind: str, *, source: str, target: str) -> bool:
    """Whether items of this kind can be written to a device of family `target`.

    Between families only contacts and calendar travel (common practice, no published source). A folder
    takes everything.
    """
    return source == target or target == "folder" or KINDS[kind].crosses
