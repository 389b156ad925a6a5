"""The root of the error tree. Each package's `errors.py` hangs its own branches below `AtticError`.

An error carries a stable `code`, a sentence that says what happened, and a `remedy` that says what to
do next. `field` names the input that was wrong, where there is one. Interfaces show these attributes;
they never take a message apart.
"""

from typing import ClassVar


class AtticError(Exception):
    """Something that a person can be told about, with the step that resolves it."""

    code: ClassVar[str] = "attic.error"
    remedy: str = "Try again; if it happens again, look into the log of the run."
    field: str | None = None

    def __init__(self, message: str, *, remedy: str | None = None, field: str | None = None) -> None:
        super().__init__(message)
        self.message = message
        if remedy is not None:
            self.remedy = remedy
        if field is not None:
            self.field = field

    def __str__(self) -> str:
        return self.message


class BadInput(AtticError):
    """A value that somebody gave cannot be used. `field` says which."""

    code = "input.invalid"
    remedy = "Correct the value and try again."


class Unforeseen(AtticError):
    """Something outside did what no adapter knows. What it was is the cause (`__cause__`), for the log."""

    code = "attic.unforeseen"
    remedy = "Try it again; if it happens again, the server's log says more."
