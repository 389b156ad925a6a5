"""Mails in one mailbox file: mbox (RFC 4155), lines that begin like a separator quoted so that it can be undone ("mboxrd", common
practice, no published source). Every message stays byte for byte as it was, line ends included.
"""

import re
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime

SENDER = "old-attic@localhost"
MOST_BYTES = 64 << 20
"""A mail that is larger leaves as a file."""
_FIELD = re.compile(rb"([!-9;-~]+)[ \t]*:")
_TELLING = {b"from", b"to", b"date", b"subject", b"received", b"message-id", b"return-path", b"mime-version", b"content-type"}
_QUOTE = re.compile(rb"^(>*From )", re.M)
_QUOTED = re.compile(rb"^>(>*From )", re.M)
_DAYS, _MONTHS = "Mon Tue Wed Thu Fri Sat Sun", "Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec"


def is_message(content: bytes) -> bool:
    """Whether this is a mail (RFC 5322): its first line is a field of the header, and one of those that every mail has is among them."""
    head = re.split(rb"\r?\n\r?\n", content[: 64 << 10], maxsplit=1)[0]
    fields = [_FIELD.match(line) for line in head.splitlines() if line[:1] not in (b" ", b"\t")]
    return bool(fields) and fields[0] is not None and any(field is not None and field[1].lower() in _TELLING for field in fields)


def entry(content: bytes, *, at: datetime) -> bytes:
    """One message as it stands in the file, separator and the blank line behind it included."""
    separator = f"From {SENDER} {_asctime(at)}\n".encode()
    return separator + _QUOTE.sub(rb">\1", content) + (b"\n" if content.endswith(b"\n") else b"\n\n")


def _asctime(at: datetime) -> str:
    """RFC 4155: as `asctime` writes it, in UTC, whatever the language of the machine."""
    moment = at.astimezone(UTC)
    return (
        f"{_DAYS.split()[moment.weekday()]} {_MONTHS.split()[moment.month - 1]} {moment.day:2} {moment:%H:%M:%S} {max(moment.year, 1):04}"
    )


def messages(pieces: Iterable[bytes]) -> Iterator[bytes]:
    """The messages of a file that `entry` wrote, as they were; one whose last line had no end has one now."""
    held: list[bytes] | None = None
    for line in _lines(pieces):
        if line.startswith(b"From "):
            if held is not None:
                yield _unquoted(held)
            held = []
        elif held is not None:
            held.append(line)
    if held is not None:
        yield _unquoted(held)


def _unquoted(lines: list[bytes]) -> bytes:
    whole = b"".join(lines)
    return _QUOTED.sub(rb"\1", whole.removesuffix(b"\n"))


def _lines(pieces: Iterable[bytes]) -> Iterator[bytes]:
    held: list[bytes] = []
    for piece in pieces:
        *ended, rest = piece.split(b"\n")
        for line in ended:
            yield b"".join([*held, line, b"\n"])
            held = []
        held.append(rest)
    if last := b"".join(held):
        yield last
