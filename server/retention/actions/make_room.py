"""Make room in a store: what was chosen on the bench leaves it, with a reason, and can be kept after all until its day."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any
from uuid import UUID

from django.db.models import Q

from core.errors import BadInput
from core.quota.ladder import Rung
from core.units import iec
from server import ports
from server.api.problems import ChangedMeanwhile
from server.fleet.convert import account_of
from server.jobs import defer_sweep
from server.live import publish
from server.people.actions.journal import write_journal
from server.people.clock import believe_clock
from server.people.models import User
from server.plans.actions.choose_kinds import choose_kinds
from server.plans.actions.leave_out import leave_out
from server.retention.actions.remove_backups import remove_backups
from server.retention.removal import Removal, removal_of
from server.retention.room.bench import Bench, Sum, bench, chosen, summed
from server.retention.room.left_out import LeavesOut
from server.retention.room.offers import RoomOffer
from server.storage.at_hand import forget
from server.storage.models import Store
from server.storage.queries import must_be_here

LONGEST_WAIT = timedelta(days=400)
"""So long after what keeps everything was said, sweeps still leave no waste."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Looked:
    """The list once more, before anything is done."""

    sum: Sum
    removal: Removal | None
    """What leaves; None where only waste was chosen."""
    leaves_out: list[str]
    """What plans take no more from their next runs on."""
    picked: list[RoomOffer]
    waits: bool
    """For something that keeps everything here."""
    digest: str


def look_once_more(store: Store, keys: Sequence[str]) -> Looked:
    """Raises BadInput, StoreError, VaultError."""
    now = ports.clock().now()
    offered = bench(store, now=now)
    return _looked(offered, keys)


def _looked(offered: Bench, keys: Sequence[str]) -> Looked:
    picked = chosen(offered, keys)
    if not picked:
        raise BadInput("Nothing was chosen.", field="moves", remedy="Tick what is to go.")
    backups = sorted({id for one in picked for id in one.backups})
    removal = removal_of(backups=backups, store=offered.store.id) if backups else None
    out = [one.leaves_out for one in picked if one.leaves_out is not None]
    kinds = " ".join(f"{one.plan.id} {one.plan.revision} {one.kinds} {sorted(str(device.id) for device in one.devices)}" for one in out)
    words = f"{' '.join(sorted(keys))} {removal.digest if removal else ''} {kinds}"
    return Looked(
        sum=summed(offered, picked, now=ports.clock().now()), removal=removal, leaves_out=[one.title for one in out], picked=picked,
        waits=bool(offered.waits_for), digest=hashlib.sha256(words.encode()).hexdigest(),
    )  # fmt: skip


def make_room(store: Store, keys: Sequence[str], *, why: str, seen: str, by: User, word: str = "") -> Looked:
    """`seen`: the digest of the list. Raises BadInput, ChangedMeanwhile, Conflict, StoreError, VaultError."""
    believe_clock()
    must_be_here(store)
    if not why.strip():
        raise BadInput("Making room needs a reason.", field="why", remedy="Say why, for whoever reads the journal.")
    forget()
    looked = look_once_more(store, keys)
    if looked.digest != seen:
        raise ChangedMeanwhile("What would go is not what was shown.")
    if looked.removal is not None:
        backups: list[UUID] = sorted({copy.backup_id for copy in looked.removal.copies})
        remove_backups(why=why, by=by, seen=looked.removal.digest, word=word, backups=backups, store=store.id)
    for one in looked.picked:
        if one.leaves_out is not None:
            _leave_out(one.leaves_out, why=why, by=by)
    if looked.sum.free_on is not None:
        until = looked.sum.free_on + (LONGEST_WAIT if looked.waits else timedelta())
        shorter = Q(thorough_until=None) | Q(thorough_until__lt=until)
        Store.objects.filter(shorter, id=store.id).update(thorough_until=until)
        defer_sweep(store.id)
    write_journal(who=by, what="store.room_made", facts=_facts(store, looked, why), at=ports.clock().now(), store=store.id)
    publish("changed", "stores")
    return looked


def _leave_out(leaves: LeavesOut, *, why: str, by: User) -> None:
    """What a service keeps in step is left out of the devices of which it does; all else out of the plan."""
    if leaves.rung is not Rung.IN_STEP:
        leave_out(leaves.plan, leaves.kinds, why=why, by=by)
        return
    for device in leaves.devices:
        kept = {account.kind for account in map(account_of, device.accounts) if account.keeps}
        choose_kinds(device, kinds=kept & set(leaves.kinds), taken=False, service="", alike=False, why=why, by=by)


def _facts(store: Store, looked: Looked, why: str) -> dict[str, Any]:
    """Sizes and days of what is free soon and of what is free as old backups go; empty where there is no such part."""
    sum = looked.sum
    return {
        "store": store.name,
        "size": iec(sum.given_back_bytes) if sum.free_on else "",
        "by": f"{sum.free_on:%d %b}" if sum.free_on and not looked.waits else "",
        "waits": bool(sum.free_on and looked.waits),
        "both": bool(sum.free_on and sum.later_on),
        "later": iec(sum.later_bytes) if sum.later_on else "",
        "until": f"{sum.later_on:%d %b %Y}" if sum.later_on else "",
        "why": why.strip()[:200],
    }
