"""What removing backups does, in two exact figures: what nothing needs any more, and what a sweep gives back of that, as it is set.

They differ: a pack goes only once enough of it is unneeded, and then what was unneeded in it before goes along. The second is a dry run
over what stays, beside a dry run over everything: what the removal changes in the store once both are carried through, to the byte.
"""

from collections.abc import Collection
from dataclasses import dataclass, replace

from core.vault.accounting import Accounts
from core.vault.chunks import VaultLimits
from core.vault.dry import DryBlobs
from core.vault.sweep import plan_sweep
from core.vault.vault import Vault


@dataclass(frozen=True, slots=True, kw_only=True)
class GivenBack:
    no_longer_needed_bytes: int
    given_back_bytes: int
    """By how much the store is smaller for it, after undo, grace and sweep. May be less than nothing for a small backup: its removal
    is noted as well."""


def given_back(vault: Vault, removed: Collection[bytes]) -> GivenBack:
    """Raises NoSuchBackup, Damaged when it cannot be told what stays, StoreError."""
    needed = Accounts(vault).alone_bytes(removed)
    return GivenBack(no_longer_needed_bytes=needed, given_back_bytes=swept_bytes(vault, ()) - swept_bytes(vault, removed))


def thorough(limits: VaultLimits) -> VaultLimits:
    """Of a sweep that leaves no waste."""
    return replace(limits, waste_percent=0.0)


def swept_bytes(vault: Vault, removed: Collection[bytes], *, thoroughly: bool = False) -> int:
    """What the store would hold after these backups have left and a sweep was carried through; `thoroughly`: one that rewrites every
    pack with anything unneeded in it. Raises as `given_back`."""
    limits = thorough(vault.limits) if thoroughly else vault.limits
    dry = Vault(DryBlobs(vault.blobs), vault.keys, store=vault.store, random=vault.random, limits=limits)
    dry.device_keys |= vault.device_keys
    for id in removed:
        dry.remove(id)
    return plan_sweep(dry).kept_bytes
