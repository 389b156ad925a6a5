"""The recovery code (§3.5): thirty letters and digits to print and lock away.

No look-alikes: neither 0 and O nor 1, I and L. 28 random symbols carry 138 bits; two more make it a
Reed–Solomon code over the field of 31 elements with distance 3, so that any one or two wrong symbols,
and any two that changed places, are noticed before a key is tried.
"""

import re

from core.errors import BadInput
from core.vault.keys import Randomness

ALPHABET = "23456789ABCDEFGHJKMNPQRSTUVWXYZ"
_BASE = 31
_DATA, _GROUP = 28, 5
_SYMBOLS = _DATA + 2
_IN_GROUPS = re.compile(r"(?:[0-9A-Za-z]{4,6}[\s-]+){5}[0-9A-Za-z]{4,6}")
"""Six groups of about five: nobody's passphrase by accident."""
assert len(ALPHABET) == _BASE


def new_code(random: Randomness) -> str:
    """Six groups of five, such as `7KQ2M-…`."""
    symbols: list[int] = []
    while len(symbols) < _DATA:
        # 248 is the largest multiple of 31 in a byte: what lies above would favour some symbols
        symbols += [byte % _BASE for byte in random(40) if byte < 248][: _DATA - len(symbols)]
    return _written(symbols + _checks(symbols))


def secret_of(code: str) -> bytes:
    """The code as it enters the key derivation: its symbols without groups.

    Raises BadInput that names what is wrong, never the code.
    """
    symbols = _symbols(code)
    if symbols[_DATA:] != _checks(symbols[:_DATA]):
        raise _bad("The recovery code is mistyped.", "Compare it group by group with the printed one.")
    return "".join(ALPHABET[symbol] for symbol in symbols).encode()


def looks_like_code(text: str) -> bool:
    """Whether this can be a recovery code; it may still be mistyped."""
    bare = _bare(text)
    return len(bare) == _SYMBOLS and all(letter in ALPHABET for letter in bare)


def slip_in(text: str) -> BadInput | None:
    """What is wrong with a recovery code, as the code itself tells, whatever the store; None for a code without a slip and
    for what nobody would take for a code."""
    if not looks_like_code(text) and not _IN_GROUPS.fullmatch(text.strip()):
        return None
    try:
        secret_of(text)
    except BadInput as error:
        return error
    return None


def _checks(data: list[int]) -> list[int]:
    """Two symbols that make the plain and the weighted sum over all thirty vanish modulo 31."""
    plain = -sum(data) % _BASE
    weighted = -sum(weight * symbol for weight, symbol in enumerate(data, start=1)) % _BASE
    # a + b = plain and 29 a + 30 b = weighted
    last = (weighted - 29 * plain) % _BASE
    return [(plain - last) % _BASE, last]


def _symbols(code: str) -> list[int]:
    bare = _bare(code)
    if len(bare) != _SYMBOLS:
        raise _bad(f"A recovery code has {_SYMBOLS} letters and digits; this one has {len(bare)}.", "Type all six groups of five.")
    for number, letter in enumerate(bare, start=1):
        if letter not in ALPHABET:
            raise _bad(f"Place {number} of the recovery code holds a sign that no code contains.", "Codes have no 0, O, 1, I and L.")
    return [ALPHABET.index(letter) for letter in bare]


def _bare(code: str) -> str:
    return "".join(code.split()).replace("-", "").upper()


def _written(symbols: list[int]) -> str:
    text = "".join(ALPHABET[symbol] for symbol in symbols)
    return "-".join(text[at : at + _GROUP] for at in range(0, _SYMBOLS, _GROUP))


def _bad(message: str, remedy: str) -> BadInput:
    return BadInput(message, field="recovery_code", remedy=remedy)
