"""What came of a restore, kind by kind: counted from content, with the names of what is missing, renamed or damaged."""

from dataclasses import dataclass, field

MOST_NAMES = 1000
"""Of each list; the counts are whole."""


@dataclass(slots=True, kw_only=True)
class KindReport:
    """Counts of one kind."""

    chosen: int = 0
    written: int = 0
    added: int = 0
    replaced: int = 0
    same: int = 0
    """Their content was there already."""
    left: int = 0
    """The device's own version stayed, as asked."""
    expected: int = 0
    """Items that should be there after the restore."""
    found: int = 0
    """Those of them that are there afterwards, as `proven_by` says."""
    proven_by: str = "content"
    """`content`: a digest of what is there, or it was read back. `size`: the device tells no digests, and some items are too
    large to be read back, so these were counted by name and size."""
    damaged: list[str] = field(default_factory=list)
    """Names of items that the store could not give back."""
    refused: list[tuple[str, str]] = field(default_factory=list)
    """(name, reason) of items that the place cannot hold under any name."""
    renamed: list[tuple[str, str]] = field(default_factory=list)
    """(name, path that it has now) of items that the place could not hold under their own."""
    missing: list[str] = field(default_factory=list)
    """Names of items that were written and are not there afterwards, or with other content."""
    missing_count: int = 0

    @property
    def whole(self) -> bool:
        return self.expected == self.found and not self.damaged and not self.refused

    def note_missing(self, name: str) -> None:
        self.missing_count += 1
        if len(self.missing) < MOST_NAMES:
            self.missing.append(name)


Report = dict[str, KindReport]
