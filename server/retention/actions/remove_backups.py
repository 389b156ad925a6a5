"""Remove backups by hand: their copies begin to leave, and can be kept after all until their day."""

from collections.abc import Sequence
from datetime import timedelta
from uuid import UUID

from django.db import transaction

from core.errors import BadInput
from server import ports
from server.api.problems import ChangedMeanwhile, Conflict
from server.live import publish
from server.locks import lock_devices
from server.people.actions.journal import write_journal
from server.people.clock import believe_clock
from server.people.models import User
from server.people.queries import office_settings, office_zone
from server.retention.actions.apply_rule import begin_to_leave
from server.retention.consequences import WORD
from server.retention.removal import Removal, removal_of
from server.runs.models import Copy, CopyState
from server.transition import held


class NothingMayLeave(Conflict):
    """All of what was chosen is on hold, or nothing leaves for now."""

    code = "backup.may_not_leave"
    remedy = "Release the hold, or lift what forbids it, first."


@transaction.atomic
def remove_backups(
    *, why: str, by: User, seen: str, word: str = "", backups: Sequence[UUID] = (), device: UUID | None = None, store: UUID | None = None
) -> Removal:
    """`seen`: the digest of what was shown. What is in use leaves once it is not. Raises BadInput, ChangedMeanwhile, ClockInDoubt."""
    believe_clock()
    if not why.strip():
        raise BadInput("A removal needs a reason.", field="why", remedy="Say why, for whoever reads the journal.")
    shown = removal_of(backups=backups, device=device, store=store)
    lock_devices(one.device.id for one in shown.devices)
    removal = removal_of(backups=backups, device=device, store=store)
    if not removal.copies:
        raise NothingMayLeave("Nothing of what was chosen may leave.")
    if removal.digest != seen:
        raise ChangedMeanwhile("What would leave is not what was shown.")
    if removal.needs_word and word.strip().lower() != WORD:
        raise BadInput("This removes more than usual.", field="word", remedy=f"Read what will be lost, and type “{WORD}”.")
    now = ports.clock().now()
    on = now.astimezone(office_zone()).date() + timedelta(days=office_settings().undo_days)
    for copy in removal.copies:
        begin_to_leave(held(Copy, copy.id), why=why.strip(), on=on, now=now, leaving_by=by, by_hand=True)
    Copy.objects.filter(backup__in=_gone_everywhere(removal), state=CopyState.OWED, by=None).delete()
    for one in removal.devices:
        count = sum(copy.backup.device_id == one.device.id for copy in removal.copies)
        facts = {"count": count, "backups": one.going, "device": one.device.name, "on": on, "why": why.strip()[:200]}
        write_journal(who=by, what="backup.removed_by_hand", facts=facts, at=now, device=one.device.id)
    publish("changed", "devices")
    return removal


def _gone_everywhere(removal: Removal) -> set[UUID]:
    """Backups of which nothing stays anywhere: no copy of them is owed any more."""
    going = {copy.id for copy in removal.copies}
    touched = {copy.backup_id for copy in removal.copies}
    left = Copy.objects.filter(backup__in=touched, state=CopyState.PRESENT).exclude(id__in=going).values_list("backup_id", flat=True)
    return touched - set(left)
