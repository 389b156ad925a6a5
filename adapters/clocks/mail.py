"""What time a mail server thinks it is: many put the date into their greeting. Nothing is sent but `QUIT`."""

import re
import socket
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime

_DATE = re.compile(rb"[A-Z][a-z]{2}, {1,2}\d{1,2} [A-Z][a-z]{2} \d{4} \d{2}:\d{2}:\d{2} [+-]\d{4}")
"""A date of RFC 5322 §3.3 as servers write it."""
TIMEOUT_SECONDS = 5.0
MOST_BYTES = 4096


def mail_date(host: str, port: int, *, timeout_seconds: float = TIMEOUT_SECONDS) -> datetime | None:
    """The date in its greeting; None when there is none, or nobody answers."""
    try:
        with socket.create_connection((host, port), timeout=timeout_seconds) as line:
            line.settimeout(timeout_seconds)
            greeting = line.recv(MOST_BYTES)
            line.sendall(b"QUIT\r\n")
    except (OSError, UnicodeError):
        return None
    return date_in(greeting)


def date_in(greeting: bytes) -> datetime | None:
    """Aware, UTC. None when the date is none."""
    match = _DATE.search(greeting)
    if match is None:
        return None
    try:
        return parsedate_to_datetime(match.group().decode()).astimezone(UTC)
    except (ValueError, OverflowError):
        return None
