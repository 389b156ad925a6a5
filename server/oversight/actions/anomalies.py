"""Anomalies of backups: looked for after each run, settled by a person or by the next usual backup."""

from datetime import datetime
from typing import Any
from uuid import UUID

from django.db import transaction

from core.coverage.anomalies import MOST_HISTORY, DetectedAnomaly, Lacking, Taken, TakenKind, anomalies
from server.fleet.models import DeviceState
from server.locks import lock_device
from server.oversight.models import Anomaly as Row
from server.people.actions.journal import write_journal
from server.people.models import User
from server.runs.models import Backup


def look_for_anomalies(backup: Backup, *, now: datetime) -> list[Row]:
    """Those of this backup, written down; open ones of the device that are not so any more are settled."""
    taken = _taken(backup.device_id, until=backup.finished_at)
    if not taken or taken[0].id != str(backup.id):
        return []
    detected = anomalies(taken[0], taken[1:], in_use=backup.device.state == DeviceState.IN_USE)
    rows = [_row(one, backup, now) for one in detected]
    with transaction.atomic():
        still = {(row.code, row.kind) for row in rows}
        open_ones = list(Row.objects.select_for_update().filter(device=backup.device_id, settled_at__isnull=True))
        gone = [row for row in open_ones if (row.code, row.kind) not in still and row.code in SETTLE_BY_THEMSELVES]
        for row in gone:
            row.settled_at, row.settled_why = now, "The next backup was as usual."
        Row.objects.bulk_update(gone, ["settled_at", "settled_why"])
        Row.objects.bulk_create(rows, ignore_conflicts=True)
    return rows


SETTLE_BY_THEMSELVES = ("nothing_new", "clock_off", "not_encrypted")
"""States of a device. The others are events: the next backup looks usual beside what may be damage already."""


@transaction.atomic
def settle(row: Row, *, why: str, by: User, now: datetime) -> None:
    """Somebody has looked: it does not need a person any more."""
    if row.settled_at is None:
        row.settled_at, row.settled_by, row.settled_why = now, by, why.strip()[:200]
        row.save(update_fields=["settled_at", "settled_by", "settled_why"])
        trust_again(row.device_id)
        facts = {"device": row.device.name, "says": row.says[:120], "why": row.settled_why}
        write_journal(who=by, what="oddity.settled", facts=facts, at=now, device=row.device_id)


ABOUT_LACK = ("shrunk", "vanished")


def trust_again(device: UUID) -> None:
    """Backups that lacked much count again, once nothing of that kind about the device waits for somebody to look."""
    lock_device(device)
    if not Row.objects.filter(device=device, settled_at__isnull=True, code__in=ABOUT_LACK).exists():
        Backup.objects.filter(device=device, suspect=True).update(suspect=False)


def _row(one: DetectedAnomaly, backup: Backup, now: datetime) -> Row:
    return Row(
        device=backup.device, backup=backup, before=UUID(one.before) if one.before else None, code=one.code, kind=one.kind,
        says=one.says[:400], numbers=one.numbers, found_at=now,
    )  # fmt: skip


def _taken(device: UUID, *, until: datetime) -> list[Taken]:
    """The device's own backups up to then, newest first. One query."""
    rows = Backup.objects.filter(device=device, finished_at__lte=until, imported_from="").select_related("run").order_by("-finished_at")
    return [_as_taken(row) for row in rows[: MOST_HISTORY + 1]]


def _as_taken(row: Backup) -> Taken:
    progress = {entry["kind"]: entry for entry in (row.run.progress.get("kinds") or [])} if row.run else {}
    fields: dict[str, Any] = row.run.told if row.run else {}
    new = sum(entry["items"] - entry["unchanged"] for entry in progress.values())
    return Taken(
        id=str(row.id),
        at=row.finished_at,
        kinds={
            entry["kind"]: TakenKind(items=entry["items"], size_bytes=entry["size_bytes"], changed=_changed(entry, progress))
            for entry in row.kinds
        },
        new_items=new if progress else 1,
        encrypted=fields.get("encrypted"),
        clock_off_seconds=float(fields.get("clock_off_seconds", 0.0)),
        lacking=tuple(Lacking(**one) for one in row.lacking) if row.suspect else (),
    )


def _changed(entry: dict[str, Any], progress: dict[str, Any]) -> int:
    """Items that were there before and came anew: what was not unchanged, less what the kind grew by."""
    of_kind = progress.get(entry["kind"])
    if of_kind is None or "before" not in of_kind:
        return 0
    return max(0, int(min(of_kind["before"], entry["items"]) - of_kind["unchanged"]))
