"""How many bytes nothing needs any more once copies have left: counted from each store's own references, not from the list."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from uuid import UUID

from core.errors import AtticError
from core.vault.errors import NoSuchBackup
from core.vault.giving_back import given_back
from server.storage.models import Store
from server.storage.queries import opened


@dataclass(frozen=True, slots=True, kw_only=True)
class Freed:
    """Of one store."""

    store_name: str
    bytes: int | None
    """Sealed, needed by nothing else there; None where that cannot be told now."""
    given_back_bytes: int | None = None
    """By how much the store is smaller for it in the end, by sweeps as they are set."""
    why_not: str = ""


def no_longer_needed(going: Mapping[UUID, Collection[UUID]]) -> list[Freed]:
    """Store → backups whose copies leave it. A store that cannot be opened says so and holds up no other."""
    ends = []
    for store in Store.objects.filter(id__in=going).order_by("name"):
        try:
            vault = opened(store)
            back = given_back(vault, [id.bytes for id in going[store.id]])
            ends.append(Freed(store_name=store.name, bytes=back.no_longer_needed_bytes, given_back_bytes=back.given_back_bytes))
        except NoSuchBackup:
            ends.append(Freed(store_name=store.name, bytes=None, why_not="It does not hold all of them any more."))
        except AtticError as error:
            ends.append(Freed(store_name=store.name, bytes=None, why_not=error.message))
    return ends
