"""Reading runs, backups and copies."""

from collections.abc import Iterable
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from django.db.models import Count, Exists, Max, OuterRef, Prefetch, QuerySet, Subquery
from django.db.models.functions import JSONObject
from django.shortcuts import get_object_or_404
from django.utils import timezone

from server.fleet.models import Device
from server.runs.copies import COMING
from server.runs.models import ACTIVE, CAME, THERE, Backup, Copy, CopyState, Import, Omission, Run, Stray
from server.storage.models import Store


def runs() -> QuerySet[Run]:
    """With everything that a line of the history shows."""
    return Run.objects.select_related("device__holder", "device__team", "plan", "store", "fell_over_from", "by", "backup")


def run(id: UUID) -> Run:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(runs(), id=id)


def row_of_run(id: UUID) -> Run:
    """What the row says, and nothing of what it names: to ask how it stands. Raises Http404 for an id that there is not."""
    return get_object_or_404(Run, id=id)


def omission(id: int) -> Omission:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(Omission.objects.select_related("device"), id=id)


def present_backups() -> QuerySet[Backup]:
    """Backups with at least one copy: `present` are its copies, `coming` those that are to be there as well."""
    present = Copy.objects.filter(state__in=THERE).select_related("store", "leaving_by").order_by("id")
    has_copy = Exists(present.filter(backup=OuterRef("pk")))
    return (
        Backup.objects.filter(has_copy)
        .select_related("device__holder", "run")
        .prefetch_related(
            Prefetch("copies", present, "present"),
            Prefetch("copies", Copy.objects.filter(state__in=COMING).select_related("store").order_by("id"), "coming"),
        )
    )


def backup_of_run(run: UUID) -> Backup | None:
    """None where it made none."""
    return Backup.objects.select_related("device", "run").filter(run=run).first()


def backup(id: UUID) -> Backup:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(present_backups(), id=id)


def newest_good(device: str = "pk") -> QuerySet[Backup]:
    """For use as a subquery over rows whose column `device` names a device: the newest backup with an intact copy."""
    intact = Copy.objects.filter(backup=OuterRef("pk"), state=CopyState.PRESENT, intact=True)
    return Backup.objects.filter(Exists(intact), device=OuterRef(device), in_doubt=False, suspect=False).order_by("-finished_at")


def newest_intact(device: Device) -> Backup | None:
    """The newest backup with an intact copy."""
    intact = Copy.objects.filter(backup=OuterRef("pk"), state=CopyState.PRESENT, intact=True)
    return Backup.objects.filter(Exists(intact), device=device, in_doubt=False, suspect=False).order_by("-finished_at").first()


def newest_damaged(devices: Iterable[UUID] | None = None) -> dict[UUID, tuple[UUID, datetime]]:
    """Device → id and date of its newest backup of which every copy is damaged in some place; of all devices, or of those.

    One query, which begins at the damaged copies: there are few of them, and backups are many.
    """
    present = Copy.objects.filter(backup=OuterRef("pk"), state=CopyState.PRESENT)
    damaged = Copy.objects.filter(state=CopyState.PRESENT, intact=False).values("backup")
    whole = Backup.objects.filter(id__in=damaged, in_doubt=False, suspect=False).exclude(Exists(present.filter(intact=True)))
    if devices is not None:
        whole = whole.filter(device__in=list(devices))
    rows = whole.order_by("device_id", "-finished_at").distinct("device_id").values_list("device_id", "id", "finished_at")
    return {device: (id, at) for device, id, at in rows}


_LAST = ("id", "state", "cause", "cause_code", "remedy")


def with_newest(devices: QuerySet[Device], *, only: Iterable[UUID] | None = None) -> list[Any]:
    """Devices, all or those, with what is newest of each. Two queries.

    Each has `newest_at`, `newest_id`, `newest_bytes` of its newest good backup, `damaged_at` and `damaged_id` of the newest that
    is damaged in some place, `active_run` and `active_cause`, and `last_run`, `last_state`, `last_cause`, `last_cause_code`,
    `last_remedy` of the last that ended.
    """
    only = None if only is None else list(only)
    rows = devices if only is None else devices.filter(id__in=only)
    active = Run.objects.filter(device=OuterRef("pk"), state__in=ACTIVE)
    last = Run.objects.filter(device=OuterRef("pk")).exclude(state__in=ACTIVE).order_by("-asked_at")
    counted = rows.annotate(
        told_newest=Subquery(newest_good().values(packed=JSONObject(id="id", at="finished_at", size="size_bytes"))[:1]),
        told_active=Subquery(active.values(packed=JSONObject(id="id", cause="cause"))[:1]),
        told_last=Subquery(last.values(packed=JSONObject(**{name: name for name in _LAST}))[:1]),
    )
    damaged = newest_damaged(only)
    return [_unpacked(device, damaged.get(device.id)) for device in counted]


def _unpacked(device: Any, damaged: tuple[UUID, datetime] | None) -> Any:
    newest, active, last = device.told_newest or {}, device.told_active or {}, device.told_last or {}
    device.newest_id = UUID(newest["id"]) if newest else None
    device.newest_at = datetime.fromisoformat(newest["at"]) if newest else None
    device.newest_bytes = newest.get("size")
    device.damaged_id, device.damaged_at = damaged or (None, None)
    device.active_run, device.active_cause = active.get("id"), active.get("cause")
    device.last_run = last.get("id")
    for name in _LAST[1:]:
        setattr(device, f"last_{name}", last.get(name))
    return device


def trusted_before(device: Device) -> Backup | None:
    """The device's own newest backup that nobody doubts, whatever became of its copies since."""
    own = Backup.objects.filter(device=device, in_doubt=False, suspect=False, imported_from="")
    return own.order_by("-finished_at").first()


def previous_backup(device: Device, store: Store) -> Backup | None:
    """The newest backup of the device that the store holds intact."""
    copies = Copy.objects.filter(backup__device=device, store=store, state=CopyState.PRESENT, intact=True)
    copy = copies.select_related("backup").order_by("-backup__finished_at").first()
    return copy.backup if copy else None


def read_and_stored(device: Device, *, last: int = 12) -> list[tuple[int, int]]:
    """(read, stored) bytes of the device's last good runs, newest first."""
    return list(Run.objects.filter(device=device, state__in=CAME).order_by("-asked_at").values_list("read_bytes", "stored_bytes")[:last])


def handled_until(*, since: datetime, now: datetime) -> dict[UUID, datetime]:
    """Device → the newest occurrence that a run was made for, of those asked for since then. Rows of the future silence nothing."""
    runs = Run.objects.filter(planned_for__lte=now, asked_at__gte=since, asked_at__lte=now + CLOCKS_DIFFER)
    rows: Any = runs.order_by().values_list("device").annotate(Max("planned_for"))
    return dict(rows)


CLOCKS_DIFFER = timedelta(minutes=5)
"""Between two machines of one installation."""
CAUSES_LOOKED_BACK = timedelta(days=366)


def known_causes() -> list[dict[str, Any]]:
    """[{code, says, runs}] of the last year, the commonest first. One query."""
    runs = Run.objects.filter(asked_at__gte=timezone.now() - CAUSES_LOOKED_BACK).exclude(cause_code="").order_by()
    rows = runs.values("cause_code").annotate(runs=Count("id"), says=Max("cause")).order_by("-runs")
    return [{"code": row["cause_code"], "says": row["says"], "runs": row["runs"]} for row in rows[:40]]


def imports() -> QuerySet[Import]:
    """The newest first."""
    return Import.objects.select_related("device", "by")


def import_by_id(id: UUID) -> Import:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(imports(), id=id)


def id_of_run_before(run: Run) -> UUID | None:
    """The device's last run before this one that made a backup."""
    rows = Run.objects.filter(device=run.device_id, state__in=CAME, asked_at__lt=run.asked_at).order_by("-asked_at")
    return rows.values_list("id", flat=True).first()


def id_of_active_run(device: Device) -> UUID | None:
    """Of the run that waits or goes on; None without one."""
    return Run.objects.filter(device=device, state__in=ACTIVE).values_list("id", flat=True).first()


def backups_of(device: Device) -> QuerySet[Backup]:
    """Those that some store holds, the newest first."""
    return present_backups().filter(device=device)


def strays(store: Store) -> QuerySet[Stray]:
    """Backups found in a store that no device here is known for."""
    return Stray.objects.filter(store=store)


def stray(id: int) -> Stray:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(Stray.objects.select_related("store"), id=id)


def copies_in_question(store: Store) -> QuerySet[Copy]:
    """Copies that are neither simply there, nor on their way, nor simply gone; newest backups first."""
    settled = (*THERE, CopyState.REMOVED, *COMING)
    rows = Copy.objects.filter(store=store).exclude(state__in=settled).select_related("backup__device__holder")
    return rows.order_by("-backup__finished_at", "-id")


def copy_by_id(id: int) -> Copy:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(Copy.objects.select_related("backup__device", "store"), id=id)
