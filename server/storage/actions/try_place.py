"""Try a place before it becomes a store, or again when it is one: each result as soon as it is there.

What is written is removed again; a folder that was missing is made and stays, empty.
"""

from collections.abc import Iterator

from core.vault.address import StoreAddress, where_words
from core.vault.trial import Result, trial
from server.people.actions.journal import write_journal
from server.people.models import User
from server.ports import outside
from server.storage.actions.add_store import checked_place
from server.storage.models import Store


def try_place(address: StoreAddress, *, by: User, of: Store | None = None) -> Iterator[Result]:
    """Raises BadInput and Conflict before anything is asked of the place; what goes wrong there is a result."""
    address = checked_place(address, of=of)
    there = outside()
    write_journal(who=by, what="store.tried", facts={"place": where_words(address)}, at=there.now())
    return trial(there.to_try(address), now=there.now, seconds=lambda: there.ticks().seconds, random=there.random)
