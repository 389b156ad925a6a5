"""The watch: looks at the whole office, remembers what needs a person, and tells whom it concerns."""

import logging

from procrastinate.contrib.django import app

from server.outside import outside
from server.queue import defer_once

log = logging.getLogger("attic.telling")


@app.periodic(cron="* * * * * */30")
@app.task(name="watch", queue="care", queueing_lock="watch")
def watch(timestamp: int) -> None:
    from server.telling.actions.watch_office import watch_office

    if watch_office(now=outside().now()):
        defer_once("send_messages", queue="tell")


@app.periodic(cron="* * * * * */30")
@app.task(name="send_messages", queue="tell", queueing_lock="send_messages")
def send_messages(timestamp: int = 0) -> None:
    from server.telling.actions.send import send_waiting

    sent, failed = send_waiting(now=outside().now())
    if sent or failed:
        log.info("messages: %s sent, %s did not go", sent, failed)
