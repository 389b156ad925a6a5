"""vCard 4.0 (RFC 6350) or 3.0 (RFC 2426) from contact records, or the card as it came.

Takes the fields of a contact as `docs/agent-protocol.md` describes them, or the card that it was read from, which holds more; leaves out
what it does not know, never fails on odd values.
"""

import base64
import re
from enum import StrEnum
from typing import Any

from core.content.records import rows, text, texts
from core.exchange.card_forms import in_version
from core.exchange.card_text import escaped
from core.exchange.contentlines import blocks, lines_of_one
from core.units import MIB

MOST_KEPT_BYTES = 3 * MIB

_LINE = re.compile(r"(?!(?:BEGIN|END|VERSION|UID|FN)[;:])[A-Za-z0-9.-]+[;:]", re.I)
_BREAKS = re.compile(r"[\r\n\x00-\x08\x0b\x0c\x0e-\x1f]")
_TYPES = {"home", "work", "cell", "fax", "text", "voice"}


class CardForm(StrEnum):
    """In which form cards leave."""

    V4 = "4.0"
    V3 = "3.0"
    AS_IT_CAME = "as_it_came"
    """Byte for byte where the card is kept; 4.0 where a device told its fields alone."""


def card_bytes(contact: dict[str, Any], *, uid: str, form: CardForm = CardForm.V4) -> bytes:
    """One card with CRLF line ends; as it came it has its own."""
    if form is CardForm.AS_IT_CAME and (came := card_that_came(contact)):
        return came if came.endswith((b"\n", b"\r")) else came + b"\r\n"
    return vcard(contact, uid=uid, version=form.value if form is not CardForm.AS_IT_CAME else "4.0").encode("utf-8", "replace")


def keep_card(contact: dict[str, Any], raw: bytes) -> None:
    """Keep the card that the record was read from, byte for byte; a very large one is in its lines alone."""
    if len(raw) <= MOST_KEPT_BYTES:
        try:
            contact["card"] = raw.decode()
        except UnicodeDecodeError:
            contact["card_base64"] = base64.b64encode(raw).decode()


def card_that_came(contact: dict[str, Any]) -> bytes:
    """Nothing for a contact that was no card, or whose card is none."""
    return _came(contact)[0]


def _came(contact: dict[str, Any]) -> tuple[bytes, list[str]]:
    """The card and its lines; nothing for one that is none."""
    card, coded = contact.get("card"), contact.get("card_base64")
    try:
        content = card.encode() if isinstance(card, str) else base64.b64decode(coded, validate=True) if isinstance(coded, str) else b""
    except (ValueError, UnicodeEncodeError):
        return b"", []
    lines = _lines_of(content) if content else []
    return (content, lines[0]) if len(lines) == 1 else (b"", [])


def _lines_of(card: bytes) -> list[list[str]]:
    if (quick := lines_of_one(card, "VCARD")) is not None:
        return [quick]
    return [block.lines for block in blocks([card], names=frozenset({"VCARD"})) if not block.trouble]


def vcard(contact: dict[str, Any], *, uid: str, version: str = "4.0") -> str:
    """One card with CRLF line ends."""
    _, came = _came(contact)
    lines = [line for line in came if not _BREAKS.search(line)] if came else _from_fields(contact)
    return "".join(folded(line) for line in in_version(version, lines, uid=uid, full_name=_full_name(contact)))


def _full_name(contact: dict[str, Any]) -> str:
    name = contact.get("name")
    held = name if isinstance(name, dict) else {}
    family, first = text(held.get("family")), text(held.get("given"))
    return text(contact.get("display")) or f"{first} {family}".strip() or text(contact.get("organisation")) or "(no name)"


def _from_fields(contact: dict[str, Any]) -> list[str]:
    name = contact.get("name")
    held = name if isinstance(name, dict) else {}
    family, first, *more = (text(held.get(part)) for part in ("family", "given", "additional", "prefix", "suffix"))
    lines = [f"FN:{escaped(_full_name(contact))}"]
    if family or first or any(more):
        lines.append("N:" + ";".join(escaped(part) for part in (family, first, *more)))
    if organisation := text(contact.get("organisation")):
        lines.append(f"ORG:{escaped(organisation)}")
    for phone in rows(contact.get("phones")):
        lines.append(f"TEL{_type(phone)}:{escaped(text(phone.get('number')))}")
    for mail in rows(contact.get("emails")):
        lines.append(f"EMAIL{_type(mail)}:{escaped(text(mail.get('address')))}")
    if isinstance(address := contact.get("address"), dict):
        parts = ("street", "town", "region", "postcode", "country")
        lines.append("ADR:;;" + ";".join(escaped(text(address.get(part))) for part in parts))
    if (birthday := text(contact.get("birthday")).replace("-", "")).isdigit() and len(birthday) == 8:
        lines.append(f"BDAY:{birthday}")
    for note in texts(contact.get("note")):
        lines.append(f"NOTE:{escaped(note)}")
    return lines + kept_lines(contact.get("other"))


def kept_lines(other: object) -> list[str]:
    """Lines of the card or event that a record came from and has no field for. One that could break out is left out."""
    return [line for line in texts(other) if _LINE.match(line) and not _BREAKS.search(line)]


def folded(line: str) -> str:
    """A content line of at most 75 octets a row (RFC 6350 §3.2), never split inside a character."""
    if len(line) <= 75 and line.isascii():
        return line + "\r\n"
    if line.isascii():
        return "\r\n ".join([line[:75], *(line[at : at + 74] for at in range(75, len(line), 74))]) + "\r\n"
    rows, row, width = [], "", 0
    for character in line:
        octets = len(character.encode("utf-8", "replace"))
        if width + octets > 75:
            rows.append(row)
            row, width = " ", 1
        row += character
        width += octets
    return "\r\n".join([*rows, row]) + "\r\n"


def _type(entry: dict[str, Any]) -> str:
    label = text(entry.get("label")).casefold()
    return f";TYPE={label}" if label in _TYPES else ""
