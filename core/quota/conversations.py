"""Attachments by the conversation that names them, in one backup."""

from collections.abc import Iterator
from dataclasses import dataclass

from core.content.records import UnreadableRecord, record, rows, text, texts
from core.units import MIB
from core.vault.errors import Damaged
from core.vault.manifests import Manifest
from core.vault.vault import Vault

MOST_BYTES = 64 * MIB
"""Of conversations that are read for it."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Talk:
    id: str
    """Of the conversation; empty for attachments that none names."""
    name: str
    attachments: int
    size_bytes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Talks:
    lines: list[Talk]
    """The largest first; each attachment once, with the first conversation that names it. Together all attachments."""
    unread: int
    """Conversations that were not read: damaged, no record, or beyond what is read. What they name stands with none."""


def by_conversation(vault: Vault, manifest: Manifest, *, most_bytes: int = MOST_BYTES) -> Talks:
    """Raises StoreError, Damaged when the list of attachments cannot be read, DeviceSealed."""
    left = {stored.item.id: stored.item.size_bytes for stored in vault.items(manifest, "attachments")}
    lost: list[int] = []
    talks: list[Talk] = []
    unread = 0
    for stored in vault.items(manifest, "messages", lost=lost.append) if left else ():
        most_bytes -= stored.item.size_bytes
        try:
            fields = record(b"".join(vault.read(stored))) if most_bytes >= 0 else None
        except (Damaged, UnreadableRecord):
            fields = None
        if fields is None:
            unread += 1
            continue
        mine = [left.pop(id) for id in _named(fields) if id in left]
        if mine:
            name = ", ".join(texts(fields.get("with"))) or stored.item.name
            talks.append(Talk(id=stored.item.id, name=name, attachments=len(mine), size_bytes=sum(mine)))
    if left:
        talks.append(Talk(id="", name="", attachments=len(left), size_bytes=sum(left.values())))
    return Talks(lines=sorted(talks, key=lambda one: (-one.size_bytes, one.id)), unread=unread + sum(lost))


def _named(record: dict[str, object]) -> Iterator[str]:
    for message in rows(record.get("messages")):
        for entry in message["attachments"] if isinstance(message.get("attachments"), list) else ():
            yield text(entry)
