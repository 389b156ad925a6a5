"""What happens on a device day by day, drawn from a seed of device and date, and written into its tables."""

import hashlib
import json
import random
import sqlite3
from contextlib import closing
from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache
from typing import Any

from standins import people
from standins.drawing import app_package, photo, plan_sheet, voice_note
from standins.fleet import Persona

FORWARDED_A_WEEK = 4
"""Pictures that go round the office in a week: the same bytes in many conversations."""


def tag_of(content: bytes) -> str:
    return hashlib.sha256(content).hexdigest()[:16]


@lru_cache(maxsize=64)
def _forwarded(day: date, number: int) -> bytes:
    """A picture that somebody sent to many people."""
    return photo(random.Random(f"forwarded {day} {number}"), datetime.combine(day, time(12), UTC))


@lru_cache(maxsize=64)
def _package(name: str, version: int) -> bytes:
    return app_package(name, version)


class Days:
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
            self._event(earlier[n % 400] + timedelta(days=self._draw.randint(0, 260)), n, entered=earlier[n % 400])
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
            self._put("apps", f"app{number}", f"{app} 1.app", earlier[number], _package(app, 1))
            self._app_database(app, earlier[number], rows=self._draw.randint(200, 900))
        for number, name in enumerate(people.SETTINGS):
            self._record("settings", f"s{number}", name, earlier[number], {"value": self._draw.choice(("low", "medium", "high"))})
        for number, name in enumerate(people.NETWORKS[: self._draw.randint(2, 4)]):
            secret = f"{self._draw.choice(people.PLACES)} {self._draw.randint(10, 99)}"
            self._record("wireless", f"w{number}", name, earlier[number], {"security": "WPA3", "password": secret})
        for number in range(2):
            record = {"at": f"0{6 + number}:30", "days": "Mo Tu We Th Fr"}
            self._record("alarms", f"a{number}", f"Alarm {number + 1}", earlier[number], record)
        for number in range(habits.card_files):
            points = "\n".join(f"{n},{self._draw.uniform(0, 999):.3f},{self._draw.uniform(0, 999):.3f}" for n in range(200))
            self._put("card", f"x{number}", f"Survey/points {number:03}.csv", earlier[number], f"n,x,y\n{points}\n".encode())
        if self._persona.family == "orlo":
            for number in range(3):
                self._record("notes", f"n{number}", f"Note {number + 1}", earlier[number], {"text": self._draw.choice(people.PHRASES)})
            record = {"site": "portal.tidewick.example", "user": "survey", "password": f"chalk {self._draw.randint(100, 999)}"}
            self._record("logins", "l0", "portal.tidewick.example", earlier[0], record)

    def live(self, day: date) -> None:
        """One ordinary day; weekends are quiet."""
        self._draw = random.Random(f"{self._persona.slug} {day}")
        habits, weekend = self._persona.habits, day.weekday() >= 5
        busy = 0.25 if weekend else 1.0
        number = day.toordinal() * 100
        for n in range(round(self._draw.uniform(0, 2 * habits.photos_a_day) * busy)):
            self._photo(day, number + n)
        if habits.photos_kept is not None:
            self._clear_away("photos", habits.photos_kept)
        for n in range(round(self._draw.uniform(0, 6) * busy)):
            self._message(day, self._draw.randrange(max(1, habits.conversations)))
            self._call(day, number + n)
        if self._draw.random() < 0.2 * busy:
            self._contact(number, day)
        if self._draw.random() < 0.5 * busy:
            self._event(day + timedelta(days=self._draw.randint(1, 30)), number, entered=day)
        if self._draw.random() < 0.3 * busy:
            self._recording(day, number)
        if self._draw.random() < 0.3 * busy:
            self._document(day, number)
        app = self._draw.choice(people.APPS[: habits.apps])
        self._app_database(app, day, rows=200 + day.toordinal() % 700)
        if self._draw.random() < 0.04:
            version = 2 + day.toordinal() % 5
            self._put("apps", f"app{people.APPS.index(app)}", f"{app} {version}.app", day, _package(app, version))

    # -- single things

    def _clear_away(self, kind: str, keep: int) -> None:
        newest = "select id from item where kind = ? order by modified desc, id desc limit ?"
        self._db.execute(f"delete from item where kind = ? and id not in ({newest})", (kind, kind, keep))  # noqa: S608 - its own words

    def _put(self, kind: str, id: str, name: str, day: date, content: bytes) -> None:
        at = datetime.combine(day, time(8 + self._draw.randint(0, 9), self._draw.randint(0, 59)), UTC)
        row = (kind, id, name, at.isoformat(), content, tag_of(content), len(content))
        self._db.execute("insert or replace into item values (?, ?, ?, ?, ?, ?, ?)", row)

    def _record(self, kind: str, id: str, name: str, day: date, record: dict[str, Any]) -> None:
        self._put(kind, id, name, day, json.dumps(record, ensure_ascii=False).encode())

    def _name(self) -> str:
        return f"{self._draw.choice(people.FIRST)} {self._draw.choice(people.LAST)}"

    def _contact(self, n: int, day: date) -> None:
        first, family = self._draw.choice(people.FIRST), self._draw.choice(people.LAST)
        town = self._draw.choice(people.TOWNS)
        display = f"{first} {family}"
        record = {
            "display": display,
            "name": {"given": first, "family": family},
            "organisation": self._draw.choice(people.ORGANISATIONS),
            "phones": [{"label": self._draw.choice(("cell", "work")), "number": f"+00 555 {self._draw.randint(1000, 9999)}"}],
            "emails": [{"label": "work", "address": f"{first}.{family}@{town.split()[0].strip(chr(39)).lower()}.example".lower()}],
            "address": {"street": f"{self._draw.choice(people.PLACES)} {self._draw.randint(1, 90)}", "town": town},
        }
        self._record("contacts", f"c{n}", display, day, record)

    def _event(self, day: date, n: int, *, entered: date) -> None:
        """`day`: when it takes place; `entered`: when somebody wrote it down, which is how new it is."""
        hour = self._draw.randint(8, 16)
        record = {"title": self._draw.choice(people.VISITS), "place": self._draw.choice(people.PLACES), "zone": "Europe/Berlin"}
        record |= {"start": f"{day}T{hour:02}:00", "end": f"{day}T{hour + 1:02}:30"}
        self._record("calendar", f"e{n}", str(record["title"]), entered, record)

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
            if self._draw.random() < 0.7:
                content = _forwarded(day - timedelta(days=day.weekday()), self._draw.randrange(FORWARDED_A_WEEK))
            else:
                content = photo(self._draw, datetime.combine(day, time(12), UTC))
            self._put("attachments", attachment, attachment, day, content)
        sender = self._draw.choice((row[0], "me"))
        values = (id, at, sender, self._draw.choice(people.PHRASES), attachment)
        self._db.execute("insert into message (conversation, at, sender, body, attachment) values (?, ?, ?, ?, ?)", values)

    def _call(self, day: date, n: int) -> None:
        way = self._draw.choice(("in", "out", "missed"))
        fields = {"number": f"+00 555 {self._draw.randint(1000, 9999)}", "way": way, "seconds": self._draw.randint(0, 900)}
        self._record("calls", f"k{n}", self._name(), day, fields)

    def _recording(self, day: date, n: int) -> None:
        self._put("recordings", f"v{n}", f"Voice {day} {n % 100}.wav", day, voice_note(self._draw, self._draw.uniform(1, 4)))

    def _document(self, day: date, n: int) -> None:
        title = f"Plot {self._draw.randint(1, 80)} {day}"
        self._put("documents", f"d{n}", f"Plans/{title} {n % 100}.pdf", day, plan_sheet(self._draw, title))

    def _app_database(self, app: str, day: date, *, rows: int) -> None:
        """A real SQLite file that grows and is changed in place."""
        with closing(sqlite3.connect(":memory:")) as db:
            db.execute("create table reading (id integer primary key, place text, level real, note text)")
            base = random.Random(f"{self._persona.slug} {app}")
            lines = [(n, base.choice(people.PLACES), round(base.uniform(-3, 3), 3), base.choice(people.PHRASES)) for n in range(rows)]
            db.executemany("insert into reading values (?, ?, ?, ?)", lines)
            db.execute("update reading set level = ? where id = ?", (day.toordinal() / 1000, day.toordinal() % rows))
            db.commit()
            content = db.serialize()
        self._put("app_data", f"{app.lower()}.sqlite", f"{app}/data.sqlite", day, content)
