"""Digests of content as `docs/agent-protocol.md` §6 says: written from the page, on purpose without the server's code.

RFC 8785 orders members by UTF-16 code units and writes numbers as ECMAScript does; the records of these devices hold
texts, whole numbers, truth values, lists and objects only.
"""

import hashlib
import json
import unicodedata
from typing import Any

FILES = {"attachments", "photos", "videos", "music", "recordings", "documents", "mail", "apps", "app_data", "card"}
UNORDERED = {"contacts", "calendar"}


def content_digest(kind: str, content: bytes) -> str:
    """SHA-256 in hex."""
    if kind not in FILES:
        try:
            record = json.loads(content)
        except ValueError:
            record = None
        if isinstance(record, dict):
            content = _written(_plain(record, kind in UNORDERED)).encode()
    return hashlib.sha256(content).hexdigest()


def _plain(value: Any, unordered: bool) -> Any:
    if isinstance(value, str):
        return unicodedata.normalize("NFC", value)
    if isinstance(value, list):
        entries = [entry for entry in (_plain(one, unordered) for one in value) if entry not in (None, "", [], {})]
        return sorted(entries, key=lambda entry: _written(entry).encode()) if unordered else entries
    if isinstance(value, dict):
        members = {unicodedata.normalize("NFC", name): _plain(one, unordered) for name, one in value.items()}
        return {name: one for name, one in members.items() if one not in (None, "", [], {})}
    return value


def _written(value: Any) -> str:
    if isinstance(value, dict):
        names = sorted(value, key=lambda name: name.encode("utf-16-be", "surrogatepass"))
        return "{" + ",".join(f"{_written(name)}:{_written(value[name])}" for name in names) + "}"
    if isinstance(value, list):
        return "[" + ",".join(_written(entry) for entry in value) + "]"
    return json.dumps(value, ensure_ascii=False)
