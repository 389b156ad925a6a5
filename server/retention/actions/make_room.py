"""Make room in a store: what was chosen on the bench leaves it, with a reason, and can be kept after all until its day."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from django.db.models import Q

from core.errors import BadInput
from core.units import iec
from server.api.problems import ChangedMeanwhile
from server.jobs import defer_sweep
from server.live import tell
from server.outside import outside
from server.people.actions.journal import write_journal
from server.people.clock import believe_clock
from server.people.models import User
from server.retention.actions.remove_backups import remove_backups
from server.retention.removal import Removal, removal_of
from server.retention.room.bench import Bench, Sum, bench, chosen, summed
from server.storage.at_hand import forget
from server.storage.models import Store
from server.storage.queries import must_be_here


@dataclass(frozen=True, slots=True, kw_only=True)
class Looked:
    """The list once more, before anything is done."""

    sum: Sum
    removal: Removal | None
    """What leaves; None where only waste was chosen."""
    digest: str


def look_once_more(store: Store, keys: Sequence[str]) -> Looked:
    """Raises BadInput, StoreError, VaultError."""
    now = outside().now()
    found = bench(store, now=now)
    return _looked(found, keys)


def _looked(found: Bench, keys: Sequence[str]) -> Looked:
    picked = chosen(found, keys)
    if not picked:
        raise BadInput("Nothing was chosen.", field="moves", remedy="Tick what is to go.")
    backups = sorted({id for one in picked for id in one.backups})
    removal = removal_of(backups=backups, store=found.store.id) if backups else None
    told = f"{' '.join(sorted(keys))} {removal.digest if removal else ''}"
    return Looked(sum=summed(found, picked, now=outside().now()), removal=removal, digest=hashlib.sha256(told.encode()).hexdigest())


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
    shorter = Q(thorough_until=None) | Q(thorough_until__lt=looked.sum.free_on)
    Store.objects.filter(shorter, id=store.id).update(thorough_until=looked.sum.free_on)
    defer_sweep(store.id)
    day = f"{looked.sum.free_on:%d %b}" if looked.sum.free_on else "at once"
    says = f"Room is made in {store.name}: {iec(looked.sum.given_back_bytes)} by {day}. {why.strip()[:200]}"
    write_journal(who=by, what="store.room_made", says=says, at=outside().now(), store=store.id)
    forget()
    tell("changed", "stores")
    return looked
