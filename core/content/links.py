"""How devices are reached, as a table of data: what each link is called and what it cannot tell or do.

Screens show what a link cannot tell as not told; they do not invent it.
"""

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class LinkFacts:
    code: str
    label: str
    cannot: tuple[str, ...] = ()
    """Codes of the findings about which this link says nothing."""
    limits: tuple[str, ...] = ()
    """What it cannot do, in whole sentences for people."""


_FILES_ONLY = (
    "Only files are seen: no contacts, messages or settings, unless the device writes them into files.",
    "It cannot tell whether the device is locked, on power, or on the office wireless.",
    "It cannot tell which accounts keep content in step, nor whether the finder lock is on.",
)
_UNTOLD = ("accepted", "data_access", "locked", "power", "battery", "network", "clock", "finder_lock", "card")

LINKS = {
    "agent": LinkFacts(code="agent", label="Agent"),
    "folder": LinkFacts(
        code="folder",
        label="Folder",
        cannot=("paired", *_UNTOLD),
        limits=(*_FILES_ONLY, "A folder that is synchronised shows what has arrived, not what is on the device now."),
    ),
    "sftp": LinkFacts(code="sftp", label="SFTP", cannot=_UNTOLD, limits=_FILES_ONLY),
    "none": LinkFacts(
        code="none",
        label="Not linked yet",
        cannot=("paired", *_UNTOLD, "space"),
        limits=("It stands in the register only: pair it, or give it a folder or SFTP, before it can be backed up.",),
    ),
}
