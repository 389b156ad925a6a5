"""One thing that needs a person."""

from dataclasses import dataclass, field
from typing import Any

from server.oversight.cause_lines import CAUSES
from server.oversight.standing import Standings
from server.people.lines import filled
from server.storage.models import Store


@dataclass(slots=True, kw_only=True)
class Cause:
    """One thing that needs a person, with every device it touches."""

    code: str
    mark: str
    """late, never, due_soon, no_plan, odd, store: which mark stands beside it."""
    kind: str
    """Of `cause_lines.CAUSES`; `facts` holds what its sentence tells, and its way."""
    step: str
    """The next step: run, open, plan, storage, room, pair, anomalies, night, restart, clock, coverage, holds, erasing, drills, drives."""
    step_label: str
    facts: dict[str, Any] = field(default_factory=dict)
    devices: list[Standings] = field(default_factory=list)
    store: Store | None = None

    @property
    def says(self) -> str:
        """The sentence, without its full stop."""
        return filled(CAUSES, self.kind, self.facts)
