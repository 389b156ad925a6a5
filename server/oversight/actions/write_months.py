"""Write down the months that are over, once each: the report outlives the rows that it was made from."""

from datetime import date, datetime, timedelta

from server.oversight.models import MonthReport, PromiseDay
from server.oversight.report import report, told_report
from server.people.queries import office_zone
from server.runs.models import Run

SETTLED = timedelta(days=3)
"""A night of the last day may end on the first; what comes after so long comes too late for the month."""
MOST_AT_ONCE = 120


def write_months(*, now: datetime) -> int:
    """How many were written."""
    over = (now - SETTLED).astimezone(office_zone()).date().replace(day=1)
    nights = Run.objects.order_by("night").values_list("night", flat=True)[:1]
    mornings = PromiseDay.objects.order_by("day").values_list("day", flat=True)[:1]
    first = min([*nights, *mornings], default=over).replace(day=1)
    known = set(MonthReport.objects.values_list("month", flat=True))
    written = 0
    for month in _months(first, over):
        if month not in known and written < MOST_AT_ONCE:
            MonthReport.objects.get_or_create(month=month, defaults={"told": told_report(report(month)), "made_at": now})
            written += 1
    return written


def _months(first: date, end: date) -> list[date]:
    written = []
    while first < end:
        written.append(first)
        first = (first + timedelta(days=32)).replace(day=1)
    return written
