"""The watch: looks at the whole office, remembers what needs a person, and tells whom it concerns."""

import logging

from server import ports
from server.jobs import SEND_MESSAGES, WATCH, defer_messages, fulfils
from server.telling.actions.send import send_waiting
from server.telling.actions.watch_office import watch_office

log = logging.getLogger("attic.telling")


@fulfils(WATCH)
def watch(timestamp: int) -> None:
    """The job of this name; its action says what it does."""
    if watch_office(now=ports.clock().now()):
        defer_messages()


@fulfils(SEND_MESSAGES)
def send_messages(timestamp: int) -> None:
    """The job of this name; its action says what it does."""
    sent, failed = send_waiting(now=ports.clock().now())
    if sent or failed:
        log.info("messages: %s sent, %s did not go", sent, failed)
