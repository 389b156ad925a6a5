"""What of a device goes into a backup: which kinds, how large an item may be, and what is left out by name.

Decides only. Kinds that the device does not offer are no concern of it, and what is left out is counted by
whoever asks, so that nothing is left out silently.
"""

import hashlib
import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

from core.content.items import Item
from core.content.kinds import KINDS, kind
from core.errors import BadInput

MAX_EXCLUSIONS = 200
MAX_UNDER_CHARACTERS = 300
_VERSION = re.compile(r"[ _-]v?\d[\w.]*$")


class Reach(StrEnum):
    """How the kinds of a plan are to be understood."""

    EVERYTHING = "everything"
    """The whole device, and kinds that are yet to come."""
    ALL_BUT = "all_but"
    ONLY = "only"


@dataclass(frozen=True, slots=True, kw_only=True)
class Exclusion:
    """Something of a kind that is left out: a folder or album by its path, an app by its name."""

    kind: str
    under: str
    """`Camera/2026-01`, `Levelbook`. Case and Unicode composition do not matter."""

    def __post_init__(self) -> None:
        kind(self.kind)
        if not _parts(self.under) or len(self.under) > MAX_UNDER_CHARACTERS:
            remedy = "Name a folder, an album or an app as the inventory shows it."
            raise BadInput("An exclusion names nothing.", field="exclusions", remedy=remedy)

    def fits(self, item: Item) -> bool:
        """Whether this is the item, or it lies below."""
        return self._takes(item.kind, item.name)

    def covers(self, other: "Exclusion") -> bool:
        """Whether nothing is left for the other one to leave out."""
        return self._takes(other.kind, other.under)

    def _takes(self, kind: str, path: str) -> bool:
        under, name = _parts(self.under), _parts(path)
        if kind != self.kind or len(name) < len(under):
            return False
        if self.kind == "apps" and len(under) == 1:
            return _app(name[-1]) == _app(under[0])
        return name[: len(under)] == under


@dataclass(frozen=True, slots=True, kw_only=True)
class LeaveOut:
    """Single things that a backup does not take although their kind is chosen."""

    larger_than_bytes: int | None = None
    exclusions: tuple[Exclusion, ...] = ()
    erased: frozenset[str] = frozenset()
    """Marks (`erased_mark`) of items that were erased on request and must not come back."""
    device: str = ""

    def __post_init__(self) -> None:
        if self.larger_than_bytes is not None and self.larger_than_bytes <= 0:
            raise BadInput(
                "The size limit for single items is nothing.", field="larger_than_bytes", remedy="Give a size, or leave it empty."
            )
        if len(self.exclusions) > MAX_EXCLUSIONS:
            raise BadInput("There are too many exclusions.", field="exclusions", remedy=f"Use at most {MAX_EXCLUSIONS}; name folders.")

    def concerns(self, kind: str) -> bool:
        """Whether anything of this kind can be left out at all."""
        return self.larger_than_bytes is not None or bool(self.erased) or any(exclusion.kind == kind for exclusion in self.exclusions)

    def why(self, item: Item) -> str | None:
        """The reason for which this item is left out; None when it is taken."""
        for exclusion in self.exclusions:
            if exclusion.fits(item):
                return f"left out by the plan: {exclusion.under}"
        if self.erased and erased_mark(self.device, item.kind, item.id) in self.erased:
            return "erased on request"
        if self.larger_than_bytes is not None and item.size_bytes > self.larger_than_bytes:
            return "larger than the plan takes"
        return None


def erased_mark(device: str, kind: str, id: str) -> str:
    """What is remembered of an erased item: enough to know it again, and not its name. 32 hex digits."""
    return hashlib.sha256(f"{device}\0{kind}\0{id}".encode()).hexdigest()[:32]


def kinds_of(reach: Reach, named: Iterable[str]) -> tuple[str, ...]:
    """Codes of the kinds that are wanted, in the order in which people are shown them. Raises BadInput."""
    codes = {kind(code).code for code in named}
    match reach:
        case Reach.EVERYTHING:
            wanted = set(KINDS)
        case Reach.ALL_BUT:
            wanted = set(KINDS) - codes
        case Reach.ONLY:
            wanted = codes
    if not wanted:
        raise BadInput("No kind of content is chosen.", field="kinds", remedy="Choose at least one kind.")
    return tuple(code for code in KINDS if code in wanted)


def in_order(kinds: Iterable[str], first: Sequence[str]) -> tuple[str, ...]:
    """The same kinds, those that are saved first in front, in their order; the others as people are shown them."""
    codes = list(kinds)
    return (*(code for code in first if code in codes), *(code for code in codes if code not in first))


def checked_first(first: Sequence[str]) -> list[str]:
    """Kinds that are saved first, each once. Raises BadInput."""
    codes = list(first)
    if unknown := [code for code in codes if code not in KINDS]:
        raise BadInput(f"There is no kind {unknown[0]!r}.", field="first_kinds", remedy=f"Use: {', '.join(KINDS)}.")
    if len(set(codes)) < len(codes):
        raise BadInput("A kind stands twice among those that are saved first.", field="first_kinds", remedy="Name each once.")
    return codes


def _parts(path: str) -> list[str]:
    return [_same(part) for part in path.replace("\\", "/").split("/") if part.strip()]


def _same(text: str) -> str:
    return unicodedata.normalize("NFC", text.strip()).casefold()


def _app(name: str) -> str:
    """`levelbook 2.app` → `levelbook`."""
    stem = name.rsplit(".", 1)[0] if "." in name and not name.rsplit(".", 1)[1].isdigit() else name
    return _VERSION.sub("", stem)
