"""Which kind a file in a folder belongs to: by rules that somebody wrote, then by the folders above it, then by its ending.

Used by the links that see files only. The answer is a kind's code; what fits nothing is a document. A rule may
also leave files out.
"""

import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import PurePosixPath

from core.content.items import clean_name
from core.content.kinds import kind
from core.errors import BadInput

MAX_RULES = 100
MAX_PATTERN_CHARACTERS = 300
NOTHING = ""
"""Stands for the kind of files that are left out."""
_BY_FOLDER = {
    "voice": "recordings", "recordings": "recordings", "music": "music",
    "mail": "mail", "apps": "apps", "app data": "app_data", "app_data": "app_data", "card": "card",
}  # fmt: skip
_BY_ENDING = {
    "photos": "jpg jpeg png gif webp heic heif bmp tif tiff dng",
    "videos": "mp4 mov mkv webm avi 3gp m4v",
    "music": "mp3 flac ogg oga aac wma",
    "recordings": "amr opus m4a wav",
    "mail": "eml mbox msg",
    "app_data": "sqlite sqlite3 db",
}
_ENDINGS = {ending: kind for kind, endings in _BY_ENDING.items() for ending in endings.split()}


@dataclass(frozen=True, slots=True, kw_only=True)
class FileRule:
    """Files whose path fits `pattern` are of kind `kind`, or left out."""

    pattern: str
    """`DCIM/**`, `*.gpx`, `Logs/*/raw*.csv`: `*` and `?` stay inside one part, `**` is any number of parts. A pattern
    without a slash fits the file's name in any folder. Case and Unicode composition do not matter."""
    kind: str
    """A kind's code, or NOTHING."""

    def __post_init__(self) -> None:
        if not self.pattern.strip("/ ") or len(self.pattern) > MAX_PATTERN_CHARACTERS:
            raise BadInput("A rule has no usable pattern.", field="rules", remedy="Write one such as DCIM/** or *.gpx.")
        if self.pattern.count("*") > 20:
            raise BadInput(f"The pattern {self.pattern} has too many stars.", field="rules", remedy="Use a simpler one.")
        if self.kind != NOTHING:
            kind(self.kind)

    def fits(self, path: PurePosixPath) -> bool:
        return self.fits_parts(_same(path.as_posix()).split("/"))

    def fits_parts(self, parts: Sequence[str]) -> bool:
        """`parts` of a path, folded."""
        return _fits(_runs(self.pattern), parts)


@dataclass(slots=True, kw_only=True)
class Sorted:
    """What one rule, or the order that is used without one, does with the files of a folder."""

    pattern: str
    """Empty for files that no rule fits."""
    kind: str
    files: int = 0
    size_bytes: int = 0
    examples: list[str]


def kind_of_file(path: PurePosixPath, rules: Sequence[FileRule] = ()) -> str:
    """The kind of the file at this path, relative to the device's folder; NOTHING when a rule leaves it out."""
    by_rule = ruled(path.as_posix(), rules)
    if by_rule is not None:
        return by_rule
    above: str | None = None
    for part in path.parts[:-1]:
        above = kind_below(above, part)
    return kind_of_name(above, path.name)


def ruled(path: str, rules: Sequence[FileRule]) -> str | None:
    """The kind that the first fitting rule gives the file at this path, NOTHING to leave it out; None when none fits."""
    parts = _same(path).split("/") if rules else []
    return next((rule.kind for rule in rules if rule.fits_parts(parts)), None)


def kind_below(above: str | None, folder: str) -> str | None:
    """The kind that a folder settles for everything below it; None when endings decide. The outermost one wins."""
    return above or _BY_FOLDER.get(folder.casefold())


def kind_of_name(above: str | None, name: str) -> str:
    """The kind of a file of this name in a folder that settles `above`."""
    stem, dot, ending = name.rpartition(".")
    if above == "mail" and stem and dot and _ENDINGS.get(ending.casefold()) != "mail":
        above = None  # a folder of that name holds programs as often as mails
    return above or (_ENDINGS.get(ending.casefold(), "documents") if stem and dot else "documents")


def sorted_files(files: Iterable[tuple[str, int]], rules: Sequence[FileRule]) -> list[Sorted]:
    """(path, bytes) of files, counted by the rule that takes each: rules in their order, then what no rule fits by kind."""
    by_rule = {(rule.pattern, rule.kind): Sorted(pattern=rule.pattern, kind=rule.kind, examples=[]) for rule in rules}
    for name, size_bytes in files:
        path = PurePosixPath(name)
        rule = next((rule for rule in rules if rule.fits(path)), None)
        place = (rule.pattern, rule.kind) if rule else ("", kind_of_file(path))
        entry = by_rule.setdefault(place, Sorted(pattern=place[0], kind=place[1], examples=[]))
        entry.files += 1
        entry.size_bytes += size_bytes
        if len(entry.examples) < 3:
            entry.examples.append(clean_name(name))
    return list(by_rule.values())


@lru_cache(maxsize=1000)
def _runs(pattern: str) -> tuple[tuple[re.Pattern[str], ...], ...]:
    """The parts of a pattern, cut at each `**` into runs of parts that stand side by side."""
    parts = [part for part in _same(pattern).strip("/ ").split("/") if part]
    if len(parts) == 1 and parts[0] != "**":
        parts.insert(0, "**")
    runs: list[list[re.Pattern[str]]] = [[]]
    for part in parts:
        if part == "**":
            runs.append([])
        else:
            runs[-1].append(_part(part))
    return tuple(tuple(run) for run in runs)


def _part(written: str) -> re.Pattern[str]:
    """One part. What stands between two stars is looked for once, so that no pattern takes long."""
    pieces = ["".join("." if letter == "?" else re.escape(letter) for letter in piece) for piece in written.split("*")]
    first, *middle = pieces
    if not middle:
        return re.compile(first, re.S)
    *middle, last = middle
    return re.compile(first + "".join(f"(?>.*?{piece})" for piece in middle) + ".*" + last, re.S)


def _fits(runs: Sequence[Sequence[re.Pattern[str]]], parts: Sequence[str]) -> bool:
    first, *others = runs
    if not _stand(first, parts, 0) or (not others and len(parts) != len(first)):
        return False
    if not others:
        return True
    *middle, last = others
    at = len(first)
    for run in middle:
        begin = next((start for start in range(at, len(parts) - len(run) + 1) if _stand(run, parts, start)), None)
        if begin is None:
            return False
        at = begin + len(run)
    end = len(parts) - len(last)
    return end > at - (1 if last else 0) and _stand(last, parts, end)


def _stand(run: Sequence[re.Pattern[str]], parts: Sequence[str], start: int) -> bool:
    """Whether the run fits the parts from `start` on."""
    held = parts[start : start + len(run)]
    return len(held) == len(run) and all(one.fullmatch(part) for one, part in zip(run, held, strict=True))


def _same(text: str) -> str:
    return unicodedata.normalize("NFC", text).casefold()
