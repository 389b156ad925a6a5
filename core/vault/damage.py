"""What of a backup cannot be given back whole, told without reading its content: by what checks have noted and what is not there."""

from dataclasses import dataclass, field

from core.vault.manifests import Manifest, Stored
from core.vault.vault import Vault

MOST_NAMES = 20


@dataclass(slots=True, kw_only=True)
class DamagedKind:
    """Items of one kind that are damaged."""

    items: int = 0
    names: list[str] = field(default_factory=list)
    """Of some of them; those whose list itself is damaged have none."""

    def note(self, name: str) -> None:
        self.items += 1
        if len(self.names) < MOST_NAMES:
            self.names.append(name)


def is_whole(vault: Vault, stored: Stored) -> bool:
    """Whether every chunk of the item is there, and no check has found one damaged."""
    return all(place is not None for place in vault.index.places([span.chunk for span in stored.spans]))


def damaged_kinds(vault: Vault, manifest: Manifest) -> dict[str, DamagedKind]:
    """Kinds of which something is damaged; reads the trees only."""
    kinds: dict[str, DamagedKind] = {}
    for summary in manifest.kinds:
        kind = DamagedKind()
        lost: list[int] = []
        for stored in vault.items(manifest, summary.kind, lost=lost.append):
            if not is_whole(vault, stored):
                kind.note(stored.item.name)
        kind.items += sum(lost)
        if kind.items:
            kinds[summary.kind] = kind
    return kinds
