"""Made-up phone content on disk: media that does not compress, real SQLite databases that do, many small files.

The same for the same seed and size. A day adds messages to databases and marks some as read, in place and in their
indexes, takes a photo, and edits and removes a few small files, as a phone in use does: a phone of 64 GB in use adds
sixty times as much of everything.
"""

import random
import sqlite3
from pathlib import Path

PHOTO_BYTES = 3_000_000
VIDEO_BYTES = 40_000_000
_SYLLABLES = [consonant + vowel for consonant in "bdfghklmnprstvw" for vowel in "aeo"]


class Phone:
    """A folder with the content of a phone."""

    def __init__(self, root: Path, *, megabytes: int, tiny_files: int = 4_000, seed: int = 1) -> None:
        self.root, self._source = root, random.Random(seed)
        words = ["".join(self._source.choices(_SYLLABLES, k=self._source.randint(1, 4))) for _ in range(6_000)]
        self._words = [word for rank, word in enumerate(words) for _ in range(1 + 1200 // (rank + 8))]
        self._people = [" ".join(self._source.choices(words, k=2)) for _ in range(60)]
        total = megabytes * 1_000_000
        self._photos = self._clock = 0
        self._make_media(int(total * 0.70))
        self._databases = [self._make_database(number, int(total * 0.27 / 3)) for number in range(3)]
        self._make_files(min(tiny_files, 40 * megabytes), int(total * 0.02))

    @property
    def a_photo(self) -> Path:
        return self.root / "photos" / "site-00001.jpg"

    def one_day_later(self) -> None:
        for path in self._databases:
            self._change(path)
        self._add_photo()
        notes = sorted((self.root / "notes").iterdir())
        for path in self._source.sample(notes, min(20, len(notes))):
            path.write_text(self._text(40))
        self._source.choice(notes).unlink()
        (self.root / "notes" / f"new-{self._source.randrange(10**9)}.txt").write_text(self._text(60))

    def _make_media(self, size_bytes: int) -> None:
        (self.root / "photos").mkdir(parents=True)
        (self.root / "videos").mkdir()
        left = size_bytes
        for number in range(max(1, size_bytes // 4 // VIDEO_BYTES)):
            size = min(VIDEO_BYTES, left // 3)
            (self.root / "videos" / f"survey-{number:03}.mp4").write_bytes(self._source.randbytes(size))
            left -= size
        while left > 0:
            self._add_photo()
            left -= PHOTO_BYTES

    def _add_photo(self) -> None:
        self._photos += 1
        size = PHOTO_BYTES if self._photos == 1 else int(PHOTO_BYTES * self._source.uniform(0.7, 1.3))
        (self.root / "photos" / f"site-{self._photos:05}.jpg").write_bytes(self._source.randbytes(size))

    def _make_database(self, number: int, size_bytes: int) -> Path:
        (self.root / "app data").mkdir(exist_ok=True)
        path = self.root / "app data" / f"messages-{number}.sqlite"
        with sqlite3.connect(path) as database:
            database.executescript(
                "PRAGMA journal_mode=OFF; PRAGMA synchronous=OFF;"
                "CREATE TABLE message (id INTEGER PRIMARY KEY, at INTEGER, person TEXT, text TEXT, state INTEGER);"
                "CREATE INDEX message_at ON message (at); CREATE INDEX message_person ON message (person);"
            )
            while path.stat().st_size < size_bytes:
                database.executemany(
                    "INSERT INTO message (at, person, text, state) VALUES (?, ?, ?, ?)", self._rows(min(20_000, 1 + size_bytes // 200))
                )
                database.commit()
        database.close()
        return path

    def _change(self, path: Path) -> None:
        """A day's messages at the end, and some older ones marked as read."""
        with sqlite3.connect(path) as database:
            database.execute("PRAGMA journal_mode=OFF")
            database.execute("PRAGMA synchronous=OFF")
            (last,) = database.execute("SELECT max(id) FROM message").fetchone()
            database.executemany("INSERT INTO message (at, person, text, state) VALUES (?, ?, ?, ?)", self._rows(400))
            recent = [(last - self._source.randrange(3_000),) for _ in range(200)]
            older = [(self._source.randrange(1, last),) for _ in range(12)]
            database.executemany("UPDATE message SET state = 1 - state WHERE id = ?", recent + older)
            database.commit()
        database.close()

    def _rows(self, count: int) -> list[tuple[int, str, str, int]]:
        source, first = self._source, self._clock
        self._clock += count  # messages come one after another, and so do their times
        return [(first + at, source.choice(self._people), self._text(source.randint(3, 40)), 0) for at in range(count)]

    def _make_files(self, count: int, size_bytes: int) -> None:
        (self.root / "notes").mkdir()
        (self.root / "documents").mkdir()
        for number in range(count):
            (self.root / "notes" / f"note-{number:05}.txt").write_text(self._text(self._source.randint(5, 60)))
        for number in range(10):
            (self.root / "documents" / f"plan-{number}.txt").write_text(self._text(size_bytes // 60))

    def _text(self, words: int) -> str:
        return " ".join(self._source.choices(self._words, k=words))


def many_small_files(root: Path, count: int, *, seed: int = 2) -> None:
    """Files of a few hundred bytes, a hundred in a folder."""
    source = random.Random(seed)
    for number in range(count):
        folder = root / f"{number // 100:05}"
        if number % 100 == 0:
            folder.mkdir(parents=True)
        (folder / f"contact-{number:06}.txt").write_bytes(b"person %d " % number + source.randbytes(150).hex().encode())
