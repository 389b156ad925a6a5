"""vCard 4.0 (RFC 6350) from contact records.

Takes the fields of a contact as `docs/agent-protocol.md` describes them; lines that came with a card that was
read stay as they stood; leaves out what it does not know, never fails on odd values.
"""

import re
from typing import Any

from core.content.records import rows, text, texts

_LINE = re.compile(r"(?!(?:BEGIN|END|VERSION|UID|FN)[;:])[A-Za-z0-9.-]+[;:]", re.I)
_BREAKS = re.compile(r"[\r\n\x00-\x08\x0b\x0c\x0e-\x1f]")
_TYPES = {"home", "work", "cell", "fax", "text", "voice"}


def vcard(contact: dict[str, Any], *, uid: str) -> str:
    """One card with CRLF line ends."""
    name = contact.get("name")
    held = name if isinstance(name, dict) else {}
    family, given, *more = (text(held.get(part)) for part in ("family", "given", "additional", "prefix", "suffix"))
    full = text(contact.get("display")) or f"{given} {family}".strip() or text(contact.get("organisation")) or "(no name)"
    lines = ["BEGIN:VCARD", "VERSION:4.0", f"UID:{escaped(uid)}", f"FN:{escaped(full)}"]
    if family or given or any(more):
        lines.append("N:" + ";".join(escaped(part) for part in (family, given, *more)))
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
    lines += kept_lines(contact.get("other"))
    lines.append("END:VCARD")
    return "".join(folded(line) for line in lines)


def kept_lines(other: object) -> list[str]:
    """Lines of the card or event that a record came from and has no field for. One that could break out is left out."""
    return [line for line in texts(other) if _LINE.match(line) and not _BREAKS.search(line)]


def escaped(value: str) -> str:
    """A text value by RFC 6350 §3.4: backslash, comma, semicolon and line ends."""
    value = value.replace("\\", "\\\\").replace(",", "\\,").replace(";", "\\;")
    return value.replace("\r\n", "\\n").replace("\n", "\\n").replace("\r", "\\n")


def folded(line: str) -> str:
    """A content line of at most 75 octets a row (RFC 6350 §3.2), never split inside a character."""
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
