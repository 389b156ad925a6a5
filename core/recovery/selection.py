"""What somebody chose to take back from a backup: everything, whole kinds, single items."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import partial

from core.content.kinds import kind as kind_of
from core.content.paths import path_of
from core.errors import BadInput
from core.vault.manifests import Manifest, Stored
from core.vault.vault import Vault


@dataclass(frozen=True, slots=True, kw_only=True)
class Selection:
    """Whole kinds and single items. `everything` outweighs both."""

    everything: bool = False
    kinds: frozenset[str] = frozenset()
    items: frozenset[tuple[str, str]] = frozenset()
    """(kind, item id)."""

    def __post_init__(self) -> None:
        if not (self.everything or self.kinds or self.items):
            raise BadInput("Nothing is chosen.", field="selection", remedy="Choose the whole backup, a kind, or single items.")
        for code in self.kinds | {kind for kind, _ in self.items}:
            kind_of(code)

    def touches(self, kind: str) -> bool:
        return self.everything or kind in self.kinds or any(of == kind for of, _ in self.items)

    def holds(self, kind: str, id: str) -> bool:
        return self.everything or kind in self.kinds or (kind, id) in self.items


def chosen(
    vault: Vault, manifest: Manifest, selection: Selection, *, lost: dict[str, int] | None = None
) -> Iterator[tuple[str, list[Stored]]]:
    """(kind, its chosen items) for each kind that has any.

    Where a part of the list itself is damaged, `lost` gets the number of items that cannot even be named. Raises Damaged without it.
    """
    for summary in manifest.kinds:
        if selection.touches(summary.kind):
            note = None if lost is None else partial(lost.__setitem__, summary.kind)
            items = vault.items(manifest, summary.kind, lost=note)
            stored_items = [stored for stored in items if selection.holds(summary.kind, stored.item.id)]
            if stored_items:
                yield summary.kind, stored_items


def folders_of(vault: Vault, manifest: Manifest, kinds: Sequence[tuple[str, list[Stored]]], *, everything: bool) -> list[Stored]:
    """Folders of the backup that belong to what is chosen: all with everything, else those in which something of it lies.
    One whose entry is damaged is made as it is needed, without its time and mode."""
    if manifest.folders is None:
        return []
    stored_items = list(vault.items(manifest, manifest.folders.kind, lost=lambda count: None))
    if everything:
        return stored_items
    paths = (path_of(stored.item) for _, chosen in kinds for stored in chosen)
    needed = {path[:at] for path in paths for at, letter in enumerate(path) if letter == "/"}
    return [stored for stored in stored_items if path_of(stored.item) in needed]
