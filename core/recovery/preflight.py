"""Before a restore: what blocks it and what to know, each with the step that resolves it.

The list of blockers is common practice, no published source.
"""

from collections.abc import Iterable

from core.content.digests import is_record
from core.content.families import FAMILIES, travels
from core.content.kinds import KINDS
from core.content.link import DeviceReport
from core.content.readiness import Finding, Level, hindrances

PERSONAL = ("messages", "attachments", "calls", "mail", "notes", "logins", "health")
"""Kinds that are nobody else's to read."""


def preflight(
    state: DeviceReport,
    *,
    kinds: Iterable[str],
    source_family: str,
    source_version: str,
    needed_bytes: int,
    holders: tuple[str, str] | None = None,
) -> list[Finding]:
    """Findings in the order in which to resolve them; blockers first. `holders`: whose it is and whose device it goes to, where
    these are two people and the device is in use."""
    findings = hindrances(state, needs_bytes=needed_bytes)
    kinds = list(kinds)

    def add(code: str, level: Level, says: str, step: str) -> None:
        findings.append(Finding(code=code, level=level, says=says, step=step))

    stuck = [kind for kind in kinds if not travels(kind, source=source_family, target=state.family)]
    if stuck:
        source, target = FAMILIES[source_family].label, FAMILIES[state.family].label
        names = ", ".join(KINDS[kind].label.lower() for kind in stuck)
        add(
            "family",
            Level.BLOCKS,
            f"{names.capitalize()} cannot travel from {source} to {target}.",
            "Leave these kinds out, or export them as files.",
        )
    if state.family == source_family and _version(state.os_version) < _version(source_version):
        says = f"The device runs version {state.os_version}, older than the {source_version} of the backup."
        add("older_system", Level.BLOCKS, says, "Update the device first.")
    personal = [KINDS[kind].label.lower() for kind in kinds if kind in PERSONAL]
    if holders is not None and personal:
        add(
            "other_holder",
            Level.WARNS,
            f"This is the device of {holders[1]}, in use: {', '.join(personal)} of {holders[0]} would lie on it.",
            "Choose another device, or leave these kinds out.",
        )
    records = [KINDS[kind].label.lower() for kind in kinds if is_record(kind)]
    if state.family == "folder" and records:
        add(
            "open_files",
            Level.WARNS,
            f"It keeps files: {', '.join(records)} arrive as open files, in a folder each.",
            "Nothing; restore to a phone to have them in its apps again.",
        )
    return sorted(findings, key=lambda finding: finding.level != Level.BLOCKS)


def _version(text: str) -> tuple[int, ...]:
    return tuple(int(part) for part in text.split(".") if part.isdigit())
