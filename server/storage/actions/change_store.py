"""Change a store's name and allowance, and prove that its passphrase is still known."""

from django.db import transaction

from core.errors import BadInput
from core.units import iec
from core.vault.errors import AnotherVault
from server.outside import outside
from server.people.actions.journal import write_journal
from server.people.models import User
from server.storage.models import Store

MOST_WRITERS = 32


@transaction.atomic
def change_store(
    store: Store,
    *,
    name: str,
    allowance_bytes: int | None,
    by: User,
    off_site: bool | None = None,
    max_writers: int | None = None,
    path: str = "",
) -> Store:
    """An empty `path` leaves it where it is; at another one its own vault has to lie. Raises BadInput, StoreError, VaultError."""
    if not name.strip() or len(name) > 80:
        raise BadInput("The store has no usable name.", field="name", remedy="Give it a name of up to 80 characters.")
    if Store.objects.filter(name__iexact=name.strip()).exclude(id=store.id).exists():
        raise BadInput(f"There is a store {name} already.", field="name", remedy="Choose another name.")
    if allowance_bytes is not None and allowance_bytes <= 0:
        raise BadInput("An allowance is more than nothing.", field="allowance_bytes", remedy="Leave it empty for no limit.")
    if max_writers is not None and not 1 <= max_writers <= MOST_WRITERS:
        raise BadInput(
            f"{max_writers} writers at a time are not possible.", field="max_writers", remedy=f"Use a number from 1 to {MOST_WRITERS}."
        )
    if path and path != store.path:
        _move(store, path)
    store.max_writers = store.max_writers if max_writers is None else max_writers
    store.name, store.allowance_bytes = name.strip(), allowance_bytes
    store.off_site = store.off_site if off_site is None else off_site
    store.save(update_fields=["name", "allowance_bytes", "off_site", "max_writers", "path"])
    limit = "no limit" if allowance_bytes is None else f"an allowance of {iec(allowance_bytes)}"
    where = ", and lies outside of the office" if store.off_site else ""
    write_journal(
        who=by, what="store.changed", says=f"{store.name}, at {store.path}, has {limit}{where}.", at=outside().now(), store=store.id
    )
    return store


def _move(store: Store, path: str) -> None:
    """To where its drive is mounted now. It is known by its identity, so another store there is refused."""
    path = str(outside().place(path, of_store=store.id))
    if outside().open_vault(path).store.hex() != store.vault_id:
        raise AnotherVault(
            "Another store lies there.", field="path", remedy="Give the folder in which this store lies now; its name says nothing of it."
        )
    store.path = path


def prove_passphrase(store: Store, *, passphrase: str, by: User) -> Store:
    """Open the store with it and note the day. Raises WrongPassphrase, StoreError."""
    outside().attach_vault(store.path, passphrase)
    with transaction.atomic():
        store.passphrase_proven_at = outside().now()
        store.save(update_fields=["passphrase_proven_at"])
        says = f"The passphrase of {store.name} was typed and opens it."
        write_journal(who=by, what="store.passphrase_proven", says=says, at=store.passphrase_proven_at, store=store.id)
    return store
