"""The month on paper: promises kept, failures by cause, growth."""

from calendar import monthrange
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import date
from typing import Any
from uuid import UUID

from django.db.models import Count, Max, Sum

from server.fleet.queries import devices
from server.oversight.models import Incident, MonthReport
from server.oversight.promises import PromiseShare, kept_in, shares_by_device, shares_by_team
from server.runs.history import OUTCOMES, Totals, filtered, totals
from server.runs.models import Run
from server.storage.models import Store

WORST = 12


@dataclass(frozen=True, slots=True, kw_only=True)
class Report:
    """A month in figures."""

    first: date
    last: date
    promise: PromiseShare
    before: PromiseShare
    """The month before, to compare with."""
    teams: list[tuple[str, PromiseShare]]
    worst: list[tuple[str, str, PromiseShare]]
    """(device, holder, share) of the devices that kept it least."""
    totals: Totals
    before_totals: Totals
    causes: list[dict[str, Any]]
    """[{code, says, runs, devices}], the commonest first."""
    stores: list[dict[str, Any]]
    """[{name, stored_bytes, new_bytes, runs}]: what they hold now, and what the month brought."""
    incidents: int
    """That began to need a person in the month."""


def report(month: date) -> Report:
    """Of the month in which the day lies. A fixed number of queries."""
    first, last = _bounds(month)
    before = _bounds(date.fromordinal(first.toordinal() - 1))
    shares = shares_by_device(first=first, last=last)
    poor = sorted(
        ((id, share) for id, share in shares.items() if share.owed and share.kept < share.owed), key=lambda entry: entry[1].percent or 0.0
    )
    names = {device.id: (device.name, device.holder.name) for device in devices().filter(id__in=[id for id, _ in poor[:WORST]])}
    runs = filtered({"first": first, "last": last})
    failed = Run.objects.filter(night__range=(first, last)).filter(OUTCOMES["did_not"]).order_by()
    causes = (
        failed.values("cause_code").annotate(runs=Count("id"), devices=Count("device", distinct=True), says=Max("cause")).order_by("-runs")
    )
    brought: dict[UUID | None, Mapping[str, Any]] = {
        row["store"]: row
        for row in Run.objects.filter(night__range=(first, last))
        .order_by()
        .values("store")
        .annotate(new=Sum("stored_bytes"), runs=Count("id"))
    }
    stores = [
        {
            "name": store.name,
            "stored_bytes": store.stored_bytes,
            "new_bytes": brought.get(store.id, {}).get("new") or 0,
            "runs": brought.get(store.id, {}).get("runs", 0),
        }
        for store in Store.objects.order_by("name")
    ]
    return Report(
        first=first,
        last=last,
        promise=kept_in(first, last),
        before=kept_in(*before),
        teams=shares_by_team(first=first, last=last),
        worst=[(*names[id], share) for id, share in poor[:WORST] if id in names],
        totals=totals(runs),
        before_totals=totals(filtered({"first": before[0], "last": before[1]})),
        causes=[{"code": row["cause_code"], "says": row["says"], "runs": row["runs"], "devices": row["devices"]} for row in causes[:15]],
        stores=stores,
        incidents=Incident.objects.filter(opened_at__date__range=(first, last)).count(),
    )


def _bounds(day: date) -> tuple[date, date]:
    return day.replace(day=1), day.replace(day=monthrange(day.year, day.month)[1])


def told_report(report: Report) -> dict[str, Any]:
    """As JSON holds it."""

    def share(one: PromiseShare) -> dict[str, Any]:
        return {"owed": one.owed, "kept": one.kept, "percent": one.percent}

    return {
        "first": report.first.isoformat(), "last": report.last.isoformat(), "promise": share(report.promise),
        "before": share(report.before), "totals": asdict(report.totals),
        "before_totals": asdict(report.before_totals), "causes": report.causes, "stores": report.stores,
        "matters": report.incidents, "teams": [{"team": team, "share": share(one)} for team, one in report.teams],
        "worst": [{"device": device, "holder": holder, "share": share(one)} for device, holder, one in report.worst],
    }  # fmt: skip


def reported(month: date) -> dict[str, Any]:
    """The month in which the day lies: as it was written down when it was over, else as it stands now."""
    written = MonthReport.objects.filter(month=month.replace(day=1)).first()
    if written is not None:
        return {**written.told, "made_at": written.made_at}
    return {**told_report(report(month)), "made_at": None}
