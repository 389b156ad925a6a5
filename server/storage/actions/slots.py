"""Who can open a store: its slots are listed, added and removed. No content is written again, and the last one that a person can
type stays."""

from dataclasses import dataclass, field
from datetime import datetime

from django.db import transaction

from core.errors import BadInput
from core.vault.key_slots import PERSONAL, SlotTold, add_passphrase, add_recovery_code, change_passphrase, remove_slot, slots
from core.vault.keys import check_new_passphrase
from core.vault.slots import SlotKind
from server import ports
from server.api.problems import Conflict
from server.people.actions.journal import write_journal
from server.people.models import User
from server.storage.models import Store
from server.storage.queries import opened, opened_to_write


@dataclass(frozen=True, slots=True, kw_only=True)
class SlotShown:
    """A slot without its secret."""

    slot: str
    kind: str
    label: str
    device: str
    """The sealed device whose key it opens; empty for the store's."""
    made_at: datetime
    by_a_person: bool
    """Whether somebody can type what opens it."""
    proven_at: datetime | None = None
    """When it was last typed and found right."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Added:
    """What came of adding a slot."""

    slots: list[SlotShown]
    recovery_code: str = field(default="", repr=False)
    """Shown once; kept nowhere."""


def slots_of(store: Store) -> list[SlotShown]:
    """The oldest first. Raises StoreError, VaultError."""
    return _shown(slots(opened(store)), store)


def add_slot(store: Store, *, kind: str, label: str, passphrase: str, passphrase_again: str, by: User) -> Added:
    """A passphrase of somebody's own, or another recovery code. Raises BadInput, StoreError, VaultError."""
    label = label.strip()
    if not label or len(label) > 80:
        raise BadInput("The slot has no usable label.", field="label", remedy="Say whose it is, or where the paper lies.")
    if kind == SlotKind.PASSPHRASE:
        check_new_passphrase(passphrase, passphrase_again)
    elif kind != SlotKind.RECOVERY_CODE:
        remedy = f"Use {SlotKind.PASSPHRASE} or {SlotKind.RECOVERY_CODE}."
        raise BadInput(f"Nobody can type a {kind}.", field="kind", remedy=remedy)
    vault, now, code = opened_to_write(store), ports.clock().now(), ""
    if kind == SlotKind.PASSPHRASE:
        add_passphrase(vault, passphrase, label=label, now=now, policy=ports.stores().slot_policy)
    else:
        code = add_recovery_code(vault, label=label, now=now)
    _journal(store, "added", by, slot=_word(kind), label=label)
    return Added(slots=_shown(slots(vault), store), recovery_code=code)


def change_slot(store: Store, slot: str, *, old: str, passphrase: str, passphrase_again: str, by: User) -> list[SlotShown]:
    """Another passphrase for the same person: the new slot comes first. Raises BadInput, Conflict, WrongPassphrase, StoreError."""
    check_new_passphrase(passphrase, passphrase_again)
    vault, now = opened_to_write(store), ports.clock().now()
    held = next((one for one in slots(vault) if one.id.hex() == slot), None)
    if held is None or held.kind is not SlotKind.PASSPHRASE or held.device:
        raise Conflict("There is no such passphrase of the store.", remedy="Load the page again.")
    change_passphrase(vault, old, passphrase, now=now, slot=held.id, policy=ports.stores().slot_policy)
    _journal(store, "changed", by, label=held.label)
    return _shown(slots(vault), store)


def drop_slot(store: Store, slot: str, *, by: User) -> None:
    """Nobody opens the store with it any more. Raises Conflict, LastSlot, StoreError, VaultError."""
    vault = opened_to_write(store)
    held = next((one for one in slots(vault) if one.id.hex() == slot), None)
    if held is None:
        raise Conflict("There is no such slot.", remedy="Load the page again.")
    if held.kind not in PERSONAL:
        raise Conflict("A server opens the store with this one.", remedy="Detach the store from that server instead.")
    remove_slot(vault, held.id)
    _journal(store, "removed", by, slot=_word(held.kind), label=held.label)


@transaction.atomic
def _journal(store: Store, way: str, by: User, **facts: str) -> None:
    write_journal(who=by, what="store.slots", way=way, facts={"store": store.name, **facts}, at=ports.clock().now(), store=store.id)


def _shown(rows: list[SlotTold], store: Store) -> list[SlotShown]:
    return [
        SlotShown(
            slot=one.id.hex(),
            kind=one.kind.value,
            label=one.label,
            device=one.device,
            made_at=one.made_at,
            by_a_person=one.kind in PERSONAL,
            proven_at=datetime.fromisoformat(proven) if (proven := store.slots_proven.get(one.id.hex())) else None,
        )
        for one in rows
    ]


def _word(kind: str) -> str:
    return "recovery code" if kind == SlotKind.RECOVERY_CODE else "passphrase"
