"""Coverage of one device: its backups kind by kind beside what was on it when it was last looked at."""

from datetime import datetime
from typing import Any

from core.content.families import FAMILIES
from core.coverage.kinds import HeldKind, KindCover, Live, coverage
from server.fleet.convert import account_of
from server.fleet.models import Device, Scan
from server.plans.choices import Choices, kinds_taken
from server.plans.queries import assignment_of
from server.plans.soundness import or_else
from server.runs.models import Backup, Copy
from server.runs.queries import present_backups

COUNTED_BACKUPS = 500


def scan_of(device: Device) -> Scan | None:
    """The last scan of a device; None before the first. One query."""
    return Scan.objects.filter(device=device).first()


def covered(device: Device, scan: Scan | None) -> list[KindCover]:
    """One line a kind; two queries, whatever the number of backups."""
    live = None if scan is None else {entry["kind"]: _live(entry) for entry in scan.kinds}
    accounts = [account_of(entry) for entry in device.accounts]
    held: dict[str, list[HeldKind]] = {}
    for backup in present_backups().filter(device=device, suspect=False)[:COUNTED_BACKUPS]:
        for entry in backup.kinds:
            held.setdefault(entry["kind"], []).append(_held(backup, entry))
    offered = set(live) if live else set(FAMILIES[device.family].kinds) if device.link == "agent" else set(held)
    return coverage(live, held, accounts, offered=offered)


def planned_kinds(device: Device, chosen: Choices) -> frozenset[str]:
    """Kinds that are taken of the device, by its plan and by what somebody chose for it; none without a plan."""
    assignment = assignment_of(device)
    if assignment is None:
        return frozenset()
    return frozenset(or_else(assignment.plan, lambda: kinds_taken(assignment.plan, device, chosen), ()))


def _live(entry: dict[str, Any]) -> Live:
    at = entry["newest_at"]
    return Live(
        items=entry["items"], size_bytes=entry["size_bytes"], newest_name=entry["newest_name"],
        newest_at=datetime.fromisoformat(at) if at else None,
    )  # fmt: skip


def _held(backup: Backup, entry: dict[str, Any]) -> HeldKind:
    """Of a backup that is damaged in some place, what is whole of the kind counts."""
    at, copies = entry["newest_at"], backup.present  # type: ignore[attr-defined]
    missing = min((_damaged_items(copy, entry["kind"]) for copy in copies), default=0)
    stores = tuple(copy.store.name for copy in copies if _damaged_items(copy, entry["kind"]) == missing)
    return HeldKind(
        backup=str(backup.id), finished_at=backup.finished_at, stores=stores if missing < entry["items"] else (),
        items=max(0, entry["items"] - missing), size_bytes=entry["size_bytes"], newest_name=entry["newest_name"],
        newest_at=datetime.fromisoformat(at) if at else None,
    )  # fmt: skip


def _damaged_items(copy: Copy, kind: str) -> int:
    """Items of the kind that this copy cannot give back; all, where a check found damage and nobody could tell what it touches."""
    if copy.intact:
        return 0
    return int(copy.damaged.get(kind, {}).get("items", 0)) if copy.damaged else MANY


MANY = 1 << 60
