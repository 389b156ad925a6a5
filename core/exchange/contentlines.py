"""Content lines of vCard (RFC 6350 §3.2) and iCalendar (RFC 5545 §3.1) files, read piece by piece.

Cuts a file into blocks from `BEGIN:` to `END:` without holding more than one of them, and unfolds lines on
bytes, since a fold may lie inside a character. What one line means is told by the `icalendar` library's
parser. A block that is too large, or that never ends, comes with its trouble instead of its lines.
"""

import codecs
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import chain
from typing import NamedTuple

from icalendar.parser import Contentline

from core.content.records import MAX_RECORD_BYTES

_BARE = re.compile(r";([A-Za-z0-9-]+)(?=;|$)")
"""A parameter without a value."""
_SIMPLE = re.compile(r"(?:[A-Za-z0-9-]+\.)?[A-Za-z0-9-]+(?:;[A-Za-z0-9-]+=[A-Za-z0-9/+@._ ,-]+)*")
"""Name and parameters without quotes, escapes or anything else that has to be understood."""
_FOLD = re.compile(rb"(?:\r\n|\n|\r)[ \t]")
_NEXT = re.compile(
    rb"(?:END:VCARD\s*$|(?:[A-Za-z0-9]+\.)?(?:FN|N|TEL|EMAIL|ADR|ORG|TITLE|NOTE|URL|BDAY|PHOTO|REV|UID|VERSION|CATEGORIES)[;:])"
)
"""Another property: quoted-printable before it that ends as if it went on was cut."""
_ENDS = re.compile(rb"\r\n|\n|\r")


@dataclass(slots=True, kw_only=True)
class Block:
    """One card or event."""

    name: str
    """`VCARD`, `VEVENT`, `VTIMEZONE`; upper case."""
    number: int
    """Counts blocks of this name from 1."""
    lines: list[str] = field(default_factory=list)
    """Unfolded, without its own BEGIN and END; those of inner blocks included."""
    size_bytes: int = 0
    trouble: str = ""
    """Why it cannot be used; empty when it can."""
    raw: bytearray = field(default_factory=bytearray)
    """As it stood in the file, byte for byte, from BEGIN to the end of the line of END."""


class ContentLine(NamedTuple):
    group: str
    name: str
    """Upper case, without its group."""
    params: Mapping[str, Sequence[str]]
    """Names in upper case; quotes removed. Shared among lines that begin alike."""
    value: str
    spelled: str
    """The name as it stood, for those that are not in any standard."""


def blocks(pieces: Iterable[bytes], *, names: frozenset[str]) -> Iterator[Block]:
    """Every block of these names, in order; blocks inside a wanted one belong to it."""
    counts = dict.fromkeys(names, 0)
    block: Block | None = None
    depth: list[str] = []
    for text, size_bytes, raw in _unfolded(_in_utf8(pieces)):
        word = value = ""
        if text[:1] in "BbEe":
            word = text[: len("BEGIN:") + 8].partition(":")[0].strip().upper()  # whatever is longer is neither
            value = text.partition(":")[2].strip().upper() if word in ("BEGIN", "END") else ""
        if block is None:
            if word == "BEGIN" and value in names:
                counts[value] += 1
                block, depth = Block(name=value, number=counts[value], size_bytes=size_bytes, raw=bytearray(raw)), [value]
            continue
        block.size_bytes += size_bytes
        if word == "BEGIN":
            if value == block.name and value == depth[-1]:  # the one before was never ended
                block.trouble = block.trouble or "it does not end"
                yield block
                counts[value] += 1
                block, depth = Block(name=value, number=counts[value], size_bytes=size_bytes, raw=bytearray(raw)), [value]
                continue
            depth.append(value)
        elif word == "END":
            if value == depth[-1]:
                depth.pop()
            if not depth:
                block.raw += raw
                yield block
                block = None
                continue
        if block.size_bytes > MAX_RECORD_BYTES:
            block.trouble = "it is larger than 8 MiB"
            block.lines, block.raw = [], bytearray()
        else:
            block.raw += raw
            if text:
                block.lines.append(text)
    if block is not None:
        block.trouble = block.trouble or "it does not end"
        yield block


def parsed(text: str) -> ContentLine | None:
    """One unfolded line; None when it is no content line. Bare parameters of vCard 2.1 are types: `TEL;CELL;VOICE:`."""
    cut = text.find(":")
    if cut < 0:
        return None
    if '"' in text[:cut]:
        cut = _end_of_head(text)
        if cut < 0:
            return None
    head = text[:cut]
    head_parts = _known_head(head) if cut <= _MOST_KNOWN else _read_head(head)
    return None if head_parts is None else ContentLine(head_parts[0], head_parts[1], head_parts[2], text[cut + 1 :], head_parts[3])


Head = tuple[str, str, Mapping[str, Sequence[str]], str]
_MOST_KNOWN = 200
"""Letters: heads repeat from card to card, and those that are longer do not."""


@lru_cache(maxsize=4096)
def _known_head(head: str) -> Head | None:
    return _read_head(head)


def _read_head(head: str) -> Head | None:
    """(group, name, parameters, name as it is spelled) of what stands before the colon."""
    if _SIMPLE.fullmatch(head):  # nearly every line: nothing in it is quoted or escaped
        name, *told_params = head.split(";")
        simple: dict[str, list[str]] = {}
        for one in told_params:
            key, _, held = one.partition("=")
            simple.setdefault(key.upper(), []).extend(held.split(","))
        return _named(name, simple)
    first, *parts = _at_semicolons(head)
    by_name: dict[str, list[str]] = {}
    try:
        name, _, _ = Contentline(f"{first}:").parts()  # type: ignore[no-untyped-call]
        for part in parts:  # each by itself: of one that stands twice the parser keeps the last
            _, params, _ = Contentline(f"X;{part}:").parts()  # type: ignore[no-untyped-call]
            for key, held in params.items():
                values = [str(one) for one in held] if isinstance(held, list | tuple) else [str(held)]
                by_name.setdefault(str(key).upper(), []).extend(values)
    except (ValueError, IndexError):
        typed = _typed(head)
        return _read_head(typed) if typed != head else None
    return _named(str(name), by_name)


def _named(name: str, params: dict[str, list[str]]) -> Head:
    group, _, bare = name.rpartition(".")
    return group, bare.upper(), params, bare


def _at_semicolons(head: str) -> list[str]:
    """Name and parameters, cut at the semicolons outside of quotes."""
    parts, quoted = [""], False
    for letter in head:
        quoted ^= letter == '"'
        if letter == ";" and not quoted:
            parts.append("")
        else:
            parts[-1] += letter
    return parts


def _end_of_head(text: str) -> int:
    """Where the colon stands that ends name and parameters: the first one outside of quotes; -1 for nowhere."""
    quoted = False
    for at, letter in enumerate(text):
        if letter == '"':
            quoted = not quoted
        elif letter == ":" and not quoted:
            return at
    return -1


def _typed(head: str) -> str:
    bare = _BARE.findall(head)
    return _BARE.sub("", head) + f";TYPE={','.join(bare)}" if bare else head


def lines_of_one(block: bytes, name: str) -> list[str] | None:
    """The lines of exactly one block, unfolded and without its BEGIN and END; quickly. None for anything that has to be looked at more
    closely: inner blocks, quoted-printable, more than one, none."""
    if b"=\n" in block or b"=\r" in block:
        return None
    lines = _text(bytearray(_FOLD.sub(b"", block))).replace("\r\n", "\n").replace("\r", "\n").strip("\n").split("\n")
    begins = sum(line[:6].upper() == "BEGIN:" or line[:4].upper() == "END:" for line in lines if line[:1] in "BbEe")
    if begins != 2 or lines[0].upper() != f"BEGIN:{name}" or lines[-1].upper() != f"END:{name}":
        return None
    return [line for line in lines[1:-1] if line]


def _in_utf8(pieces: Iterable[bytes]) -> Iterator[bytes]:
    """The same pieces; those of a file that says by its first two bytes that it is UTF-16 in UTF-8."""
    source, head = iter(pieces), b""
    for piece in source:
        head += piece
        if len(head) >= 2:
            break
    if head[:2] not in (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE):
        yield head
        yield from source
        return
    decoder = codecs.getincrementaldecoder("utf-16")("replace")
    for piece in chain((head,), source):
        yield decoder.decode(piece).encode("utf-8", "replace")
    yield decoder.decode(b"", final=True).encode("utf-8", "replace")


def _unfolded(pieces: Iterable[bytes]) -> Iterator[tuple[str, int, bytes]]:
    """(line without its ends, bytes of it in the file, as it stood there). A line longer than a record may be comes cut short."""
    waiting: bytearray | None = None
    raw = bytearray()
    size_bytes = 0
    for row, end in _rows(pieces):
        soft = waiting is not None and waiting.endswith(b"=") and b"QUOTED-PRINTABLE" in bytes(waiting[:200]).upper()
        soft = soft and not _NEXT.match(row)
        if waiting is not None and (soft or row[:1] in (b" ", b"\t")):
            size_bytes += len(row) + 2
            if soft:
                del waiting[-1:]
            if len(waiting) <= MAX_RECORD_BYTES:
                waiting += row if soft else row[1:]
                raw += row + end
            continue
        if waiting is not None:
            yield _text(waiting), size_bytes, bytes(raw)
        waiting, size_bytes, raw = bytearray(row), len(row) + 2, bytearray(row + end)
    if waiting is not None:
        yield _text(waiting), size_bytes, bytes(raw)


def _rows(pieces: Iterable[bytes]) -> Iterator[tuple[bytes, bytes]]:
    """(physical line, how it ended: CR LF, LF, CR or not at all); none is longer than a little over a record."""
    rest, first = b"", True
    for piece in pieces:
        rest += piece
        if first and len(rest) >= 3:
            rest, first = rest.removeprefix(b"\xef\xbb\xbf"), False
        cut = rest[-1:] == b"\r"  # its LF may come with the next piece
        at = 0
        for end in _ENDS.finditer(rest, 0, len(rest) - cut):
            yield rest[at : end.start()], end[0]
            at = end.end()
        rest = rest[at : len(rest) - cut][: MAX_RECORD_BYTES + 1] + (b"\r" if cut else b"")
    if rest:
        last = rest.removeprefix(b"\xef\xbb\xbf") if first else rest
        yield last.rstrip(b"\r"), last[len(last.rstrip(b"\r")) :]


def _text(content: bytearray) -> str:
    try:
        return content.decode("utf-8")
    except UnicodeDecodeError:
        return content.decode("latin-1")
