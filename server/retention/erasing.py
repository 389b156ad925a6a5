"""Erasing on request: what would go, from where, until when, what forbids it; and what became of it.

An item is looked for in the stores themselves: only they know what is in a backup. A store that cannot be read now is named, and
looked into when it can.
"""

import hashlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from uuid import UUID

from django.db.models import Prefetch, QuerySet
from django.shortcuts import get_object_or_404

from core.content.kinds import kind
from core.content.scope import erased_mark
from core.errors import AtticError, BadInput
from core.vault.erase import holding
from core.vault.vault import Vault
from server import ports
from server.fleet.models import Device
from server.people.models import Holder
from server.people.queries import office_zone
from server.plans.rules import GONE_STATES
from server.retention.freezing import Frozen
from server.retention.models import Erasure, ErasureStep
from server.runs.models import THERE, Copy, CopyState
from server.storage.models import Store
from server.storage.queries import opened

DAYS_TO_GO = 3
"""From the day on which a store forgets until no pack holds it: two grace periods of a day, and the mornings between."""
WORD = "erase"
MOST_ITEMS = 500


@dataclass(frozen=True, slots=True, kw_only=True)
class ErasureWish:
    """What somebody wants erased: items of one device, or all backups of devices."""

    devices: list[Device]
    items: tuple[tuple[str, str], ...] = ()
    """(kind, item id); none for all backups."""
    holder: Holder | None = None

    @property
    def marks(self) -> list[tuple[str, str]]:
        """(kind, mark)."""
        return [(code, erased_mark(str(self.devices[0].id), code, id)) for code, id in self.items]


@dataclass(frozen=True, slots=True, kw_only=True)
class InStore:
    """What is to be erased in one store."""

    store: Store
    backups: int
    """That hold any of it; all copies there, where the store cannot be read now."""
    held: int
    """Of them, those that stay while their hold lasts."""
    frozen: bool
    unread: str
    """Why it could not be looked into; empty when it was."""
    last_day: date | None
    """On which the last byte is gone from there; None when that hangs on something else first."""


@dataclass(slots=True, kw_only=True)
class Preview:
    """What erasing would remove, before somebody agrees."""

    wish: ErasureWish
    stores: list[InStore] = field(default_factory=list)
    objections: list[str] = field(default_factory=list)
    """Why it cannot be asked for as it is, each with the step that helps."""
    digest: str = ""

    @property
    def last_day(self) -> date | None:
        """None while a store hangs on something else."""
        days = [one.last_day for one in self.stores if one.backups]
        return max((day for day in days if day is not None), default=None) if None not in days else None


def wish_of(*, device: UUID | None, items: Sequence[dict[str, str]], devices: Sequence[UUID], holder: int | None) -> ErasureWish:
    """Raises BadInput, Http404."""
    if (device is None) == (not devices and holder is None):
        raise BadInput("Items of one device, or whole devices.", field="device", remedy="Choose one of the two.")
    person = None if holder is None else get_object_or_404(Holder, id=holder)
    if device is not None:
        if not items or len(items) > MOST_ITEMS:
            raise BadInput(
                f"Choose between one and {MOST_ITEMS} items.", field="items", remedy="Choose the items in a backup of the device."
            )
        chosen = tuple(dict.fromkeys((kind(one["kind"]).code, one["id"]) for one in items))
        return ErasureWish(devices=[get_object_or_404(Device, id=device)], items=chosen)
    wanted = Device.objects.filter(id__in=devices) | (person.devices.all() if person is not None else Device.objects.none())
    rows = list(wanted.select_related("holder", "team", "assignment__plan").distinct().order_by("name", "id"))
    if not rows and person is None:
        raise BadInput("There is no such device.", field="devices", remedy="Choose devices of the list.")
    return ErasureWish(devices=rows, holder=person)


def preview(wish: ErasureWish, *, begins_on: date, now: datetime) -> Preview:
    """Opens every store that has a backup of these devices; items are looked for in each."""
    preview, frozen, today = Preview(wish=wish), Frozen.read(), now.astimezone(office_zone()).date()
    if begins_on < today:
        raise BadInput("That day is over.", field="begins_on", remedy="Give today, or a day that lies ahead.")
    preview.objections = [] if wish.items else list(_still_in_use(wish.devices))
    seen = []
    for store, copies in _copies(wish.devices).items():
        backups, unread = set(copies), ""
        if wish.items:
            try:
                backups = set(found_in(opened(store), wish)) & set(copies)
            except AtticError as error:
                unread = error.message
        held = sum(bool(copies[id].backup.hold_reason) for id in backups)
        is_frozen = any(frozen.holds(store.id, device.team_id) for device in wish.devices)
        sure = not (unread or held or is_frozen or store.trouble)
        preview.stores.append(
            InStore(
                store=store, backups=len(backups), held=held, frozen=is_frozen, unread=unread or store.trouble,
                last_day=begins_on + timedelta(days=DAYS_TO_GO) if sure else None,
            )
        )  # fmt: skip
        seen += [f"{store.id} {id}" for id in backups]
    preview.digest = hashlib.sha256("\n".join(sorted(seen)).encode()).hexdigest()
    return preview


def found_in(vault: Vault, wish: ErasureWish) -> list[UUID]:
    """Backups in a store that hold any of the items. Raises AtticError."""
    return [UUID(bytes=id) for id in holding(vault, device=str(wish.devices[0].id), items=wish.marks)]


def item_names(wish: ErasureWish) -> list[dict[str, str]]:
    """[{kind, id, mark, name}] as the newest backup that can be read calls them; the id where none does."""
    names = {one: one[1] for one in wish.items}
    for copy in _newest_first(wish.devices[0]):
        try:
            vault = opened(copy.store)
            vault.refresh()
            manifest = vault.manifest(copy.backup_id.bytes)
            stored_items = {one: vault.item(manifest, *one) for one in wish.items}
        except AtticError:
            continue  # another backup knows them as well
        for one, stored in stored_items.items():
            if stored is not None and names[one] == one[1]:
                names[one] = stored.item.name
        break
    return [
        {"kind": code, "id": id, "mark": mark, "name": names[code, id]}
        for (code, id), (_, mark) in zip(wish.items, wish.marks, strict=True)
    ]


def _newest_first(device: Device) -> QuerySet[Copy]:
    rows = Copy.objects.filter(backup__device=device, state__in=THERE, store__trouble="").select_related("store", "backup")
    return rows.order_by("-backup__finished_at", "id")[:3]


def _copies(devices: Sequence[Device]) -> dict[Store, dict[UUID, Copy]]:
    """Store → backup → its copy there."""
    rows = Copy.objects.filter(backup__device__in=devices, state__in=(*THERE, CopyState.MISSING)).select_related("store", "backup")
    copies: dict[Store, dict[UUID, Copy]] = {}
    for row in rows.order_by("store__name", "store_id"):
        copies.setdefault(row.store, {})[row.backup_id] = row
    return copies


def _still_in_use(devices: Iterable[Device]) -> Iterable[str]:
    for device in devices:
        assignment = getattr(device, "assignment", None)
        if assignment is not None and device.state not in GONE_STATES:
            yield f"{device.name} still follows {assignment.plan.name}: its next run would store it anew. Retire it first, or take it out."


def erasures() -> QuerySet[Erasure]:
    """With their steps, the newest first."""
    steps = ErasureStep.objects.select_related("store").order_by("store__name")
    rows = Erasure.objects.select_related("by", "called_off_by", "holder")
    return rows.prefetch_related(Prefetch("steps", steps), Prefetch("devices", Device.objects.order_by("name")))


def erasure(id: UUID) -> Erasure:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(erasures(), id=id)


def expected_end(erasure: Erasure) -> date | None:
    """The day on which the last byte is gone as far as that can be told now; None while something else has to happen first."""
    today = ports.clock().now().astimezone(office_zone()).date()
    days = []
    for step in erasure.steps.all():
        if step.state == step.States.GONE and step.gone_at is not None:
            days.append(step.gone_at.astimezone(office_zone()).date())
        elif step.trouble or step.held:
            return None
        elif step.erased_at is not None:
            days.append(max(today, step.erased_at.astimezone(office_zone()).date() + timedelta(days=DAYS_TO_GO)))
        else:
            days.append(max(today, erasure.begins_on) + timedelta(days=DAYS_TO_GO))
    return max(days, default=None)
