"""One device's content, kept in an SQLite file, and the made-up life that changes it day by day.

The same device lives the same day in the same way, whenever the program is started: what happens is
drawn from a seed of device and date. Messages lie in tables of their own, as on a real phone; a
conversation is put together when somebody asks for it.
"""

import hashlib
import json
import random
import sqlite3
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, date, datetime, time, timedelta
from pathlib import Path
from typing import Any

from standins import people
from standins.drawing import app_package, photo, plan_sheet, voice_note
from standins.fleet import Persona

_SCHEMA = """
create table if not exists item (kind text, id text, name text, modified text, content blob, primary key (kind, id));
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
        self._db.executescript(_SCHEMA)

    # -- what the protocol asks

    def inventory(self, kind: str) -> list[dict[str, Any]]:
        """Every item of a kind, sorted by id."""
        with self._read() as db:
            if kind == "messages":
                talks = db.execute("select id, partner from conversation order by id").fetchall()
                return [_listed(id, partner, self._last_word(db, id), self.content(kind, id) or b"") for id, partner in talks]
            found = db.execute("select id, name, modified, content from item where kind = ? order by id", (kind,))
            return [_listed(*row) for row in found]

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

    def write(self, kind: str, id: str | None, name: str, content: bytes, *, at: datetime) -> str:
        """A new item, or the one with this id anew; its id."""
        with self._change() as db:
            id = id or f"r{hashlib.sha256(name.encode() + content + str(at).encode()).hexdigest()[:12]}"
            if kind == "messages":
                told = json.loads(content)
                db.execute("insert or replace into conversation values (?, ?)", (id, name))
                db.execute("delete from message where conversation = ?", (id,))
                rows = [(id, m["at"], m["from"], m["text"], (m.get("attachments") or [""])[0]) for m in told["messages"]]
                db.executemany("insert into message (conversation, at, sender, body, attachment) values (?, ?, ?, ?, ?)", rows)
            else:
                db.execute("insert or replace into item values (?, ?, ?, ?, ?)", (kind, id, name, at.isoformat(), content))
            return id

    def forget(self, kind: str, id: str) -> None:
        with self._change() as db:
            db.execute("delete from item where kind = ? and id = ?", (kind, id))
            db.execute("delete from conversation where id = ? and ? = 'messages'", (id, kind))

    def used_bytes(self) -> int:
        with self._read() as db:
            return int(db.execute("select coalesce(sum(length(content)), 0) from item").fetchone()[0])

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
                _Days(db, self.persona).begin(day)
            self.set_fact("lived", day.isoformat())
            return
        last = date.fromisoformat(lived)
        while last < day:
            last += timedelta(days=1)
            with self._change() as db:
                _Days(db, self.persona).live(last)
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


def _listed(id: str, name: str, modified: str, content: bytes) -> dict[str, Any]:
    tag = hashlib.sha256(content).hexdigest()[:16]
    return {"id": id, "name": name, "size_bytes": len(content), "modified": modified, "tag": tag}


class _Days:
    """What happens on a day, written into the tables."""

    def __init__(self, db: sqlite3.Connection, persona: Persona) -> None:
        self._db, self._persona = db, persona

    def begin(self, day: date) -> None:
        """The content that the device had before anybody looked."""
        self._draw = random.Random(f"{self._persona.slug} begin")
        habits = self._persona.habits
        earlier = [day - timedelta(days=self._draw.randint(1, 200)) for _ in range(400)]
        for n in range(habits.contacts):
            self._contact(n, earlier[n % 400])
        for n in range(habits.photos):
            self._photo(earlier[n % 400], n)
        for n in range(habits.events):
            self._event(earlier[n % 400] + timedelta(days=self._draw.randint(0, 260)), n)
        for n in range(habits.conversations):
            self._db.execute("insert into conversation values (?, ?)", (f"t{n:03}", self._name()))
            for _ in range(self._draw.randint(3, 25)):
                self._message(earlier[n], n)
        for n in range(12):
            self._call(earlier[n], n)
            self._document(earlier[n], n)
        for n in range(4):
            self._recording(earlier[n], n)
        for number, app in enumerate(people.APPS[: habits.apps]):
            self._put("apps", f"app{number}", f"{app} 1.app", earlier[number], app_package(app, 1))
            self._app_database(app, earlier[number], rows=self._draw.randint(200, 900))
        for number, name in enumerate(people.SETTINGS):
            self._record("settings", f"s{number}", name, earlier[number], {"value": self._draw.choice(("low", "medium", "high"))})
        for number, name in enumerate(people.NETWORKS[: self._draw.randint(2, 4)]):
            secret = f"{self._draw.choice(people.PLACES)} {self._draw.randint(10, 99)}"
            self._record("wireless", f"w{number}", name, earlier[number], {"security": "WPA3", "password": secret})
        for number in range(2):
            told = {"at": f"0{6 + number}:30", "days": "Mo Tu We Th Fr"}
            self._record("alarms", f"a{number}", f"Alarm {number + 1}", earlier[number], told)
        if self._persona.family == "orlo":
            for number in range(3):
                self._record("notes", f"n{number}", f"Note {number + 1}", earlier[number], {"text": self._draw.choice(people.PHRASES)})
            told = {"site": "portal.tidewick.example", "user": "survey", "password": f"chalk {self._draw.randint(100, 999)}"}
            self._record("logins", "l0", "portal.tidewick.example", earlier[0], told)

    def live(self, day: date) -> None:
        """One ordinary day; weekends are quiet."""
        self._draw = random.Random(f"{self._persona.slug} {day}")
        habits, weekend = self._persona.habits, day.weekday() >= 5
        busy = 0.25 if weekend else 1.0
        number = day.toordinal() * 100
        for n in range(round(self._draw.uniform(0, 2 * habits.photos_a_day) * busy)):
            self._photo(day, number + n)
        for n in range(round(self._draw.uniform(0, 6) * busy)):
            self._message(day, self._draw.randrange(max(1, habits.conversations)))
            self._call(day, number + n)
        if self._draw.random() < 0.2 * busy:
            self._contact(number, day)
        if self._draw.random() < 0.5 * busy:
            self._event(day + timedelta(days=self._draw.randint(1, 30)), number)
        if self._draw.random() < 0.3 * busy:
            self._recording(day, number)
        if self._draw.random() < 0.3 * busy:
            self._document(day, number)
        app = self._draw.choice(people.APPS[: habits.apps])
        self._app_database(app, day, rows=200 + day.toordinal() % 700)
        if self._draw.random() < 0.04:
            version = 2 + day.toordinal() % 5
            self._put("apps", f"app{people.APPS.index(app)}", f"{app} {version}.app", day, app_package(app, version))

    # -- single things

    def _put(self, kind: str, id: str, name: str, day: date, content: bytes) -> None:
        at = datetime.combine(day, time(8 + self._draw.randint(0, 9), self._draw.randint(0, 59)), UTC)
        self._db.execute("insert or replace into item values (?, ?, ?, ?, ?)", (kind, id, name, at.isoformat(), content))

    def _record(self, kind: str, id: str, name: str, day: date, told: dict[str, Any]) -> None:
        self._put(kind, id, name, day, json.dumps(told, ensure_ascii=False).encode())

    def _name(self) -> str:
        return f"{self._draw.choice(people.FIRST)} {self._draw.choice(people.LAST)}"

    def _contact(self, n: int, day: date) -> None:
        given, family = self._draw.choice(people.FIRST), self._draw.choice(people.LAST)
        town = self._draw.choice(people.TOWNS)
        told = {
            "display": f"{given} {family}",
            "name": {"given": given, "family": family},
            "organisation": self._draw.choice(people.ORGANISATIONS),
            "phones": [{"label": self._draw.choice(("cell", "work")), "number": f"+00 555 {self._draw.randint(1000, 9999)}"}],
            "emails": [{"label": "work", "address": f"{given}.{family}@{town.split()[0].strip(chr(39)).lower()}.example".lower()}],
            "address": {"street": f"{self._draw.choice(people.PLACES)} {self._draw.randint(1, 90)}", "town": town},
        }
        self._record("contacts", f"c{n}", told["display"], day, told)

    def _event(self, day: date, n: int) -> None:
        hour = self._draw.randint(8, 16)
        told = {"title": self._draw.choice(people.VISITS), "place": self._draw.choice(people.PLACES), "zone": "Europe/Berlin"}
        told |= {"start": f"{day}T{hour:02}:00", "end": f"{day}T{hour + 1:02}:30"}
        self._record("calendar", f"e{n}", str(told["title"]), day, told)

    def _photo(self, day: date, n: int) -> None:
        at = datetime.combine(day, time(9 + n % 8, n % 60), UTC)
        self._put("photos", f"p{n}", f"Camera/{day:%Y-%m}/IMG_{day:%Y%m%d}_{n % 100:02}.jpg", day, photo(self._draw, at))

    def _message(self, day: date, conversation: int) -> None:
        id = f"t{conversation:03}"
        row = self._db.execute("select partner from conversation where id = ?", (id,)).fetchone()
        if row is None:
            return
        at = datetime.combine(day, time(self._draw.randint(7, 20), self._draw.randint(0, 59)), UTC).isoformat()
        attachment = ""
        if self._draw.random() < 0.12:
            attachment = f"{id}-{day:%Y%m%d}-{self._draw.randint(0, 999):03}.jpg"
            self._put("attachments", attachment, attachment, day, photo(self._draw, datetime.combine(day, time(12), UTC)))
        sender = self._draw.choice((row[0], "me"))
        values = (id, at, sender, self._draw.choice(people.PHRASES), attachment)
        self._db.execute("insert into message (conversation, at, sender, body, attachment) values (?, ?, ?, ?, ?)", values)

    def _call(self, day: date, n: int) -> None:
        way = self._draw.choice(("in", "out", "missed"))
        told = {"number": f"+00 555 {self._draw.randint(1000, 9999)}", "way": way, "seconds": self._draw.randint(0, 900)}
        self._record("calls", f"k{n}", self._name(), day, told)

    def _recording(self, day: date, n: int) -> None:
        self._put("recordings", f"v{n}", f"Voice {day} {n % 100}.wav", day, voice_note(self._draw, self._draw.uniform(1, 4)))

    def _document(self, day: date, n: int) -> None:
        title = f"Plot {self._draw.randint(1, 80)} {day}"
        self._put("documents", f"d{n}", f"Plans/{title} {n % 100}.pdf", day, plan_sheet(self._draw, title))

    def _app_database(self, app: str, day: date, *, rows: int) -> None:
        """A real SQLite file that grows and is changed in place."""
        with tempfile.NamedTemporaryFile(suffix=".sqlite") as file:
            db = sqlite3.connect(file.name)
            db.execute("create table reading (id integer primary key, place text, level real, note text)")
            base = random.Random(f"{self._persona.slug} {app}")
            told = [(n, base.choice(people.PLACES), round(base.uniform(-3, 3), 3), base.choice(people.PHRASES)) for n in range(rows)]
            db.executemany("insert into reading values (?, ?, ?, ?)", told)
            db.execute("update reading set level = ? where id = ?", (day.toordinal() / 1000, day.toordinal() % rows))
            db.commit()
            db.close()
            content = Path(file.name).read_bytes()
        self._put("app_data", f"{app.lower()}.sqlite", f"{app}/data.sqlite", day, content)
