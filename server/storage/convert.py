"""Between the rows of stores and the words of the core."""

import json
from typing import Any

from core.vault.address import FACTS, Medium, StoreAddress, address_of, secrets_of, settings_of, where_words
from server import ports
from server.storage.models import Store

PURPOSE = "store credentials"


def address(store: Store) -> StoreAddress:
    """With its secrets, for whoever opens it. Raises KeyMissing, BadInput."""
    secrets = json.loads(ports.keys().unseal(PURPOSE, bytes(store.credentials))) if store.credentials else {}
    return address_of(store.medium, store.address | secrets)


def shown_address(store: Store) -> StoreAddress:
    """Without its secrets: enough to say where it lies, not to open it."""
    return FACTS[Medium(store.medium)].address(**store.address)


def columns_of(address: StoreAddress) -> dict[str, Any]:
    """The address as the row keeps it: what is secret is sealed."""
    secrets = secrets_of(address)
    sealed = ports.keys().seal(PURPOSE, json.dumps(secrets).encode()) if secrets else None
    return {"medium": address.medium.value, "where": where_words(address), "address": settings_of(address), "credentials": sealed}


def changed_address(store: Store, settings: dict[str, Any]) -> StoreAddress | None:
    """The store's address with these fields changed; None when nothing is. A secret that is left empty stays, one that is None
    is forgotten. Raises BadInput."""
    now = address(store)
    secrets = secrets_of(now)
    changed = {name: value or "" for name, value in settings.items() if value != "" or name not in FACTS[now.medium].secrets}
    moved = address_of(store.medium, settings_of(now) | secrets | changed)
    return None if moved == now else moved


def limit_of(store: Store) -> int | None:
    """What it can hold: the smaller of its allowance and of what it holds with what its medium has left."""
    limits = [store.allowance_bytes, None if store.free_bytes is None else store.stored_bytes + store.free_bytes]
    return min((one for one in limits if one is not None), default=None)
