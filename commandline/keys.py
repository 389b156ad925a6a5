"""keys list, add, change, remove: who can open a store. Secrets go in by file, descriptor or terminal, and never out."""

import argparse

from commandline import stores
from commandline.answers import DONE, answer, instant
from commandline.secrets import new_passphrase, passphrase
from commandline.stores import now, opened_backups, unlocked
from core.errors import BadInput
from core.vault.backups import Backups
from core.vault.key_slots import add_passphrase, add_recovery_code, change_passphrase, remove_slot, slots
from core.vault.sealed_devices import key_of, seal_device


def list_slots(given: argparse.Namespace) -> int:
    """Every slot, without its secret."""
    found = slots(opened_backups(given))
    document = [
        {"slot": told.id.hex(), "kind": told.kind.value, "label": told.label, "device": told.device, "made_at": instant(told.made_at)}
        for told in found
    ]
    lines = [
        f"{row['slot']}  {row['made_at']}  {row['kind']:<13}  {row['label']}" + (f" of {row['device']}" if row["device"] else "")
        for row in document
    ]
    answer(document, lines, as_json=given.json)
    return DONE


def add(given: argparse.Namespace) -> int:
    """Another passphrase, another recovery code, or a key of its own for a device."""
    vault = opened_backups(given)
    keys = None
    if given.device:
        if key_of(vault, given.device) is None:
            new = new_passphrase(given.new_passphrase_file, given.new_passphrase_fd, ask=f"New passphrase of {given.device}")
            _, code = seal_device(vault, given.device, new, now=now(), policy=stores.POLICY)
            lines = [
                f"{given.device} is sealed from its next backup on: that needs this passphrase.",
                f"Recovery code of {given.device}: {code}",
            ]
            answer({"device": given.device, "recovery_code": code}, lines, as_json=given.json)
            return DONE
        keys = unlocked(vault, given.device, given)
    if given.recovery_code:
        code = add_recovery_code(vault, label=given.label or "recovery code", now=now(), keys=keys, device=given.device or "")
        answer({"recovery_code": code}, [f"Recovery code: {code}"], as_json=given.json)
        return DONE
    new = new_passphrase(given.new_passphrase_file, given.new_passphrase_fd, ask="New passphrase")
    id = add_passphrase(
        vault, new, label=given.label or "passphrase", now=now(), keys=keys, device=given.device or "", policy=stores.POLICY
    )
    answer({"slot": id.hex()}, [f"Slot {id.hex()} is added."], as_json=given.json)
    return DONE


def change(given: argparse.Namespace) -> int:
    """Another passphrase instead of the one that was given."""
    vault = opened_backups(given)
    file, descriptor = given.passphrase_file, given.passphrase_fd
    if given.device:
        file, descriptor = given.device_passphrase_file, given.device_passphrase_fd
    if descriptor is not None and not given.device:
        raise BadInput("A descriptor can be read only once.", field="passphrase_fd", remedy="Use --passphrase-file for this command.")
    slot = _slot(vault, given.slot) if given.slot else None
    old = passphrase(file, descriptor, ask="Old passphrase")
    new = new_passphrase(given.new_passphrase_file, given.new_passphrase_fd, ask="New passphrase")
    changed = change_passphrase(vault, old, new, now=now(), device=given.device or "", slot=slot, policy=stores.POLICY)
    whose = f"of {given.device}" if given.device else "of this store"
    lines = [f"The passphrase {whose} is changed."]
    if changed.still_opens:
        lines.append("The old one opens it still, through another slot: look with `keys list`, and change that one with --slot.")
    elif given.device:
        lines.append("The old one opens nothing here any more. Where its backups were copied to, it does until the next `copy` to there.")
    else:
        lines.append("The old one opens this store no more. Other stores have passphrases of their own.")
    answer({"slot": changed.slot.hex(), "old_still_opens": changed.still_opens}, lines, as_json=given.json)
    return DONE


def remove(given: argparse.Namespace) -> int:
    """A slot goes."""
    vault = opened_backups(given)
    id = _slot(vault, given.slot)
    remove_slot(vault, id)
    answer({"removed": id.hex()}, ["The slot is removed."], as_json=given.json)
    return DONE


def _slot(vault: Backups, told: str) -> bytes:
    """From the beginning of an id. Raises BadInput."""
    found = [one.id for one in slots(vault) if one.id.hex().startswith(told.lower()) and told]
    if len(found) != 1:
        raise BadInput(f"{len(found)} slots begin with {told}.", field="slot", remedy="Look with `keys list` which there are.")
    return found[0]
