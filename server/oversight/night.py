"""The chart of a night: what was lined up, and what came of it. Before the night a plan, afterwards its record."""

from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from core.schedule.nights import bounds
from server.people.queries import office_zone
from server.runs.models import LinedUp, Run

MOST_ROWS = 600


@dataclass(slots=True, kw_only=True)
class Row:
    """One device in one night; a second run of it has a row of its own."""

    device_id: UUID
    device_name: str
    holder: str
    store: str
    plan: str
    planned_for: datetime | None
    closes_at: datetime | None
    planned_start: datetime | None = None
    planned_end: datetime | None = None
    basis: str = ""
    late: bool = False
    fits: bool = True
    run_id: UUID | None = None
    state: str = ""
    """Of the run; empty while there is none."""
    started_at: datetime | None = None
    finished_at: datetime | None = None
    cause: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class NightChart:
    night: date
    opens: datetime
    closes: datetime
    rows: list[Row]
    planned_finish: datetime | None
    does_not_fit: int


def night_chart(night: date) -> NightChart:
    """Two queries, whatever the number of devices."""
    zone = office_zone()
    first, last = bounds(night, zone)
    rows: dict[tuple[UUID, datetime | None, UUID | None], Row] = {}
    lined = LinedUp.objects.filter(night=night).select_related("device__holder", "plan", "store").order_by("starts_at")
    for entry in lined[:MOST_ROWS]:
        rows[entry.device_id, entry.planned_for, None] = Row(
            device_id=entry.device_id, device_name=entry.device.name, holder=entry.device.holder.name, store=entry.store.name,
            plan=entry.plan.name, planned_for=entry.planned_for, closes_at=entry.closes_at, planned_start=entry.starts_at,
            planned_end=entry.ends_at, basis=entry.basis, late=entry.late, fits=entry.fits,
        )  # fmt: skip
    runs = Run.objects.filter(night=night).select_related("device__holder", "plan", "store").order_by("asked_at")
    for run in runs[:MOST_ROWS]:
        key = (run.device_id, run.planned_for, None)
        if run.planned_for is None or key not in rows:
            key = (run.device_id, run.planned_for, run.id)
            rows[key] = Row(
                device_id=run.device_id, device_name=run.device.name, holder=run.device.holder.name, store=run.store.name,
                plan=run.plan.name if run.plan else "", planned_for=run.planned_for, closes_at=run.gives_up_at,
            )  # fmt: skip
        row = rows[key]
        row.run_id, row.state, row.started_at, row.finished_at, row.cause = run.id, run.state, run.started_at, run.finished_at, run.cause
    held = sorted(rows.values(), key=lambda row: row.planned_start or row.started_at or row.planned_for or first)
    moments = [at for row in held for at in (row.planned_for, row.planned_start, row.started_at) if at is not None]
    ends = [at for row in held for at in (row.closes_at, row.planned_end, row.finished_at) if at is not None and at <= last]
    return NightChart(
        night=night,
        opens=min(moments, default=first),
        closes=max(ends, default=last),
        rows=held,
        planned_finish=max((row.planned_end for row in held if row.planned_end), default=None),
        does_not_fit=sum(not row.fits for row in held),
    )
