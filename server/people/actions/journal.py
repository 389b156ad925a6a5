"""Write a line into the journal. Called inside the transaction of the deed."""

from datetime import datetime
from uuid import UUID

from server.people.models import JournalEntry, User


def write_journal(*, who: User | None, what: str, says: str, at: datetime, device: UUID | None = None, store: UUID | None = None) -> None:
    JournalEntry.objects.create(who=who, what=what, says=says[:2000], at=at, device=device, store=store)
