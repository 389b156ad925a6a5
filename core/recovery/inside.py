"""Looking inside a backup: one line an item, in words, without exporting it.

Titles come from the item's record where it has one; a record that cannot be read is shown by its name.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from core.content.items import Item
from core.content.kinds import KindShape, counted, kind
from core.content.records import UnreadableRecord, record, rows, text, texts
from core.exchange.calendar import sortable
from core.exchange.contentlines import Block
from core.exchange.read_calendar import event, events
from core.exchange.read_vcard import cards, contact


@dataclass(frozen=True, slots=True, kw_only=True)
class TextLine:
    """One item as a person sees it."""

    title: str
    detail: str
    fields: dict[str, str] = field(default_factory=dict)
    """More, by label, for the item's own view."""
    talk: tuple[dict[str, str], ...] = ()
    """Messages of a conversation: from, at, text, attachments."""


_NAMED = 12


def _file(item: Item, content: bytes) -> TextLine:
    """A file of cards or events, which a rule put among contacts or calendar: what is in it."""
    names: list[str] = []
    if item.kind == "contacts":
        fields = [contact(block)[1] for block in cards([content]) if not block.trouble]
        names = [text(one.get("display")) or "(no name)" for one in fields]
    elif item.kind == "calendar":
        for block, zones in events([content]):
            if not block.trouble:
                names.append(_title(block, zones))
    if not names:
        return TextLine(title=item.name, detail="")
    word = counted(item.kind, len(names))
    return TextLine(title=item.name, detail=f"{word}: {', '.join(names[:_NAMED])}{' …' if len(names) > _NAMED else ''}")


def _title(block: Block, zones: dict[str, Block]) -> str:
    try:
        return text(event(block, zones)[1].get("title")) or "(no title)"
    except UnreadableRecord:
        return "(cannot be read)"


def line(item: Item, content: bytes | None) -> TextLine:
    """What to show for an item; `content` is None for files, whose bytes are not needed."""
    shape = kind(item.kind).shape
    if content is None or shape in (KindShape.FILE, KindShape.PICTURE):
        return TextLine(title=item.name, detail="")
    if item.attributes and "mode" in item.attributes:
        return _file(item, content)
    try:
        fields = record(content)
    except UnreadableRecord:
        return TextLine(title=item.name, detail="cannot be read as its kind promises")
    makers = {KindShape.CONTACT: _contact, KindShape.EVENT: _event, KindShape.CONVERSATION: _conversation}
    return makers.get(shape, _record)(item, fields)


def matches(line: TextLine, item: Item, words: Iterable[str]) -> bool:
    """Whether every word stands somewhere in the item's name or text; case does not matter."""
    talk = " ".join(message["text"] + " " + message["from"] for message in line.talk)
    hay = " ".join((item.name, line.title, line.detail, *line.fields.values(), talk)).casefold()
    return all(word.casefold() in hay for word in words)


def _contact(item: Item, record: dict[str, Any]) -> TextLine:
    phones = [text(entry.get("number")) for entry in rows(record.get("phones"))]
    mails = [text(entry.get("address")) for entry in rows(record.get("emails"))]
    fields = {"Organisation": text(record.get("organisation")), "Phone": ", ".join(phones), "Mail": ", ".join(mails)}
    fields |= {"Birthday": text(record.get("birthday")), "Note": text(record.get("note"))}
    return TextLine(title=text(record.get("display")) or item.name, detail=" · ".join([*phones[:1], *mails[:1]]), fields=_said(fields))


def _event(item: Item, record: dict[str, Any]) -> TextLine:
    start = sortable(record.get("start"), record)
    when = text(record.get("start")).replace("T", " ") if start else ""
    fields = {"Start": when, "End": text(record.get("end")).replace("T", " "), "Zone": text(record.get("zone"))}
    fields |= {"Place": text(record.get("place")), "Repeats": text(record.get("repeat")), "With": ", ".join(texts(record.get("attendees")))}
    fields |= {"Note": text(record.get("note"))}
    detail = " · ".join(part for part in (when, fields["Place"]) if part)
    return TextLine(title=text(record.get("title")) or item.name, detail=detail, fields=_said(fields))


def _conversation(item: Item, record: dict[str, Any]) -> TextLine:
    talk = tuple(
        {
            "from": text(message.get("from")),
            "at": text(message.get("at")),
            "text": text(message.get("text")),
            "attachments": ", ".join(texts(message.get("attachments"))),
        }
        for message in rows(record.get("messages"))
    )
    last = talk[-1]["text"] if talk else ""
    count = f"{len(talk)} message" + ("" if len(talk) == 1 else "s")
    return TextLine(title=", ".join(texts(record.get("with"))) or item.name, detail=f"{count} · {last}"[:160], talk=talk)


def _record(item: Item, record: dict[str, Any]) -> TextLine:
    hidden = {"password", "secret"}
    fields = {name: "••••••" if name in hidden else text(value) for name, value in record.items()}
    fields = _said(fields)
    return TextLine(title=item.name, detail=" · ".join(f"{name} {value}" for name, value in list(fields.items())[:3])[:160], fields=fields)


def _said(fields: dict[str, str]) -> dict[str, str]:
    return {name: value for name, value in fields.items() if value}
