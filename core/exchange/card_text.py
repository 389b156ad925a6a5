"""Values of content lines: escaping by RFC 6350 §3.4, and the quoted-printable of vCard 2.1."""

import quopri
import re

from core.exchange.contentlines import ContentLine


def escaped(value: str) -> str:
    """A text value: backslash, comma, semicolon and line ends."""
    value = value.replace("\\", "\\\\").replace(",", "\\,").replace(";", "\\;")
    return value.replace("\r\n", "\\n").replace("\n", "\\n").replace("\r", "\\n")


def unescaped(value: str) -> str:
    """A text value, read back."""
    if "\\" not in value:
        return value
    return re.sub(r"\\(.)", lambda match: "\n" if match[1] in "nN" else match[1], value, flags=re.S)


def encodings(line: ContentLine) -> set[str]:
    """In upper case; 2.1 tells them among the types as well."""
    return {value.upper() for value in (*line.params.get("ENCODING", ()), *line.params.get("TYPE", ()))}


def decoded(line: ContentLine) -> str:
    """The value, with the quoted-printable encoding of vCard 2.1 undone."""
    if not line.params or "QUOTED-PRINTABLE" not in encodings(line):
        return line.value
    content = quopri.decodestring(line.value.encode("utf-8", "replace"))
    charset = (line.params.get("CHARSET") or ["utf-8"])[0]
    try:
        return content.decode(charset)
    except (LookupError, UnicodeDecodeError):
        return content.decode("latin-1")
