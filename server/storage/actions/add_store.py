"""Add a store: prepare an empty place with a passphrase, or attach one that holds a vault already.

Stores that one office adds are sealed with one key, so that sealed bytes move between them as they are; one that is to
be opened by others can have a key of its own.
"""

from dataclasses import dataclass, field

from django.db import transaction

from core.errors import AtticError, BadInput
from core.vault.address import FACTS, DriveAddress, FolderAddress, StoreAddress, part_within, where_words
from core.vault.keys import check_new_passphrase
from core.vault.sweeper import who_sweeps
from core.vault.vault import Vault
from server import ports
from server.api.problems import Conflict
from server.jobs import defer_compare
from server.people.actions.journal import write_journal
from server.people.models import User
from server.storage.actions.measure import totals
from server.storage.convert import columns_of, shown_address
from server.storage.models import OUT_OF_USE, Drive, DriveState, Store
from server.storage.queries import of_the_offices_key, opened, this_server


@dataclass(frozen=True, slots=True, kw_only=True)
class Prepared:
    """A new store."""

    store: Store
    recovery_code: str = field(repr=False)
    """Shown once, to be printed and locked away; kept nowhere."""


def create_store(
    *,
    name: str,
    address: StoreAddress,
    passphrase: str,
    passphrase_again: str,
    allowance_bytes: int | None,
    by: User | None,
    own_key: bool = False,
) -> Prepared:
    """Raises BadInput, StoreError, VaultError, Conflict."""
    check_new_passphrase(passphrase, passphrase_again)
    address = checked(name, address, allowance_bytes)
    shared = None if own_key else _with_the_offices_key()
    vault, code = ports.stores().create_vault(address, passphrase, same_key_as=shared)
    store = _record(name, address, vault, allowance_bytes, by=by, way="own_key" if own_key else "offices_key")
    return Prepared(store=store, recovery_code=code)


def attach_store(*, name: str, address: StoreAddress, passphrase: str, allowance_bytes: int | None, by: User | None) -> Store:
    """Raises WrongPassphrase, NotAVault, StoreError, Conflict."""
    address = checked(name, address, allowance_bytes)
    vault = ports.stores().attach_vault(address, passphrase)
    return _record(name, address, vault, allowance_bytes, by=by, way="attached")


def _with_the_offices_key() -> Vault | None:
    """Any store sealed with the key of the office's first one, opened; None for a first store. Raises Conflict when none answers."""
    first = Store.objects.order_by("added_at", "id").first()
    if first is None:
        return None
    for store in of_the_offices_key().exclude(mode__in=OUT_OF_USE).order_by("medium", "added_at"):
        try:
            return opened(store)
        except AtticError:  # another one may answer; whether this one does is told on its own page
            continue
    raise Conflict(
        f"No store that has the office's key can be opened now, {first.name} for one.",
        remedy="Connect it and try again, or prepare this store with a key of its own.",
    )


def checked(name: str, address: StoreAddress, allowance_bytes: int | None) -> StoreAddress:
    """The address with every link in a path resolved; nothing is opened. Raises BadInput, Conflict."""
    if not name.strip() or len(name) > 80:
        raise BadInput("The store has no usable name.", field="name", remedy="Give it a name of up to 80 characters.")
    if allowance_bytes is not None and allowance_bytes <= 0:
        raise BadInput("An allowance is more than nothing.", field="allowance_bytes", remedy="Leave it empty for no limit.")
    if Store.objects.filter(name__iexact=name.strip()).exists():
        raise BadInput(f"There is a store {name} already.", field="name", remedy="Choose another name.")
    return checked_place(address)


def checked_place(address: StoreAddress, *, of: Store | None = None) -> StoreAddress:
    """Raises BadInput, Conflict when another store lies there, or around it, or in it."""
    others = Store.objects.exclude(id=of.id) if of else Store.objects.all()
    if of is None and others.filter(where=where_words(address)).exclude(drive__state=DriveState.OUT).exists():
        raise Conflict("There is a store already.", remedy="Choose another place.")
    if isinstance(address, FolderAddress | DriveAddress):
        return type(address)(path=str(ports.stores().place(address.path, of_store=of.id if of else None)))
    for other in others.filter(medium=address.medium.value):
        if part := part_within(address, shown_address(other)):
            remedy = "Choose a place that is no part of another store's."
            raise BadInput(f"The store {other.name} lies around this place, or in it.", field=part, remedy=remedy)
    return address


@transaction.atomic
def _record(name: str, address: StoreAddress, vault: Vault, allowance_bytes: int | None, *, by: User | None, way: str) -> Store:
    now = ports.clock().now()
    vault_id = vault.store.hex()
    if Store.objects.filter(vault_id=vault_id).exists():
        raise Conflict("This vault is a store already, at another place.", remedy="Correct the place of that store instead.")
    store = Store.objects.create(
        name=name.strip(), vault_id=vault_id, allowance_bytes=allowance_bytes, added_at=now, passphrase_proven_at=now,
        off_site=FACTS[address.medium].outside, swept_by=_swept_by(vault), **columns_of(address), **totals(vault, now=now),
    )  # fmt: skip
    if store.comes_and_goes:
        Drive.objects.create(store=store, seen_at=now)
    write_journal(who=by, what="store.added", way=way, facts={"store": name, "place": where_words(address)}, at=now, store=store.id)
    defer_compare(store.id)  # what lies there already is told at once
    return store


def _swept_by(vault: Vault) -> str:
    """Another server that has said so; empty when it is for this one to do."""
    sweeper = who_sweeps(vault).sweeper
    return sweeper.name[:200] if sweeper.who and sweeper.who != this_server().who else ""
