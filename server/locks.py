"""Named locks of the database, held until the transaction ends. A decision reads what it decides from under one.

One a device for everything that decides about its copies, in whatever store: a rule, a hold, a restore, a copy, a
check. Under it only rows change, so nobody ever waits for a slow store. Stores and devices are opened before.
"""

from collections.abc import Iterable
from uuid import UUID

from django.db import connection


def lock_device(id: UUID) -> None:
    """Decide about this device's copies alone. Raises TransactionManagementError outside of a transaction."""
    _lock(f"device {id}")


def lock_devices(ids: Iterable[UUID]) -> None:
    """Several at once, always in the same order, so that two who do so never wait for each other."""
    for id in sorted(set(ids)):
        lock_device(id)


def lock_alone(what: str) -> None:
    """Do `what` one at a time: `watch`, `first administrator`."""
    _lock(f"alone {what}")


def _lock(name: str) -> None:
    connection.validate_no_broken_transaction()
    if not connection.in_atomic_block:
        raise RuntimeError(f"The lock {name!r} would be let go at once: begin a transaction first.")
    with connection.cursor() as cursor:
        cursor.execute("select pg_advisory_xact_lock(hashtextextended(%s, 0))", [name])
