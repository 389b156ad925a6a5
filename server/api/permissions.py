"""Who may do what: each thing that may be done has a name, and each role the names that it has.

A view states the name that its writes (`writes`) and its reads (`reads`) need; whoever is signed in reads what states
nothing, and only who sets the office up writes it. `/api/me` answers the names of whoever asks, so that a screen shows
what can be done without knowing any role.
"""

from enum import StrEnum
from typing import TYPE_CHECKING

from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request

if TYPE_CHECKING:
    from rest_framework.views import APIView


class May(StrEnum):
    """One thing that somebody may or may not do."""

    READ = "read"
    """See devices, plans, runs, stores, the journal; and decide one's own wishes and password."""
    RUN = "run"
    """Ask runs and stop them, ask a device whether it is ready, accept what a run left out, choose what a device's plan takes."""
    KEEP = "keep"
    """Hold, release, annotate, copy and check backups; settle what a store holds and the records do not."""
    REMOVE = "remove"
    """Remove backups by hand, say of a damaged one that it may go, and lift what keeps everything."""
    PAUSE = "pause"
    """Pause a plan or a device, and go on with it."""
    PAUSE_EVERYTHING = "pause_everything"
    SETTLE = "settle"
    """Put off what needs a person, say that an anomaly is right."""
    ANSWER = "answer"
    """Look at a device anew and sign the answer whether it may be wiped."""
    LOOK_INSIDE = "look_inside"
    """Read what is in a backup: names, letters, pictures."""
    RESTORE = "restore"
    READ_MESSAGES = "read_messages"
    """What was mailed and told to other programs, and to whom."""
    SET_UP = "set_up"
    """Devices, links, plans, stores, teams, accounts, the office."""
    SEE_KEYS = "see_keys"
    """Where the server's key lies."""


MAY_CODES = [one.value for one in May]
_OF_OPERATORS = frozenset(May) - {May.SET_UP, May.SEE_KEYS, May.PAUSE_EVERYTHING, May.REMOVE}
GRANTED: dict[str, frozenset[May]] = {
    "administrator": frozenset(May),
    "operator": _OF_OPERATORS,
    "auditor": frozenset({May.READ}),
}
"""What each role may do."""


def may(user: object) -> list[str]:
    """The names of what somebody may do, in their order; nothing for a stranger."""
    granted = GRANTED.get(getattr(user, "role", ""), frozenset())
    return [one.value for one in May if one in granted]


class ByRole(BasePermission):
    """Reads `reads` and `writes` of the view; `public = True` opens it to strangers."""

    def has_permission(self, request: Request, view: "APIView") -> bool:
        """As the framework asks for it."""
        if getattr(view, "public", False):
            return True
        if not request.user.is_authenticated:
            return False
        needed = getattr(view, "reads", May.READ) if request.method in SAFE_METHODS else getattr(view, "writes", May.SET_UP)
        return needed.value in may(request.user)
