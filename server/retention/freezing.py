"""Where somebody said that nothing leaves."""

from dataclasses import dataclass
from uuid import UUID

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from server.retention.models import Freeze


def freezes() -> QuerySet[Freeze]:
    """Those that hold now, newest first."""
    return Freeze.objects.filter(ended_at__isnull=True).select_related("store", "team", "by")


def freeze_by_id(id: UUID) -> Freeze:
    """Raises Http404 for an id that there is not."""
    return get_object_or_404(Freeze, id=id)


@dataclass(frozen=True, slots=True)
class Frozen:
    """What may not leave, read once."""

    office: bool
    stores: frozenset[UUID]
    teams: frozenset[int]

    @classmethod
    def read(cls) -> "Frozen":
        """What nobody may remove from, now. One query."""
        rows = list(Freeze.objects.filter(ended_at__isnull=True).values_list("store_id", "team_id"))
        return cls(
            office=any(store is None and team is None for store, team in rows),
            stores=frozenset(store for store, _ in rows if store is not None),
            teams=frozenset(team for _, team in rows if team is not None),
        )

    def holds(self, store: UUID, team: int | None) -> bool:
        """Whether nothing of a device of this team leaves this store."""
        return self.office or store in self.stores or (team is not None and team in self.teams)

    def waits_for(self, store: UUID) -> list[Freeze]:
        """What keeps the store from giving anything back, the oldest first. One query, and none where nothing does."""
        if self.sweeps(store):
            return []
        rows = Freeze.objects.filter(ended_at__isnull=True).select_related("store", "team").order_by("at", "id")
        return [row for row in rows if row.store_id in (None, store)]

    def sweeps(self, store: UUID) -> bool:
        """Whether the store may give back what nothing needs any more; a team's devices share its bytes with all others."""
        return not (self.office or store in self.stores or self.teams)
