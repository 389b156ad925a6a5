"""What runs could not take: as it is stored, as it is read, and what of it somebody has accepted."""

from collections.abc import Iterable, Sequence
from typing import Any

from django.db.models import Q

from core.content.left_out import Accepted, counts, reason_of
from core.vault.capture import Skipped
from server.fleet.models import Device
from server.runs.models import Backup, Omission, Run

MOST_NAMED = 1000
"""Of one run; the count is whole."""


def omissions_of(device: Device) -> list[Omission]:
    """What was accepted for the device, or for those that are alike."""
    alike = Q(alike=True, device__link=device.link, device__family=device.family, device__model=device.model)
    return list(Omission.objects.filter(Q(device=device) | alike, ended_at__isnull=True).select_related("by", "device"))


def accepted_of(device: Device) -> list[Accepted]:
    """What somebody accepted that it lacks."""
    return [Accepted(path=one.path, code=one.code) for one in omissions_of(device)]


def told_skipped(skipped: Iterable[Skipped], accepted: Sequence[Accepted]) -> list[dict[str, Any]]:
    """As rows keep it; what counts comes first, since only so many are named."""
    fields = [
        {"kind": one.kind, "name": one.name, "code": one.code, "detail": one.detail[:200], "counts": counts(one.code, one.name, accepted)}
        for one in skipped
    ]
    return sorted(fields, key=lambda one: not one["counts"])


def read_skipped(run: Run, accepted: Sequence[Accepted]) -> list[dict[str, Any]]:
    """In words; `counts` by what is accepted now. Runs of older versions tell a reason only."""
    return [
        {
            "kind": one["kind"],
            "name": one["name"],
            "code": one.get("code", ""),
            "reason": reason_of(one["code"], one["detail"]) if "code" in one else one["reason"],
            "counts": counts(one.get("code", ""), one["name"], accepted),
        }
        for one in run.skipped
    ]


def is_partial(run: Run | None, accepted: Sequence[Accepted]) -> bool:
    """Whether anything that nobody has accepted is missing from the run's backup."""
    return run is not None and any(one["counts"] for one in read_skipped(run, accepted))


def left_out_of(device: Device) -> tuple[Run | None, list[dict[str, Any]]]:
    """The run of the device's newest backup, and what it could not take."""
    newest = Backup.objects.filter(device=device, run__isnull=False).select_related("run").order_by("-finished_at").first()
    if newest is None or newest.run is None:
        return None, []
    return newest.run, read_skipped(newest.run, accepted_of(device))
