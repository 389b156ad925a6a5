"""Accept an older copy of a store in place of the one that is lost. What it lacks is listed as missing afterwards."""

from django.db import transaction

from core.vault.errors import AnotherVault
from server import ports
from server.jobs import defer_compare
from server.people.actions.journal import write_journal
from server.people.models import User
from server.storage.convert import address
from server.storage.models import Store
from server.storage.queries import must_be_here


def accept_store(store: Store, *, by: User) -> Store:
    """Raises AnotherVault, StoreError, VaultError. Opens the store before anything is written."""
    must_be_here(store)
    vault = ports.stores().open_vault(address(store))
    if vault.store.hex() != store.vault_id:
        raise AnotherVault(f"Another vault lies where {store.name} should be: at {store.where}.")
    with transaction.atomic():
        Store.objects.filter(id=store.id).update(newest_note="", remembered={}, trouble="", trouble_code="", trouble_remedy="")
        write_journal(
            who=by, what="store.accepted", facts={"store": store.name, "where": store.where}, at=ports.clock().now(), store=store.id
        )
        defer_compare(store.id)
    store.refresh_from_db()
    return store
