"""Contact records from vCard files: 4.0 (RFC 6350), 3.0 (RFC 2426), and the 2.1 that old phones write.

What a record has no field for stays in `other` as it stood, line by line, and leaves with the card again.
"""

import re
from collections.abc import Iterable, Iterator
from typing import Any

from core.exchange.card_text import decoded, unescaped
from core.exchange.contentlines import Block, ContentLine, blocks, parsed

_LABELS = {"home", "work", "cell", "fax", "text", "voice"}
_SPLIT = re.compile(r"((?:\\.|[^;\\])*)(?:;|$)", re.S)
_KNOWN = {"BEGIN", "END", "VERSION", "PRODID", "REV"}


def cards(pieces: Iterable[bytes]) -> Iterator[Block]:
    """The cards of a file; hand each to `contact` unless it has trouble."""
    return blocks(pieces, names=frozenset({"VCARD"}))


def contact(block: Block) -> tuple[str, dict[str, Any]]:
    """(its UID or nothing, record). Never fails: what is no content line is kept with the rest."""
    record: dict[str, Any] = {}
    other: list[str] = []
    uid = ""
    for raw in block.lines:
        line = parsed(raw)
        if line is None:
            other.append(raw)
        elif line.name == "UID" and not uid:
            uid = _text(line)
        elif line.name not in _KNOWN and not _take(record, line):
            other.append(raw)
    if other:
        record["other"] = other
    return uid, record


def _take(record: dict[str, Any], line: ContentLine) -> bool:
    """Put a line into the record's field for it; False when there is none, or it is taken."""
    match line.name:
        case "FN":
            return _once(record, "display", _text(line))
        case "N":
            parts = [*_parts(line), "", "", "", "", ""]
            names = ("family", "given", "additional", "prefix", "suffix")
            return _once(record, "name", {name: part for name, part in zip(names, parts, strict=False) if part})
        case "ORG":
            return _once(record, "organisation", ", ".join(part for part in _parts(line) if part))
        case "TEL":
            number = _text(line).removeprefix("tel:")
            record.setdefault("phones", []).append({"label": _label(line), "number": number})
            return True
        case "EMAIL":
            record.setdefault("emails", []).append({"label": _label(line), "address": _text(line)})
            return True
        case "ADR":
            box, extended, *parts = [*_parts(line), *[""] * 7]
            fields = zip(("street", "town", "region", "postcode", "country"), parts, strict=False)
            return not (box or extended) and _once(record, "address", {name: part for name, part in fields if part})
        case "BDAY":
            day = _text(line).replace("-", "")[:8]
            whole = len(day) == 8 and day.isdigit()
            return whole and _once(record, "birthday", f"{day[:4]}-{day[4:6]}-{day[6:]}")
        case "NOTE":
            return _once(record, "note", _text(line))
    return False


def _once(record: dict[str, Any], field: str, value: object) -> bool:
    if not value or field in record:
        return not value
    record[field] = value
    return True


def _text(line: ContentLine) -> str:
    return unescaped(decoded(line))


def _parts(line: ContentLine) -> list[str]:
    """A structured value, cut at the semicolons that are not escaped; commas inside a part stay."""
    parts = [unescaped(part) for part in _SPLIT.findall(decoded(line))]
    return parts[:-1] if parts and not parts[-1] else parts


def _label(line: ContentLine) -> str:
    """The first use of a number or address that a record knows: TYPE=cell, or the bare CELL of vCard 2.1."""
    types = [one.strip().casefold() for value in line.params.get("TYPE", ()) for one in value.split(",")]
    return next((one for one in types if one in _LABELS), "")
