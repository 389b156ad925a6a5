"""What a command says: one JSON document or lines for people on standard output; errors on standard error."""

import json
import sys
from datetime import datetime
from typing import Any

from core.content.errors import LinkError
from core.errors import AtticError, BadInput
from core.vault.errors import (
    AlreadySealed,
    Damaged,
    DeviceSealed,
    LastSlot,
    NewerVault,
    NoSuchBackup,
    NotAVault,
    RunTooLong,
    StoreError,
    StoreFull,
    VaultExists,
    WrongPassphrase,
)

DONE, DAMAGE, USAGE, WRONG_PASSPHRASE, NO_STORE, FULL = range(6)

_CODES: tuple[tuple[type[AtticError], int], ...] = (
    (StoreFull, FULL),
    (WrongPassphrase, WRONG_PASSPHRASE),
    (DeviceSealed, WRONG_PASSPHRASE),
    (BadInput, USAGE),
    (NoSuchBackup, USAGE),
    (VaultExists, USAGE),
    (LastSlot, USAGE),
    (AlreadySealed, USAGE),
    (LinkError, USAGE),
    (NotAVault, NO_STORE),
    (NewerVault, NO_STORE),
    (StoreError, NO_STORE),
    (Damaged, DAMAGE),
    (RunTooLong, DAMAGE),
)


def exit_code_of(error: AtticError) -> int:
    """The code for what went wrong."""
    return next((code for kind, code in _CODES if isinstance(error, kind)), DAMAGE)


def explain(error: AtticError) -> None:
    """What happened and what to do."""
    print(f"attic vault: {error.message}\n{error.remedy}", file=sys.stderr)


def answer(document: Any, lines: list[str], *, as_json: bool) -> None:
    """One document, or lines."""
    if as_json:
        print(json.dumps(document, ensure_ascii=False))
    else:
        for line in lines:
            print(line)


def remark(text: str) -> None:
    """Something beside the answer."""
    print(text, file=sys.stderr)


def instant(moment: datetime) -> str:
    """ISO 8601 in UTC."""
    return moment.isoformat(timespec="seconds").replace("+00:00", "Z")
