"""Passphrases: from a file, from a descriptor, or typed on a terminal. Never an argument, never printed."""

import getpass
import os
import sys
from pathlib import Path

from core.errors import BadInput
from core.vault.keys import check_new_passphrase

_MOST_BYTES = 64 * 1024


def passphrase(file: Path | None, descriptor: int | None, *, ask: str) -> str:
    """Without its line end. Raises BadInput."""
    if file is not None:
        try:
            with file.open("rb") as opened:
                return _text(opened.read(_MOST_BYTES + 1), f"The file {file}")
        except OSError as error:
            raise _bad(f"The passphrase file {file} cannot be read: {error.strerror}.", "Correct its path or its rights.") from None
    if descriptor is not None:
        try:
            with os.fdopen(os.dup(descriptor), "rb") as opened:
                return _text(opened.read(_MOST_BYTES + 1), f"Descriptor {descriptor}")
        except OSError as error:
            raise _bad(
                f"Descriptor {descriptor} cannot be read: {error.strerror}.", "Open it for reading before the command starts."
            ) from None
    if not sys.stdin.isatty():
        raise _bad("There is no terminal to ask for the passphrase.", "Give --passphrase-file FILE or --passphrase-fd N.")
    try:
        return getpass.getpass(f"{ask}: ", stream=sys.stderr)
    except EOFError:
        raise _bad("No passphrase was typed.", "Type it, or give --passphrase-file FILE.") from None


def new_passphrase(file: Path | None, descriptor: int | None, *, ask: str) -> str:
    """Typed twice on a terminal. Raises BadInput when it is too short or the two differ."""
    first = passphrase(file, descriptor, ask=ask)
    again = first if file is not None or descriptor is not None else passphrase(None, None, ask=f"{ask}, again")
    check_new_passphrase(first, again)
    return first


def _text(content: bytes, what: str) -> str:
    if len(content) > _MOST_BYTES:
        raise _bad(f"{what} holds more than any passphrase.", "Give a file that holds nothing but the passphrase.")
    try:
        text = content.decode("utf-8-sig")  # some editors put a mark before the first letter
    except UnicodeDecodeError:
        raise _bad(f"{what} is not UTF-8 text.", "Save the passphrase as UTF-8.") from None
    text = text.removesuffix("\n").removesuffix("\r")
    if not text:
        raise _bad(f"{what} is empty.", "Put the passphrase into it.")
    return text


def _bad(message: str, remedy: str) -> BadInput:
    return BadInput(message, field="passphrase", remedy=remedy)
