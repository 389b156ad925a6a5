"""Change a store's name, place and limits, what may be done with it, and prove that its passphrase is still known."""

from collections.abc import Callable
from dataclasses import dataclass

from django.db import transaction

from core.errors import BadInput
from core.units import iec
from core.vault.address import FACTS, StoreAddress
from core.vault.errors import AnotherVault
from core.vault.key_slots import slot_opened_by
from server import ports
from server.jobs import defer_compare
from server.people.actions.journal import write_journal
from server.people.models import User
from server.storage.actions.add_store import checked_place
from server.storage.convert import address as address_of_store
from server.storage.convert import columns_of
from server.storage.models import Mode, Store
from server.storage.queries import must_be_here

MOST_WRITERS = 32
MOST_PRICE = 1_000 * 10_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Prices:
    """What its provider asks, in ten-thousandths of the currency's unit; None for what is not known."""

    gib_month: int | None
    thousand_requests: int | None
    currency: str

    def columns(self) -> dict[str, object]:
        """Raises BadInput."""
        prices = {"price_gib_month": self.gib_month, "price_thousand_requests": self.thousand_requests}
        for name, price in prices.items():
            if price is not None and not 0 <= price <= MOST_PRICE:
                raise BadInput("This price is not possible.", field=name, remedy=f"Give one from 0 to {MOST_PRICE // 10_000}, or none.")
        currency = self.currency.strip().upper()
        if currency and not (len(currency) == 3 and currency.isascii() and currency.isalpha()):
            raise BadInput(f"{self.currency!r} is no currency.", field="currency", remedy="Give its three letters, such as EUR.")
        if not currency and any(price is not None for price in prices.values()):
            raise BadInput("A price needs a currency.", field="currency", remedy="Give its three letters, such as EUR.")
        return prices | {"currency": currency}


SLOWEST_BYTES_PER_SECOND = 16 * 1024
MOST_CHECK_DAYS = 365


@dataclass(frozen=True, slots=True, kw_only=True)
class Checks:
    """How it is read through."""

    days: int | None
    """Within how many; None for only when somebody asks."""
    limit_bytes_per_second: int | None

    def columns(self) -> dict[str, object]:
        """Raises BadInput."""
        if self.days is not None and not 1 <= self.days <= MOST_CHECK_DAYS:
            remedy = f"Use a number of days from 1 to {MOST_CHECK_DAYS}, or leave it empty."
            raise BadInput("Nothing can be read through in that time.", field="check_days", remedy=remedy)
        if self.limit_bytes_per_second is not None and self.limit_bytes_per_second < SLOWEST_BYTES_PER_SECOND:
            remedy = "Give at least 16 KiB a second, or leave it empty."
            raise BadInput("It would never end at that speed.", field="check_limit_bytes_per_second", remedy=remedy)
        return {"check_days": self.days, "check_limit_bytes_per_second": self.limit_bytes_per_second}


def change_store(
    store: Store,
    *,
    name: str,
    allowance_bytes: int | None,
    by: User,
    off_site: bool | None = None,
    max_writers: int | None = None,
    address: StoreAddress | None = None,
    prices: Prices | None = None,
    checks: Checks | None = None,
    same: Callable[[], None] | None = None,
) -> Store:
    """Without an `address` it stays where it is; at another one its own vault has to lie. Raises BadInput, StoreError, VaultError.

    `same` is called once nobody else can change it, and raises when it is not as it was read.
    """
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
    moved = _proven(store, address) if address is not None else {}  # opens the store, so before anything is locked
    with transaction.atomic():
        row = Store.objects.select_for_update().get(id=store.id)
        if same is not None:
            same()
        changes = {"name": name.strip(), "allowance_bytes": allowance_bytes, **moved}
        changes |= {} if max_writers is None else {"max_writers": max_writers}
        changes |= {} if off_site is None else {"off_site": off_site}
        changes |= {} if prices is None else prices.columns()
        changes |= {} if checks is None else checks.columns()
        for column, value in changes.items():
            setattr(row, column, value)
        row.save(update_fields=list(changes))
        limit = "no limit" if allowance_bytes is None else f"an allowance of {iec(allowance_bytes)}"
        write_journal(
            who=by,
            what="store.changed",
            facts={"name": row.name, "where": row.where, "limit": limit, "off_site": row.off_site},
            at=ports.clock().now(),
            store=row.id,
        )
    return row


def _proven(store: Store, address: StoreAddress) -> dict[str, object]:
    """Its columns for a new place. A store is known by its identity, so that another one there is refused."""
    address = checked_place(address, of=store)
    if ports.stores().open_vault(address).store.hex() != store.vault_id:
        remedy = "Give the place where this store lies now; its name says nothing of it."
        raise AnotherVault("Another store lies there.", field=FACTS[address.medium].required[0], remedy=remedy)
    return columns_of(address)


def set_mode(store: Store, mode: str, *, why: str, by: User) -> Store:
    """Raises BadInput. From in use to detached and back, at any time: nothing is lost by it."""
    allowed = [one for one in Mode.values if one != Mode.RETIRED]
    if mode not in allowed:
        raise BadInput(f"There is no mode {mode!r}.", field="mode", remedy=f"Use one of: {', '.join(allowed)}.")
    with transaction.atomic():
        row = Store.objects.select_for_update().get(id=store.id)
        row.mode = mode
        # whoever detaches knows that it is not there; whoever takes it up again is told anew
        row.trouble = row.trouble_code = row.trouble_remedy = ""
        row.retired_at, row.draining_into, row.drain_asked_at = None, None, None
        row.save(update_fields=["mode", "trouble", "trouble_code", "trouble_remedy", "retired_at", "draining_into", "drain_asked_at"])
        facts = {"way": mode, "store": row.name, "why": why.strip()[:200]}
        write_journal(who=by, what="store.mode", facts=facts, at=ports.clock().now(), store=row.id)
        if mode == Mode.IN_USE:
            defer_compare(row.id)
    return row


def prove_passphrase(store: Store, *, passphrase: str, by: User) -> Store:
    """Open the store with it and note the day. Raises WrongPassphrase, StoreError."""
    must_be_here(store)
    vault = ports.stores().attach_vault(address_of_store(store), passphrase)
    if vault.store.hex() != store.vault_id:
        raise AnotherVault(f"Another store lies where {store.name} should be, and the passphrase opens that one.")
    which = slot_opened_by(vault, passphrase)
    with transaction.atomic():
        store = Store.objects.select_for_update().get(id=store.id)
        store.passphrase_proven_at = ports.clock().now()
        store.slots_proven |= {which.hex(): store.passphrase_proven_at.isoformat()} if which else {}
        store.save(update_fields=["passphrase_proven_at", "slots_proven"])
        write_journal(who=by, what="store.passphrase_proven", facts={"store": store.name}, at=store.passphrase_proven_at, store=store.id)
    return store
