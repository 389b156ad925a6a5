"""Gathers the evidence for the answer whether a device may be wiped. The core weighs it."""

from datetime import datetime

from core.content.link import Card, DeviceReport
from core.coverage.kinds import Cover, KindCover
from core.coverage.wipe import Answer, CopyFacts, Evidence, Missing, may_be_wiped
from server.fleet.models import Device, LinkType, Scan
from server.oversight.coverage import covered, scan_of
from server.runs.left_out import accepted_of, is_partial
from server.runs.models import Backup, Copy
from server.runs.queries import present_backups, with_newest


def answer(device: Device, *, now: datetime) -> tuple[Answer, list[KindCover], Scan | None, Backup | None]:
    """(answer, coverage, the last scan, the newest backup with an intact copy)."""
    scan = scan_of(device)
    cover = covered(device, scan)
    newest = _newest(device)
    evidence = Evidence(
        backup_at=newest.finished_at if newest else None,
        backup_partial=newest is not None and is_partial(newest.run, accepted_of(device)),
        damaged=_damaged(newest),
        copies=[_facts(copy) for copy in newest.present] if newest else [],  # type: ignore[attr-defined]
        scanned_at=scan.at if scan else None,
        missing=_missing(scan, newest),
        state=_state(device, scan),
        uncovered=[one.kind for one in cover if one.cover in (Cover.NOTHING, Cover.IN_STEP_ONLY) and one.live and one.live.items],
        in_step_only=[one.kind for one in cover if one.cover == Cover.IN_STEP_ONLY],
        link_cannot_tell=device.link != LinkType.AGENT and device.family != "folder",
    )
    return may_be_wiped(evidence, now=now), cover, scan, newest


def _newest(device: Device) -> Backup | None:
    """With an intact copy; where there is none, one that is damaged in some place."""
    row = with_newest(Device.objects.all(), only=[device.id])[0]
    backup_id = row.newest_id or row.damaged_id
    return present_backups().filter(id=backup_id).first() if backup_id else None


def _damaged(newest: Backup | None) -> list[tuple[str, int]]:
    """(kind, items) that no copy of it can give back."""
    copies = newest.present if newest is not None else []  # type: ignore[attr-defined]
    if not copies or any(copy.intact for copy in copies):
        return []
    kinds = sorted({kind for copy in copies for kind in copy.damaged})
    counts = [(kind, min(int(copy.damaged.get(kind, {}).get("items", 0)) for copy in copies)) for kind in kinds]
    return [(kind, count) for kind, count in counts if count] or [("", 0)]


def _facts(copy: Copy) -> CopyFacts:
    store = copy.store
    return CopyFacts(
        store=store.name, intact=copy.intact, checked_at=copy.checked_at,
        passphrase_proven_at=store.passphrase_proven_at, off_site=store.off_site, medium=store.medium,
    )  # fmt: skip


def _missing(scan: Scan | None, newest: Backup | None) -> list[Missing]:
    """What the last look found in no backup; nothing counts that a backup has taken since."""
    if scan is None or (newest is not None and newest.finished_at > scan.at):
        return []
    return [Missing(kind=one["kind"], items=one["items"], examples=tuple(one["examples"])) for one in scan.missing]


def _state(device: Device, scan: Scan | None) -> DeviceReport | None:
    """What is known of it; a plain folder has neither lock nor card."""
    if device.family == "folder":
        return DeviceReport(make="", model="", family=device.family, os_version="", finder_lock=False, card=Card(present=False))
    described = device.card
    card = (
        Card(present=described["present"], size_bytes=described.get("size_bytes"), encrypted=described.get("encrypted"))
        if described
        else None
    )
    lock = scan.state.get("finder_lock") if scan else None
    return DeviceReport(make="", model="", family=device.family, os_version="", finder_lock=lock, card=card)
