"""Ask that something be erased on request, and call that off before its day. What is erased is gone for good; so it is typed."""

from datetime import date, datetime

from django.db import transaction

from core.errors import BadInput
from server.api.problems import ChangedMeanwhile, Conflict
from server.live import publish
from server.locks import lock_devices
from server.people.actions.journal import write_journal
from server.people.clock import believe_clock
from server.people.models import User
from server.retention.erasing import WORD, ErasureWish, item_names, preview
from server.retention.models import Erasure, ErasureState, ErasureStep
from server.runs.models import Copy, CopyState
from server.transition import held, move


class StillInUse(Conflict):
    """What is to be erased would be stored anew."""

    code = "erasure.still_in_use"
    remedy = "Retire the devices, or take them out of their plan, first."


def ask_erasure(
    wish: ErasureWish, *, reference: str, begins_on: date, seen: str, word: str, by: User, now: datetime, forgets_names: bool = False
) -> Erasure:
    """`seen`: the digest of what was shown. Stores are opened before anything is locked. Raises BadInput, Conflict, ClockInDoubt."""
    believe_clock()
    if not reference.strip():
        raise BadInput(
            "Whose wish is it?", field="reference", remedy="Give a number or a date by which the request can be found in the file."
        )
    if word.strip().lower() != WORD:
        raise BadInput("What is erased cannot be brought back.", field="word", remedy=f"Read what will go, and type “{WORD}”.")
    foreseen = preview(wish, begins_on=begins_on, now=now)
    if foreseen.objections:
        raise StillInUse(foreseen.objections[0])
    if foreseen.digest != seen:
        raise ChangedMeanwhile("What would be erased is not what was shown.")
    if wish.items and not any(one.backups for one in foreseen.stores):
        raise Conflict("No backup holds any of this.", remedy="Look whether it was erased already.")
    return _written(wish, item_names(wish) if wish.items else [], reference.strip(), begins_on, forgets_names, by, now)


@transaction.atomic
def _written(
    wish: ErasureWish, items: list[dict[str, str]], reference: str, begins_on: date, forgets_names: bool, by: User, now: datetime
) -> Erasure:
    lock_devices(device.id for device in wish.devices)
    row = Erasure.objects.create(
        reference=reference[:200], holder=wish.holder, whole=not wish.items, items=items, by=by, asked_at=now, begins_on=begins_on,
        forgets_names=forgets_names and not wish.items,
    )  # fmt: skip
    row.devices.set(wish.devices)
    add_steps(row)
    write_journal(who=by, what="erasure.asked", facts={"what": words_of(row), "begins_on": begins_on}, at=now)
    publish("changed", "erasures")
    return row


def add_steps(row: Erasure) -> None:
    """One for each store that has, or should have, a backup of its devices."""
    copies = Copy.objects.filter(backup__device__in=row.devices.all()).exclude(state=CopyState.REMOVED)
    for store in copies.order_by("store__name").values_list("store", flat=True).distinct():
        ErasureStep.objects.get_or_create(erasure=row, store_id=store)


def words_of(row: Erasure) -> str:
    """Without any name of an item: what the journal keeps."""
    devices = ", ".join(device.name for device in row.devices.all()[:5])
    if row.whole:
        return f"Everything of {devices or 'a person without devices'} ({row.reference})"
    count = len(row.items)
    return f"{count} {'item' if count == 1 else 'items'} of {devices} ({row.reference})"


@transaction.atomic
def call_off(row: Erasure, *, why: str, by: User, now: datetime) -> None:
    """Only before it has begun. Raises BadInput, Conflict."""
    if not why.strip():
        raise BadInput("This needs a reason.", field="why", remedy="Say why it is not erased after all: it goes into the file.")
    erasure = held(Erasure, row.id)
    if erasure.state != ErasureState.ASKED:
        raise Conflict("It has begun, or is over.", remedy="Load the page again.")
    move(
        erasure,
        ErasureState.CALLED_OFF,
        called_off_at=now,
        called_off_by=by,
        called_off_why=why.strip()[:200],
        items=nameless(erasure.items),
    )
    write_journal(who=by, what="erasure.called_off", facts={"what": words_of(erasure), "called_off_why": erasure.called_off_why}, at=now)
    publish("changed", "erasures")


def nameless(items: list[dict[str, str]]) -> list[dict[str, str]]:
    """Kinds and marks only: enough to know an item again."""
    return [one | {"id": "", "name": ""} for one in items]
