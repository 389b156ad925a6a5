"""Ask a run of every device of a cause, in one act: each that can be asked is, each that cannot is named with the reason."""

from collections import Counter
from dataclasses import dataclass
from datetime import datetime

from server.api.problems import Conflict
from server.oversight.causes import causes
from server.oversight.standing import standings
from server.people.models import User
from server.runs.actions.ask_run import ask_run_by_hand


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What came of it."""

    asked: int
    """Devices whose run was asked."""
    refused: list[tuple[str, int]]
    """Why a run was not asked, and of how many devices; the most frequent first."""


def run_cause(code: str, *, by: User, now: datetime) -> Asked:
    """Raises Conflict when there is no such cause any more, or when running is not what it needs."""
    cause = next((one for one in causes(now=now, rows=standings(now=now)) if one.code == code), None)
    if cause is None:
        raise Conflict("This does not need anybody any more.", remedy="Look at Today again.")
    if cause.step != "run":
        raise Conflict("A run is not what this needs.", remedy=f"Its next step is: {cause.step_label}.")
    asked, refused = 0, Counter[str]()
    for row in cause.devices:
        try:
            ask_run_by_hand(row.device, note="", by=by, now=now)
        except Conflict as conflict:
            refused[conflict.message] += 1
        else:
            asked += 1
    return Asked(asked=asked, refused=refused.most_common())
