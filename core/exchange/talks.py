"""Conversations as one page that a person can read and print, without scripts and without anything from elsewhere."""

from collections.abc import Iterable, Iterator
from html import escape
from typing import Any

from core.content.records import rows, text, texts

_HEAD = """<!doctype html>
<html lang="en">
<meta charset="utf-8">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'">
<title>{title}</title>
<style>
body {{ max-width: 46rem; margin: 2rem auto; padding: 0 1rem; font: 16px/1.5 sans-serif; color: #1c2b27; background: #fff }}
h2 {{ margin-top: 2.5rem; border-bottom: 1px solid #9aa9a3 }}
dt {{ margin-top: .8rem; color: #4c5d57; font-size: .875rem }}
dd {{ margin: 0; white-space: pre-wrap; overflow-wrap: anywhere }}
.with {{ color: #4c5d57 }}
@media print {{ h2 {{ break-before: page }} }}
</style>
"""


def talks_page(title: str, talks: Iterable[tuple[str, dict[str, Any]]]) -> str:
    """`talks`: (name, record) of each conversation. Whatever a message holds is text."""
    return b"".join(talks_pieces(title, talks)).decode()


def talks_pieces(title: str, talks: Iterable[tuple[str, dict[str, Any]]]) -> Iterator[bytes]:
    """The same, a conversation at a time."""
    yield f"{_HEAD.format(title=escape(title))}<h1>{escape(title)}</h1>\n".encode("utf-8", "replace")
    for name, record in talks:
        yield _talk(name, record).encode("utf-8", "replace")
    yield b"</html>\n"


def _talk(name: str, record: dict[str, Any]) -> str:
    parts = [f"<h2>{escape(name)}</h2>\n"]
    if people := ", ".join(texts(record.get("with"))):
        parts.append(f'<p class="with">with {escape(people)}</p>\n')
    parts.append("<dl>\n")
    for message in rows(record.get("messages")):
        attached = texts(message.get("attachments"))
        when = " ".join(part for part in (text(message.get("from")), text(message.get("at")).replace("T", " ")) if part)
        parts.append(f"<dt>{escape(when)}</dt>\n<dd>{escape(text(message.get('text')))}")
        parts += [f"\n<em>attached: {escape(name)}</em>" for name in attached]
        parts.append("</dd>\n")
    return "".join([*parts, "</dl>\n"])
