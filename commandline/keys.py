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


def list_slots(options: argparse.Namespace) -> int:
    """Every slot, without its secret."""
    listed = slots(opened_backups(options))
    document = [
        {"slot": one.id.hex(), "kind": one.kind.value, "label": one.label, "device": one.device, "made_at": instant(one.made_at)}
        for one in listed
    ]
    lines = [
        f"{row['slot']}  {row['made_at']}  {row['kind']:<13}  {row['label']}" + (f" of {row['device']}" if row["device"] else "")
        for row in document
    ]
    answer(document, lines, as_json=options.json)
    return DONE


def add(options: argparse.Namespace) -> int:
    """Another passphrase, another recovery code, or a key of its own for a device."""
    vault = opened_backups(options)
    keys = None
    if options.device:
        if key_of(vault, options.device) is None:
            new = new_passphrase(options.new_passphrase_file, options.new_passphrase_fd, ask=f"New passphrase of {options.device}")
            _, code = seal_device(vault, options.device, new, now=now(), policy=stores.POLICY)
            lines = [
                f"{options.device} is sealed from its next backup on: that needs this passphrase.",
                f"Recovery code of {options.device}: {code}",
            ]
            answer({"device": options.device, "recovery_code": code}, lines, as_json=options.json)
            return DONE
        keys = unlocked(vault, options.device, options)
    if options.recovery_code:
        code = add_recovery_code(vault, label=options.label or "recovery code", now=now(), keys=keys, device=options.device or "")
        answer({"recovery_code": code}, [f"Recovery code: {code}"], as_json=options.json)
        return DONE
    new = new_passphrase(options.new_passphrase_file, options.new_passphrase_fd, ask="New passphrase")
    id = add_passphrase(
        vault, new, label=options.label or "passphrase", now=now(), keys=keys, device=options.device or "", policy=stores.POLICY
    )
    answer({"slot": id.hex()}, [f"Slot {id.hex()} is added."], as_json=options.json)
    return DONE


def change(options: argparse.Namespace) -> int:
    """Another passphrase instead of the one that was given."""
    vault = opened_backups(options)
    file, descriptor = options.passphrase_file, options.passphrase_fd
    if options.device:
        file, descriptor = options.device_passphrase_file, options.device_passphrase_fd
    if descriptor is not None and not options.device:
        raise BadInput("A descriptor can be read only once.", field="passphrase_fd", remedy="Use --passphrase-file for this command.")
    slot = _slot(vault, options.slot) if options.slot else None
    old = passphrase(file, descriptor, ask="Old passphrase")
    new = new_passphrase(options.new_passphrase_file, options.new_passphrase_fd, ask="New passphrase")
    changed = change_passphrase(vault, old, new, now=now(), device=options.device or "", slot=slot, policy=stores.POLICY)
    whose = f"of {options.device}" if options.device else "of this store"
    lines = [f"The passphrase {whose} is changed."]
    if changed.still_opens:
        lines.append("The old one opens it still, through another slot: look with `keys list`, and change that one with --slot.")
    elif options.device:
        lines.append("The old one opens nothing here any more. Where its backups were copied to, it does until the next `copy` to there.")
    else:
        lines.append("The old one opens this store no more. Other stores have passphrases of their own.")
    answer({"slot": changed.slot.hex(), "old_still_opens": changed.still_opens}, lines, as_json=options.json)
    return DONE


def remove(options: argparse.Namespace) -> int:
    """A slot goes."""
    vault = opened_backups(options)
    id = _slot(vault, options.slot)
    remove_slot(vault, id)
    answer({"removed": id.hex()}, ["The slot is removed."], as_json=options.json)
    return DONE


def _slot(vault: Backups, begin: str) -> bytes:
    """From the beginning of an id. Raises BadInput."""
    ids = [one.id for one in slots(vault) if one.id.hex().startswith(begin.lower()) and begin]
    if len(ids) != 1:
        raise BadInput(f"{len(ids)} slots begin with {begin}.", field="slot", remedy="Look with `keys list` which there are.")
    return ids[0]
