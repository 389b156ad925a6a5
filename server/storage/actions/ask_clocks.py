"""Hear what time it is in the stores that have a clock of their own."""

import logging
from datetime import datetime

from core.errors import AtticError
from server import ports
from server.people.actions.clock import hear_witness
from server.storage.convert import address
from server.storage.models import Store

log = logging.getLogger("attic.storage")


def ask_stores_clocks(*, now: datetime) -> None:
    """A folder has none; one that does not answer says nothing."""
    for store in Store.objects.all():
        try:
            there = ports.stores().blobs(address(store)).clock()
        except AtticError as error:
            log.info("the clock of %s was not heard: %s", store.name, error.message)
            continue
        if there is not None:
            hear_witness(f"the store {store.name}", "bucket", off_seconds=(there - now).total_seconds(), now=now)
