"""One device's content, kept in an SQLite file, and the made-up life that changes it day by day.

The same device lives the same day in the same way, whenever the program is started: what happens is
drawn from a seed of device and date. Messages lie in tables of their own, as on a real phone; a
conversation is put together when somebody asks for it.
"""

import hashlib
import json
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any

from standins.days import Days, tag_of
from standins.fleet import Persona

_SCHEMA = """
create table if not exists item (
  kind text, id text, name text, modified text, content blob, tag text, size_bytes integer, primary key (kind, id)
);
create index if not exists item_listed on item (kind, id, name, modified, tag, size_bytes);
create table if not exists conversation (id text primary key, partner text);
create table if not exists message (id integer primary key, conversation text, at text, sender text, body text, attachment text);
create index if not exists message_by_conversation on message (conversation, id);
create table if not exists fact (name text primary key, value text);
"""


class Life:
    """The content of one device. Safe to use from several threads."""

    def __init__(self, folder: Path, persona: Persona) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.persona = persona
        self._path = folder / f"{persona.slug}.sqlite"
        self._lock = threading.RLock()
        self._db = sqlite3.connect(self._path, check_same_thread=False)
        self._db.execute("pragma synchronous = off")  # a play that a power cut ends begins anew
        self._renew()
        self._db.executescript(_SCHEMA)

    def _renew(self) -> None:
        """Give the table of an older program the columns that it lacks."""
        columns = {row[1] for row in self._db.execute("pragma table_info(item)")}
        if columns and "tag" not in columns:
            with self._db:
                self._db.execute("alter table item add column tag text")
                self._db.execute("alter table item add column size_bytes integer")
                held = self._db.execute("select rowid, content from item").fetchall()
                rows = [(tag_of(content), len(content), id) for id, content in held]
                self._db.executemany("update item set tag = ?, size_bytes = ? where rowid = ?", rows)

    # -- what the protocol asks

    def inventory(self, kind: str) -> list[dict[str, Any]]:
        """Every item of a kind, sorted by id."""
        with self._read() as db:
            if kind == "messages":
                talks = db.execute("select id, partner from conversation order by id").fetchall()
                held = [(id, partner, self.content(kind, id) or b"") for id, partner in talks]
                return [_listed(id, partner, self._last_word(db, id), tag_of(talk), len(talk)) for id, partner, talk in held]
            rows = db.execute("select id, name, modified, tag, size_bytes from item where kind = ? order by id", (kind,))
            return [_listed(*row) for row in rows]

    def content(self, kind: str, id: str) -> bytes | None:
        with self._read() as db:
            if kind != "messages":
                row = db.execute("select content from item where kind = ? and id = ?", (kind, id)).fetchone()
                return row[0] if row else None
            row = db.execute("select partner from conversation where id = ?", (id,)).fetchone()
            if row is None:
                return None
            talk = db.execute("select at, sender, body, attachment from message where conversation = ? order by id", (id,))
            messages = [{"at": at, "from": sender, "text": body, "attachments": [a] if a else []} for at, sender, body, a in talk]
            return json.dumps({"with": [row[0]], "messages": messages}, ensure_ascii=False).encode()

    def tag(self, kind: str, id: str) -> str | None:
        """Changes whenever the item does."""
        if kind == "messages":
            content = self.content(kind, id)
            return None if content is None else tag_of(content)
        with self._read() as db:
            row = db.execute("select tag from item where kind = ? and id = ?", (kind, id)).fetchone()
            return row[0] if row else None

    def write(self, kind: str, id: str | None, name: str, content: bytes, *, at: datetime) -> str:
        """A new item, or the one with this id anew; its id."""
        with self._change() as db:
            id = id or f"r{hashlib.sha256(name.encode() + content + str(at).encode()).hexdigest()[:12]}"
            if kind == "messages":
                record = json.loads(content)
                db.execute("insert or replace into conversation values (?, ?)", (id, name))
                db.execute("delete from message where conversation = ?", (id,))
                rows = [(id, m["at"], m["from"], m["text"], (m.get("attachments") or [""])[0]) for m in record["messages"]]
                db.executemany("insert into message (conversation, at, sender, body, attachment) values (?, ?, ?, ?, ?)", rows)
            else:
                row = (kind, id, name, at.isoformat(), content, tag_of(content), len(content))
                db.execute("insert or replace into item values (?, ?, ?, ?, ?, ?, ?)", row)
            return id

    def forget(self, kind: str, id: str) -> None:
        with self._change() as db:
            db.execute("delete from item where kind = ? and id = ?", (kind, id))
            db.execute("delete from conversation where id = ? and ? = 'messages'", (id, kind))

    def lose(self, kind: str) -> None:
        """Two thirds of the items of a kind, as when somebody empties an album by mistake."""
        with self._change() as db:
            db.execute("delete from item where kind = ? and rowid % 3 != 0", (kind,))

    def used_bytes(self) -> int:
        with self._read() as db:
            return int(db.execute("select coalesce(sum(size_bytes), 0) from item").fetchone()[0])

    # -- facts that outlive the process: keys, the day

    def fact(self, name: str) -> str | None:
        with self._read() as db:
            row = db.execute("select value from fact where name = ?", (name,)).fetchone()
            return row[0] if row else None

    def set_fact(self, name: str, value: str | None) -> None:
        with self._change() as db:
            db.execute("delete from fact where name = ?", (name,))
            if value is not None:
                db.execute("insert into fact values (?, ?)", (name, value))

    # -- the life

    def live_until(self, day: date) -> None:
        """Live every day up to this one; the first time, with everything that came before it."""
        lived = self.fact("lived")
        if lived is None:
            with self._change() as db:
                Days(db, self.persona).begin(day)
            self.set_fact("lived", day.isoformat())
            return
        last = date.fromisoformat(lived)
        while last < day:
            last += timedelta(days=1)
            with self._change() as db:
                Days(db, self.persona).live(last)
        self.set_fact("lived", max(last, day).isoformat())

    def _last_word(self, db: sqlite3.Connection, id: str) -> str:
        row = db.execute("select max(at) from message where conversation = ?", (id,)).fetchone()
        return row[0] or "1970-01-01T00:00:00+00:00"

    @contextmanager
    def _read(self) -> Iterator[sqlite3.Connection]:
        with self._lock:
            yield self._db

    @contextmanager
    def _change(self) -> Iterator[sqlite3.Connection]:
        with self._lock, self._db:
            yield self._db


def _listed(id: str, name: str, modified: str, tag: str, size_bytes: int) -> dict[str, Any]:
    return {"id": id, "name": name, "size_bytes": size_bytes, "modified": modified, "tag": tag}
