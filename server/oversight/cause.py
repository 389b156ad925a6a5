"""One thing that needs a person."""

from dataclasses import dataclass, field

from server.oversight.standing import Standings
from server.storage.models import Store


@dataclass(slots=True, kw_only=True)
class Cause:
    """One thing that needs a person, with every device it touches."""

    code: str
    mark: str
    """late, never, due_soon, no_plan, odd, store: which mark stands beside it."""
    says: str
    step: str
    """The next step: run, open, plan, storage, room, pair, anomalies, night, restart, clock, coverage, holds, erasing, drills, drives."""
    step_label: str
    devices: list[Standings] = field(default_factory=list)
    store: Store | None = None
