"""What two items have to share to be the same: a digest of content, in a stated form (`docs/agent-protocol.md` §6).

Devices write a record back in another order, without what is empty, with other composition of its letters. Records are
therefore brought into a canonical form first; files are compared byte for byte. Equal names and sizes are no evidence.
"""

import hashlib
import json
import unicodedata
from collections.abc import Iterable, Iterator
from typing import Any

import rfc8785
from blake3 import blake3

from core.content.kinds import KindShape, kind
from core.content.records import MAX_RECORD_BYTES

DIGEST_BYTES = 32
_UNORDERED = {KindShape.CONTACT, KindShape.EVENT}
"""Shapes whose lists mean the same in any order; messages of a conversation do not."""


def is_record(code: str) -> bool:
    """Whether items of this kind are compared as records; all others byte for byte."""
    return kind(code).shape not in (KindShape.FILE, KindShape.PICTURE)


def digest(code: str, content: bytes) -> bytes:
    """SHA-256 of the content in its canonical form."""
    return hashlib.sha256(canonical(code, content)).digest()


def digest_of(code: str, pieces: Iterable[bytes]) -> bytes:
    """The same of content that comes in pieces; only records are held whole, and those only up to their limit."""
    if is_record(code):
        return _record_digest(code, iter(pieces))
    state = hashlib.sha256()
    for piece in pieces:
        state.update(piece)
    return state.digest()


def file_digest() -> Any:
    """A hash for files that are read back here, on both sides of a comparison that never leaves this program: BLAKE3, several times
    as fast as SHA-256 where the processor has no help for that."""
    return blake3()


def file_digest_of(pieces: Iterable[bytes]) -> bytes:
    """Of content that comes in pieces."""
    state = blake3()
    for piece in pieces:
        state.update(piece)
    return state.digest()


def canonical(code: str, content: bytes) -> bytes:
    """A record as RFC 8785 writes it, its texts in NFC, without empty members, unordered lists sorted; all else as it is."""
    if not is_record(code) or len(content) > MAX_RECORD_BYTES:
        return content
    try:
        record = json.loads(content)
        if not isinstance(record, dict):
            return content
        return rfc8785.dumps(_plain(record, ordered=kind(code).shape not in _UNORDERED))
    except (ValueError, RecursionError):  # no JSON, or numbers that it cannot carry: the bytes are what there is
        return content


def _record_digest(code: str, pieces: Iterator[bytes]) -> bytes:
    held = bytearray()
    for piece in pieces:
        held += piece
        if len(held) > MAX_RECORD_BYTES:
            head = hashlib.sha256(held)
            for rest in pieces:
                head.update(rest)
            return head.digest()
    return digest(code, bytes(held))


def _plain(value: Any, *, ordered: bool) -> Any:
    if isinstance(value, str):
        return unicodedata.normalize("NFC", value)
    if isinstance(value, list):
        entries = [entry for entry in (_plain(one, ordered=ordered) for one in value) if not _empty(entry)]
        return entries if ordered else sorted(entries, key=rfc8785.dumps)
    if isinstance(value, dict):
        members = {unicodedata.normalize("NFC", name): _plain(one, ordered=ordered) for name, one in value.items()}
        return {name: one for name, one in members.items() if not _empty(one)}
    return value


def _empty(value: Any) -> bool:
    return value is None or (isinstance(value, str | list | dict) and not value)
