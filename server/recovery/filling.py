"""What fills a device in a store: read from its backups there, and kept at hand for a while."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

from core.content.scope import Exclusion
from core.errors import BadInput
from core.quota.conversations import Talks, by_conversation
from core.quota.filling import Effect, Filling, Folder, Growth, Held
from core.vault.errors import NoSuchBackup
from server.fleet.models import Device
from server.plans.convert import leave_out_of
from server.plans.models import Assignment, Plan
from server.runs.models import THERE, Copy, CopyState
from server.storage.at_hand import AtHand, at_hand
from server.storage.models import Occupancy, Store

MOST_LINES = 40


@dataclass(frozen=True, slots=True, kw_only=True)
class Filled:
    """Of one device in one store."""

    store: Store
    stores: Sequence[Store]
    """All that hold anything of it, where it occupies most first."""
    newest: UUID
    newest_at: datetime
    backups: int
    plan: Plan | None
    unread: int
    largest: list[Held]
    folders: list[Folder]
    growth: list[Growth]
    only_old: list[Held]
    only_old_items: int
    only_old_bytes: int
    only_old_apart_bytes: int
    talks: Talks


@dataclass(frozen=True, slots=True, kw_only=True)
class LeftOut:
    """What an exclusion would mean."""

    effect: Effect
    plan: Plan | None
    others: int
    """Other devices of the plan: it is for them, too."""
    already: bool
    """The plan leaves it out, or something above it."""


def stores_of(device: Device) -> list[Store]:
    """Those that hold anything of it, where it occupies most first. Two queries."""
    held = dict(Occupancy.objects.filter(device=device).values_list("store_id", "fair_bytes"))
    ids = Copy.objects.filter(backup__device=device, state__in=THERE).order_by().values("store").distinct()
    return sorted(Store.objects.filter(id__in=ids), key=lambda one: (-held.get(one.id, 0), one.name))


def filled(device: Device, store: UUID | None) -> Filled:
    """Of the store that is asked for, or where it occupies most. Raises NoSuchBackup, StoreError, VaultError, DeviceSealed."""
    stores = stores_of(device)
    chosen = _chosen(stores, store)
    known = at_hand(chosen)
    with known.lock:
        filling = _filling(known, device, chosen)
        newest = filling.backups[-1]
        return Filled(
            store=chosen, stores=stores, newest=UUID(bytes=newest.id), newest_at=newest.finished_at, backups=len(filling.backups),
            plan=_plan(device), unread=filling.unread, largest=filling.largest(MOST_LINES), folders=filling.folders(MOST_LINES),
            growth=filling.growth(), only_old=filling.only_old(MOST_LINES), only_old_items=filling.only_old_items,
            only_old_bytes=filling.only_old_bytes, only_old_apart_bytes=filling.only_old_apart_bytes,
            talks=by_conversation(known.vault, newest),
        )  # fmt: skip


def left_out(device: Device, store: UUID | None, exclusion: Exclusion) -> LeftOut:
    """Raises as `filled` does."""
    chosen = _chosen(stores_of(device), store)
    known = at_hand(chosen)
    with known.lock:
        effect = _filling(known, device, chosen).left_out(exclusion)
    plan = _plan(device)
    already = plan is not None and any(one.covers(exclusion) for one in leave_out_of(plan).exclusions)
    others = Assignment.objects.filter(plan=plan).exclude(device=device).count() if plan else 0
    return LeftOut(effect=effect, plan=plan, others=others, already=already)


def _chosen(stores: Sequence[Store], store: UUID | None) -> Store:
    if not stores:
        raise NoSuchBackup("No store holds anything of this device.", remedy="Look again after its next run.")
    if store is None:
        return stores[0]
    one_store = next((one for one in stores if one.id == store), None)
    if one_store is None:
        raise BadInput("That store holds nothing of this device.", field="store", remedy="Choose one of the others.")
    return one_store


def _plan(device: Device) -> Plan | None:
    assignment = Assignment.objects.select_related("plan").filter(device=device).first()
    return assignment.plan if assignment else None


def _filling(known: AtHand, device: Device, store: Store) -> Filling:
    """Of its backups that stay: what leaves already is not what fills it."""
    leaving = Copy.objects.filter(store=store, backup__device=device, state__in=(CopyState.LEAVING, CopyState.REMOVING))
    going = {id.bytes for id in leaving.values_list("backup_id", flat=True)}
    mine = [one for one in known.accounts.manifests if one.device == str(device.id) and one.id not in going]
    key = frozenset(one.id for one in mine)
    if key not in known.filling:
        known.filling[key] = Filling(known.vault, known.accounts, mine)
    return known.filling[key]
