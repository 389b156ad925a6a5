"""Reading what is on its way out: copies that wait out their undo period, and what would follow a release."""

from dataclasses import dataclass
from datetime import date, datetime
from uuid import UUID

from django.db.models import Q, QuerySet

from server.people.queries import office_zone
from server.retention.convert import reasons
from server.retention.judging import Context, judged
from server.runs.models import Backup, Copy, CopyState


def leaving(*, store: UUID | None = None, device: UUID | None = None, by_hand: bool | None = None, words: str = "") -> QuerySet[Copy]:
    """What goes next comes first."""
    rows = Copy.objects.filter(state=CopyState.LEAVING).select_related("backup__device__holder", "store", "leaving_by")
    if store is not None:
        rows = rows.filter(store=store)
    if device is not None:
        rows = rows.filter(backup__device=device)
    if by_hand is not None:
        rows = rows.filter(by_hand=by_hand)
    for word in words.split()[:8]:
        rows = rows.filter(
            Q(backup__device__name__icontains=word) | Q(backup__device__holder__name__icontains=word) | Q(store__name__icontains=word)
        )
    return rows.order_by("leaves_on", "id")


@dataclass(frozen=True, slots=True, kw_only=True)
class AfterRelease:
    """What becomes of one copy once its hold is released."""

    store_id: UUID
    store_name: str
    kept: bool
    why: list[str]
    """What keeps it all the same."""
    leaves_on: date | None
    """First day on which it may go; None when it stays."""


def after_release(backup: Backup, *, now: datetime) -> list[AfterRelease]:
    """In each store that has it, as the next night would decide."""
    context = Context.read(now)
    without = judged(backup.device, context, without_hold=backup.id)
    today = now.astimezone(office_zone()).date()
    lines = []
    for verdict in without.verdicts:
        if verdict.moment.id == str(backup.id):
            store = without.copy_of(verdict).store
            on = None if verdict.kept else today + context.undo
            lines.append(AfterRelease(store_id=store.id, store_name=store.name, kept=verdict.kept, why=reasons(verdict), leaves_on=on))
    return sorted(lines, key=lambda one: one.store_name)
