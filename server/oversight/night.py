"""A night: what was lined up, and what came of it. Before the night a plan, afterwards its record.

The sums are of the whole night; its rows are cut into pages, what needs a look first. Two queries, whatever the number of
devices, and no model instances: a night of a large office has more than a thousand rows.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from core.schedule.nights import bounds, busy
from server.people.queries import office_zone
from server.runs.models import ACTIVE, CAME, LinedUp, Run

SHOWS = ("did_not", "under_way", "to_come", "succeeded")
"""What a row can be, in the order in which they are shown."""


@dataclass(slots=True, kw_only=True)
class NightLine:
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

    @property
    def shows(self) -> str:
        """One of SHOWS."""
        if self.state in CAME:
            return "succeeded"
        if self.state in ACTIVE:
            return "under_way"
        return "did_not" if self.state or not self.fits else "to_come"

    @property
    def begins(self) -> datetime | None:
        """When it began, or is to begin."""
        return self.planned_start or self.started_at or self.planned_for


@dataclass(frozen=True, slots=True, kw_only=True)
class NightSums:
    """The whole night in figures."""

    night: date
    opens: datetime
    """Of everything in it, runs by hand too: the width of a chart of it."""
    closes: datetime
    lined_up: int
    succeeded: int
    did_not: int
    """Runs that ended without a backup."""
    under_way: int
    does_not_fit: int
    rows: int
    planned_finish: datetime | None
    busy_opens: datetime
    """First planned start; `busy` begins there."""
    busy_closes: datetime
    busy: list[int]
    """The most planned runs at the same time, in equal slices of the time from `busy_opens` to `busy_closes`."""


LINED_UP = ("device_id", "planned_for", "closes_at", "device__name", "device__holder__name", "store__name", "plan__name", "starts_at",
            "ends_at", "basis", "late", "fits")  # fmt: skip
RAN = ("device_id", "planned_for", "gives_up_at", "device__name", "device__holder__name", "store__name", "plan__name", "id", "state",
       "started_at", "finished_at", "cause")  # fmt: skip


def night_rows(night: date) -> list[NightLine]:
    """Every row of a night, what needs a look first, then by time."""
    rows: dict[tuple[UUID, datetime | None, UUID | None], NightLine] = {}
    for device, planned, closes, name, holder, store, plan, starts, ends, basis, late, fits in LinedUp.objects.filter(
        night=night
    ).values_list(*LINED_UP):
        rows[device, planned, None] = NightLine(
            device_id=device, device_name=name, holder=holder, store=store, plan=plan, planned_for=planned, closes_at=closes,
            planned_start=starts, planned_end=ends, basis=basis, late=late, fits=fits,
        )  # fmt: skip
    runs = Run.objects.filter(night=night).order_by("asked_at").values_list(*RAN)
    for device, planned, closes, name, holder, store, ran_by, id, state, started, finished, cause in runs:
        key: tuple[UUID, datetime | None, UUID | None] = (device, planned, None)
        if planned is None or key not in rows:
            key = (device, planned, id)
            rows[key] = NightLine(
                device_id=device, device_name=name, holder=holder, store=store, plan=ran_by or "", planned_for=planned, closes_at=closes
            )
        row = rows[key]
        row.run_id, row.state, row.started_at, row.finished_at, row.cause = id, state, started, finished, cause
    first, _ = bounds(night, office_zone())
    return sorted(rows.values(), key=lambda row: (SHOWS.index(row.shows), row.begins or first, row.device_name, str(row.device_id)))


def fitting(rows: Iterable[NightLine], *, shows: str | None, words: str) -> list[NightLine]:
    """Those of one of SHOWS, and with all of the words in device, holder, plan or store."""
    asked = words.casefold().split()
    return [
        row
        for row in rows
        if (shows is None or row.shows == shows)
        and all(word in f"{row.device_name} {row.holder} {row.plan} {row.store}".casefold() for word in asked)
    ]


def summed(night: date, rows: list[NightLine]) -> NightSums:
    """The figures of all of a night's rows."""
    first, last = bounds(night, office_zone())
    moments = [at for row in rows for at in (row.planned_for, row.planned_start, row.started_at) if at is not None]
    ends = [at for row in rows for at in (row.closes_at, row.planned_end, row.finished_at) if at is not None and at <= last]
    lined = [(row.planned_start, row.planned_end) for row in rows if row.planned_start and row.planned_end]
    opens, closes = min(moments, default=first), max(ends, default=last)
    busy_opens = min((start for start, _ in lined), default=opens)
    planned_closes = [row.closes_at for row in rows if row.planned_start and row.closes_at and row.closes_at <= last]
    busy_closes = max([*(end for _, end in lined), *planned_closes], default=closes)
    return NightSums(
        night=night,
        opens=opens,
        closes=closes,
        lined_up=len(lined),
        succeeded=sum(row.shows == "succeeded" for row in rows),
        did_not=sum(bool(row.state) and row.shows == "did_not" for row in rows),
        under_way=sum(row.shows == "under_way" for row in rows),
        does_not_fit=sum(not row.fits for row in rows),
        rows=len(rows),
        planned_finish=max((end for _, end in lined), default=None),
        busy_opens=busy_opens,
        busy_closes=busy_closes,
        busy=busy(lined, opens=busy_opens, closes=busy_closes),
    )
