"""Days on which the office is closed: from a calendar file, or one by one."""

from collections.abc import Sequence
from datetime import date

from django.db import transaction

from core.exchange.office_days import Holiday
from server import ports
from server.people.actions.journal import write_journal
from server.people.models import ClosedDay, User


@transaction.atomic
def add_closed_days(days: Sequence[Holiday], *, by: User) -> None:
    """Those that are not in the list yet, and new names for those that are."""
    known = set(ClosedDay.objects.filter(day__in=[one.day for one in days]).values_list("day", flat=True))
    rows = [ClosedDay(day=one.day, name=one.name) for one in days]
    ClosedDay.objects.bulk_create(rows, update_conflicts=True, update_fields=["name"], unique_fields=["day"])
    new = [one for one in days if one.day not in known]
    if new:
        facts = {"count": len(new), "first": new[0].day, "last": new[-1].day}
        write_journal(who=by, what="closed_days.added", facts=facts, at=ports.clock().now())


@transaction.atomic
def remove_closed_day(day: date, *, by: User) -> None:
    """Nothing happens when it is not in the list."""
    count, _ = ClosedDay.objects.filter(day=day).delete()
    if count:
        write_journal(who=by, what="closed_days.removed", facts={"day": day}, at=ports.clock().now())
