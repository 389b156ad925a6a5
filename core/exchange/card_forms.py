"""One card in the form that somebody wants: vCard 4.0 (RFC 6350) or 3.0 (RFC 2426), from the lines of any version, 2.1 among them.

Nothing that is understood is lost: what a version has no property for goes on under its name with `X-` before it. Quoted-printable and
charsets of 2.1 are undone; pictures, sounds and keys become data URIs in 4.0 and base64 in 3.0.
"""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from core.exchange.card_text import decoded, encodings, escaped, unescaped
from core.exchange.contentlines import ContentLine, parsed

_INLINE = {"PHOTO": "image", "LOGO": "image", "SOUND": "audio", "KEY": "application"}
"""Properties that may hold bytes, and the sort of what they hold where they do not say."""
_MEDIA = {
    "jpeg": "image/jpeg", "jpg": "image/jpeg", "png": "image/png", "gif": "image/gif", "bmp": "image/bmp", "tiff": "image/tiff",
    "wave": "audio/wav", "wav": "audio/wav", "basic": "audio/basic", "ogg": "audio/ogg", "mp3": "audio/mpeg", "aiff": "audio/aiff",
    "pgp": "application/pgp-keys", "x509": "application/pkix-cert",
}  # fmt: skip
_PLAIN = {"FN", "NOTE", "TITLE", "ROLE", "MAILER", "LABEL", "SORT-STRING", "NAME", "CLASS"}
"""One text: its commas and semicolons are escaped, which 2.1 does not do, and others forget."""
_NOT_IN_4 = {"MAILER", "CLASS", "NAME", "PROFILE", "LABEL", "AGENT"}
_NOT_IN_3 = {"KIND", "GENDER", "LANG", "ANNIVERSARY", "RELATED", "CALADRURI", "CALURI", "FBURL", "MEMBER", "XML", "CLIENTPIDMAP", "IMPP"}
_SPECIAL_IN_4 = _NOT_IN_4 | set(_INLINE) | {"GEO", "BDAY", "ANNIVERSARY", "REV"}
_ONCE = {"N", "BDAY", "ANNIVERSARY", "GENDER", "KIND", "REV", "UID", "PRODID"}
_DATE = re.compile(r"^(\d{4})-(\d{2})-(\d{2})(?=$|T)")
_FREE = re.compile(r"(?<!\\)([,;])")
_URI = re.compile(r"[a-z][a-z0-9+.-]*:", re.I)
_QUOTE = re.compile(r'[:;,"^\n]')


@dataclass(slots=True)
class _Out:
    """A line in the making."""

    name: str
    value: str
    group: str = ""
    params: dict[str, list[str]] = field(default_factory=dict)

    def written(self) -> str:
        params = "".join(f";{name}={','.join(map(_quoted, values))}" for name, values in self.params.items() if values)
        return f"{self.group}.{self.name}{params}:{self.value}" if self.group else f"{self.name}{params}:{self.value}"


def in_version(version: str, lines: Iterable[str], *, uid: str, full_name: str) -> list[str]:
    """`4.0` or `3.0`; `lines`: of one card, unfolded, without BEGIN and END, of any version. `uid` and `full_name` stand where the card
    tells none. Unfolded lines, BEGIN and END among them."""
    every = [line for raw in _without_inner(lines) if (line := parsed(raw)) is not None]
    read = [line for line in every if line.name not in ("VERSION", "BEGIN", "END")]
    make = _in_4 if version == "4.0" else _in_3
    out: list[_Out] = []
    seen: set[str] = set()
    for line in read:
        for piece in make(line):
            if piece.name in _ONCE and piece.name in seen:
                piece.name = f"X-{piece.name}"
            seen.add(piece.name)
            out.append(piece)
    if version == "4.0":
        _give_sort(out)
        _give_labels(out)
    head = [_Out("VERSION", version)]
    if "UID" not in seen and uid:
        head.append(_Out("UID", escaped(uid)))
    if "FN" not in seen:
        head.append(_Out("FN", escaped(full_name)))
    if version == "3.0" and "N" not in seen:
        head.append(_Out("N", f"{escaped(full_name)};;;;"))
    return ["BEGIN:VCARD", *(one.written() for one in [*head, *out]), "END:VCARD"]


def _without_inner(lines: Iterable[str]) -> list[str]:
    """A card inside of the card (AGENT) becomes the text of its line."""
    kept: list[str] = []
    inner: list[str] = []
    depth = 0
    for raw in lines:
        word = raw.strip().upper()
        depth += word == "BEGIN:VCARD"
        if depth:
            inner.append(raw)
        else:
            kept.append(raw)
        if word == "END:VCARD" and depth:
            depth -= 1
            if not depth:
                text, inner = escaped("\n".join(inner)), []
                if kept and kept[-1].upper().startswith("AGENT"):
                    kept.pop()
                kept.append(f"AGENT:{text}")
    return kept


# -- to 4.0


def _in_4(line: ContentLine) -> list[_Out]:
    value, name = _value(line), line.name
    if not line.params and name not in _SPECIAL_IN_4:
        return [_Out(name if name[:2] != "X-" else _own_again(line, _NOT_IN_3), value, line.group)]
    types, params = _params(line)
    if name[:2] == "X-":
        name = _own_again(line, _NOT_IN_3)
    if name in _NOT_IN_4:
        return [_Out(f"X-{name}", value, line.group, _with_types(params, types))]
    if name in _INLINE and _is_bytes(line):
        media = next((_MEDIA[one] for one in types if one in _MEDIA), f"{_INLINE[name]}/octet-stream")
        rest = [one for one in types if one not in _MEDIA]
        return [_Out(name, f"data:{media};base64,{_base64(line.value)}", line.group, _with_types(params, rest))]
    if name in _INLINE:
        params.setdefault("VALUE", ["uri"] if _URI.match(value) else ["text"])
    if name == "GEO" and re.fullmatch(r"\s*[-+0-9.]+\s*;\s*[-+0-9.]+\s*", value):
        value = "geo:" + ",".join(part.strip() for part in value.split(";"))
    if name in ("BDAY", "ANNIVERSARY", "REV"):
        value = _DATE.sub(r"\1\2\3", value)
        if "T" in value:
            value = value.replace(":", "")
        if name != "REV" and not re.fullmatch(r"[-0-9]{2,8}(T[-+0-9Z]*)?|T[-+0-9Z]+", value):
            params["VALUE"] = ["text"]
    if "pref" in types:
        types = [one for one in types if one != "pref"]
        params.setdefault("PREF", ["1"])
    if name == "EMAIL":
        types = [one for one in types if one != "internet"]
    return [_Out(name, value, line.group, _with_types(params, types))]


def _give_sort(out: list[_Out]) -> None:
    """What 3.0 sorts by is a parameter of the name in 4.0."""
    name = next((one for one in out if one.name == "N"), None)
    for one in [one for one in out if one.name == "SORT-STRING"]:
        if name is not None and "SORT-AS" not in name.params:
            name.params["SORT-AS"] = [unescaped(one.value)]
            out.remove(one)
        else:
            one.name = "X-SORT-STRING"


def _give_labels(out: list[_Out]) -> None:
    """What 3.0 prints on an envelope is a parameter of its address in 4.0; its line ends as RFC 6350 §6.3.1 writes them."""
    for one in [one for one in out if one.name == "X-LABEL"]:
        alike = (one.group, set(one.params.get("TYPE", ())))
        address = next(
            (a for a in out if a.name == "ADR" and "LABEL" not in a.params and (a.group, set(a.params.get("TYPE", ()))) == alike), None
        )
        if address is not None:
            address.params["LABEL"] = [unescaped(one.value).replace("\n", "\\n")]
            out.remove(one)


# -- to 3.0


def _in_3(line: ContentLine) -> list[_Out]:
    types, params = _params(line)
    value, name = _value(line), line.name
    lines: list[_Out] = []
    if name[:2] == "X-":
        name = _own_again(line, _NOT_IN_4)
    if name in _NOT_IN_3:
        name = f"X-{name}"
    if name in _INLINE and (inline := re.match(r"data:([^;,]*)(?:;[^,]*)?;base64,(.*)", value, re.S)):
        media = next((key.upper() for key, media_type in _MEDIA.items() if media_type == inline[1].lower()), "")
        params = {"ENCODING": ["b"]}
        types = [media, *types] if media else types
        value = inline[2]
    elif name in _INLINE and _is_bytes(line):
        params["ENCODING"] = ["b"]
        types = [one.upper() if one in _MEDIA else one for one in types]
        value = _base64(value)
    elif name in _INLINE and _URI.match(value):
        params["VALUE"] = ["uri"]  # else it is read as bytes (RFC 2426 §3.1.4)
    if name == "GEO":
        value = value.removeprefix("geo:").replace(",", ";", 1)
    if name in ("BDAY", "REV"):
        value = re.sub(r"^(\d{4})(\d{2})(\d{2})(?=$|T)", r"\1-\2-\3", value)
        value = re.sub(r"(?<=-\d{2}T)(\d{2})(\d{2})(\d{2})", r"\1:\2:\3", value)  # both parts in the same form (ISO 8601)
    if name == "TEL" and value.lower().startswith("tel:"):
        value = value[4:]
        params.pop("VALUE", None)
    if params.pop("PREF", None):
        types = [*types, "pref"]
    for gone in ("ALTID", "PID", "MEDIATYPE"):
        params.pop(gone, None)
    if sort_as := params.pop("SORT-AS", None):
        lines.append(_Out("SORT-STRING", escaped(sort_as[0]), line.group))
    if label := params.pop("LABEL", None):
        lines.append(_Out("LABEL", escaped(unescaped(label[0])), line.group, {"TYPE": list(types)}))
    return [_Out(name, value, line.group, _with_types(params, types)), *lines]


# -- parts


def _own_again(line: ContentLine, foreign: set[str]) -> str:
    """The name under which an `X-` line goes on: its own where it was moved out of the other version, else as it is spelled."""
    return line.name[2:] if line.name[2:] in foreign else line.spelled


def _params(line: ContentLine) -> tuple[list[str], dict[str, list[str]]]:
    """(types in lower case, each once; all others but encoding and charset)."""
    types: list[str] = []
    for type_name in line.params.get("TYPE", ()):
        for one in type_name.split(","):
            word = one.strip().lower()
            if word and word not in types and word not in ("quoted-printable", "base64", "8bit", "7bit"):
                types.append(word)
    params = {name: list(values) for name, values in line.params.items() if name not in ("TYPE", "ENCODING", "CHARSET")}
    if [value.lower() for value in params.get("VALUE", ())] in (["url"], ["content-id"], ["inline"]):
        params["VALUE"] = ["uri"]
    return types, params


def _with_types(params: dict[str, list[str]], types: Sequence[str]) -> dict[str, list[str]]:
    return ({"TYPE": list(types)} if types else {}) | params


def _base64(value: str) -> str:
    return re.sub(r"[^A-Za-z0-9+/=]", "", value)


def _is_bytes(line: ContentLine) -> bool:
    return bool(encodings(line) & {"B", "BASE64"})


def _value(line: ContentLine) -> str:
    """With an encoding of 2.1 undone; one text is escaped where it is not."""
    value = decoded(line)
    if "\n" in value or "\r" in value:
        value = value.replace("\r\n", "\n").replace("\r", "\n").replace("\n", "\\n")
    return _FREE.sub(r"\\\1", value) if line.name in _PLAIN and ("," in value or ";" in value) else value


def _quoted(value: str) -> str:
    """A parameter's value (RFC 6350 §3.3); what it cannot hold by RFC 6868."""
    if not _QUOTE.search(value):
        return value
    return '"' + value.replace("^", "^^").replace('"', "^'").replace("\n", "^n") + '"'
