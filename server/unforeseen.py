"""The end of everything that nobody foresaw: a sentence for people, a reference, and the trace in the log.

Work that is done in the background ends in a state with a cause whatever happens. What is in the error tree says so
itself; anything else is written into the log in full, under a reference that the page shows.
"""

import logging
import secrets
from dataclasses import dataclass

from core.errors import AtticError, Unforeseen

log = logging.getLogger("attic.unforeseen")


@dataclass(frozen=True, slots=True, kw_only=True)
class Ending:
    """Why something ended, as its row keeps it."""

    code: str
    cause: str
    remedy: str
    reference: str
    """Of the entry in the log; empty when the error says everything itself."""


def ending_of(error: Exception, what: str) -> Ending:
    """`what`: of which run, restore, import or copy, for the log."""
    if isinstance(error, AtticError) and not isinstance(error, Unforeseen):
        return Ending(code=error.code, cause=error.message[:600], remedy=error.remedy[:600], reference="")
    reference = secrets.token_hex(4)
    log.error("reference %s: %s ended in a way that nobody foresaw", reference, what, exc_info=error)
    if isinstance(error, Unforeseen):
        remedy = f"{error.remedy} Its reference there is {reference}."
        return Ending(code=error.code, cause=error.message[:600], remedy=remedy[:600], reference=reference)
    return Ending(
        code="server.unforeseen",
        cause=f"Something happened that nobody foresaw ({type(error).__name__}).",
        remedy=f"Try it again; if it happens again, the server's log says more under the reference {reference}.",
        reference=reference,
    )
