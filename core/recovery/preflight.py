"""Before a restore: what blocks it and what to know, each with the step that resolves it.

The list of blockers is common practice, no published source.
"""

from collections.abc import Iterable
from dataclasses import dataclass

from core.content.digests import is_record
from core.content.families import FAMILIES, travels
from core.content.kinds import KINDS
from core.content.link import DeviceState
from core.units import iec


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    code: str
    blocks: bool
    says: str
    remedy: str


PERSONAL = ("messages", "attachments", "calls", "mail", "notes", "logins", "health")
"""Kinds that are nobody else's to read."""


def preflight(
    state: DeviceState,
    *,
    kinds: Iterable[str],
    source_family: str,
    source_version: str,
    needed_bytes: int,
    holders: tuple[str, str] | None = None,
) -> list[Finding]:
    """Findings in the order in which to resolve them; blockers first. `holders`: whose it is and whose device it goes to, where
    these are two people and the device is in use."""
    found: list[Finding] = []
    kinds = list(kinds)

    def add(code: str, blocks: bool, says: str, remedy: str) -> None:
        found.append(Finding(code=code, blocks=blocks, says=says, remedy=remedy))

    if state.locked:
        add("locked", True, "The device is locked.", "Ask its holder to unlock it with the passcode, on the device.")
    if state.finder_lock:
        add(
            "finder_lock",
            True,
            "The device-finder lock is on.",
            "Its holder must switch it off, on the device, with their own account password.",
        )
    if state.data_access is False:
        add("data_access", True, "Data access is switched off.", "Switch it on in the settings of the device.")
    stuck = [kind for kind in kinds if not travels(kind, source=source_family, target=state.family)]
    if stuck:
        source, target = FAMILIES[source_family].label, FAMILIES[state.family].label
        names = ", ".join(KINDS[kind].label.lower() for kind in stuck)
        add(
            "family",
            True,
            f"{names.capitalize()} cannot travel from {source} to {target}.",
            "Leave these kinds out, or export them as files.",
        )
    free = state.free_bytes
    if free is None and state.storage_total_bytes is not None and state.storage_used_bytes is not None:
        free = state.storage_total_bytes - state.storage_used_bytes
    if free is not None and needed_bytes > free:
        says = f"The device has {iec(max(0, free))} free; this needs {iec(needed_bytes)}."
        add("space", True, says, "Choose less, or free room on it.")
    if state.family == source_family and _version(state.os_version) < _version(source_version):
        says = f"The device runs version {state.os_version}, older than the {source_version} of the backup."
        add("older_system", True, says, "Update the device first.")
    personal = [KINDS[kind].label.lower() for kind in kinds if kind in PERSONAL]
    if holders is not None and personal:
        add(
            "other_holder",
            False,
            f"This is the device of {holders[1]}, in use: {', '.join(personal)} of {holders[0]} would lie on it.",
            "Choose another device, or leave these kinds out.",
        )
    records = [KINDS[kind].label.lower() for kind in kinds if is_record(kind)]
    if state.family == "folder" and records:
        add(
            "open_files",
            False,
            f"It keeps files: {', '.join(records)} arrive as open files, in a folder each.",
            "Nothing; restore to a phone to have them in its apps again.",
        )
    if state.battery_percent is not None and state.battery_percent < 30 and not state.on_power:
        add("battery", False, f"Its battery is at {state.battery_percent} %.", "Put it on power.")
    return sorted(found, key=lambda finding: not finding.blocks)


def _version(text: str) -> tuple[int, ...]:
    return tuple(int(part) for part in text.split(".") if part.isdigit())
