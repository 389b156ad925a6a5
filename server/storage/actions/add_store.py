"""Add a store: prepare an empty folder with a passphrase, or attach one that holds a vault already."""

from dataclasses import dataclass, field

from django.db import transaction

from core.errors import BadInput
from core.vault.keys import check_new_passphrase
from core.vault.vault import Vault
from server.api.problems import Conflict
from server.outside import outside
from server.people.actions.journal import write_journal
from server.people.models import User
from server.storage.actions.measure import totals
from server.storage.models import Store


@dataclass(frozen=True, slots=True, kw_only=True)
class Prepared:
    """A new store."""

    store: Store
    recovery_code: str = field(repr=False)
    """Shown once, to be printed and locked away; kept nowhere."""


def create_store(*, name: str, path: str, passphrase: str, passphrase_again: str, allowance_bytes: int | None, by: User | None) -> Prepared:
    """Raises BadInput, StoreError, VaultError, Conflict."""
    check_new_passphrase(passphrase, passphrase_again)
    path = _checked(name, path, allowance_bytes)
    vault, code = outside().create_vault(path, passphrase)
    store = _record(name, path, vault, allowance_bytes, by=by, says=f"The store {name} was prepared in {path}.")
    return Prepared(store=store, recovery_code=code)


def attach_store(*, name: str, path: str, passphrase: str, allowance_bytes: int | None, by: User | None) -> Store:
    """Raises WrongPassphrase, NotAVault, StoreError, Conflict."""
    path = _checked(name, path, allowance_bytes)
    vault = outside().attach_vault(path, passphrase)
    return _record(name, path, vault, allowance_bytes, by=by, says=f"The store {name} in {path} was attached.")


def _checked(name: str, path: str, allowance_bytes: int | None) -> str:
    """The path with every link resolved."""
    if not name.strip() or len(name) > 80:
        raise BadInput("The store has no usable name.", field="name", remedy="Give it a name of up to 80 characters.")
    if allowance_bytes is not None and allowance_bytes <= 0:
        raise BadInput("An allowance is more than nothing.", field="allowance_bytes", remedy="Leave it empty for no limit.")
    if Store.objects.filter(name__iexact=name.strip()).exists():
        raise BadInput(f"There is a store {name} already.", field="name", remedy="Choose another name.")
    if Store.objects.filter(path=path).exists():
        raise Conflict("This folder is a store already.", remedy="Choose another folder.")
    return str(outside().place(path))


@transaction.atomic
def _record(name: str, path: str, vault: Vault, allowance_bytes: int | None, *, by: User | None, says: str) -> Store:
    now = outside().now()
    vault_id = vault.store.hex()
    if Store.objects.filter(vault_id=vault_id).exists():
        raise Conflict("This vault is a store already, under another path.", remedy="Correct the path of that store instead.")
    store = Store.objects.create(
        name=name.strip(), path=path, vault_id=vault_id, allowance_bytes=allowance_bytes, added_at=now, passphrase_proven_at=now,
        **totals(vault, now=now),
    )  # fmt: skip
    write_journal(who=by, what="store.added", says=says, at=now, store=store.id)
    return store
