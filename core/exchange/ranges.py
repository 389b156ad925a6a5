"""Which bytes of a file somebody asks for (RFC 9110 §14): a download that was cut off goes on where it stood.

One stretch at a time: a question for several is answered with the whole, as the RFC allows.
"""

import re
from dataclasses import dataclass

from core.errors import AtticError

_ONE = re.compile(r"bytes=[ \t]*(?:(\d{1,19})-(\d{0,19})|-(\d{1,19}))[ \t]*", re.I)


class NoSuchStretch(AtticError):
    """The stretch lies behind the end (416)."""

    code = "export.no_such_stretch"
    remedy = "Fetch it from its beginning."


@dataclass(frozen=True, slots=True, kw_only=True)
class Stretch:
    """From `start` until before `stop`."""

    start: int
    stop: int


def stretch(asked: str, *, size_bytes: int, if_range: str = "", tag: str = "") -> Stretch | None:
    """None: send the whole. `asked` and `if_range`: the headers Range and If-Range; `tag`: the file's entity tag, quotes included.
    What cannot be understood is passed over, as RFC 9110 §14.2 says. Raises NoSuchStretch."""
    match = _ONE.fullmatch(asked)
    if match is None or (if_range and if_range != tag):
        return None
    first, last, final = match.groups()
    if final is not None:
        if int(final) == 0:
            raise NoSuchStretch("Of the end nothing was asked for.")
        start, stop = max(0, size_bytes - int(final)), size_bytes
    else:
        if last and int(last) < int(first):
            return None
        start, stop = int(first), min(size_bytes, int(last) + 1) if last else size_bytes
    if start >= size_bytes:
        raise NoSuchStretch(f"The file ends after {size_bytes} bytes.")
    return Stretch(start=start, stop=stop)
